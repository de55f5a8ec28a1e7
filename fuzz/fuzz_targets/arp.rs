#![no_main]
//! Any bytes as a message: no panic, and what is understood survives being written.

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    if let Ok(arp) = lantern_wire::Arp::parse(bytes) { assert_eq!(lantern_wire::Arp::parse(&arp.to_bytes()), Ok(arp)); }
});
