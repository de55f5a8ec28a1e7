#![no_main]
//! Any bytes as a message: no panic, and what is understood survives being written.

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    let _ = (lantern_wire::Packet::parse(bytes), lantern_wire::Packet::parse_ip(bytes), lantern_wire::UdpFrame::parse(bytes));
});
