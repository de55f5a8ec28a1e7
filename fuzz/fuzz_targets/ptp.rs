#![no_main]
//! Any bytes as a message: no panic, and what is understood survives being written.

use lantern_wire::ptp::Announce;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    if let Ok(Some(announce)) = Announce::parse(bytes) {
        assert_eq!(Announce::parse(&announce.to_bytes()), Ok(Some(announce)));
    }
});
