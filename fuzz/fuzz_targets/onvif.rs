#![no_main]
//! Any bytes as XML, as an answer and as a search: no panic.

use lantern_wire::http_digest::Challenge;
use lantern_wire::onvif::{self, Discovery};

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    if let Ok(answer) = onvif::read(bytes) {
        let _ = (onvif::clock(&answer), onvif::made(&answer), onvif::interfaces(&answer));
        let _ = (onvif::gateway(&answer), onvif::host_name(&answer), onvif::scopes(&answer));
    }
    if let Ok(Discovery::Present(all)) = Discovery::parse(bytes) {
        for one in &all {
            let place = one.service([10, 40, 7, 1].into());
            assert_eq!(place.at.ip().octets(), [10, 40, 7, 1]);
        }
    }
    if let Ok(text) = std::str::from_utf8(bytes)
        && let Some(challenge) = Challenge::parse(text)
    {
        assert!(!challenge.answer("u", "moonrise", "POST", "/", 1).contains(['\r', '\n']));
    }
});
