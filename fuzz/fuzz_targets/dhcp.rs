#![no_main]
//! Any bytes as a message: no panic, and what is understood survives being written.

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    if let Ok(message) = lantern_wire::dhcp::Dhcp::parse(bytes) {
        assert_eq!(lantern_wire::dhcp::Dhcp::parse(&message.to_bytes()), Ok(message));
    }
});
