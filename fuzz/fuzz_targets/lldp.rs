#![no_main]
//! Any bytes as a message: no panic, and what is understood survives being written.

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    if let Ok(told) = lantern_wire::Lldp::parse(bytes) { let _ = lantern_wire::Lldp::parse(&told.to_bytes()); }
});
