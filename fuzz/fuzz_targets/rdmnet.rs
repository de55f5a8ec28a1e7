#![no_main]
//! Any bytes as a stream: no panic, and what is understood survives being written.

use lantern_wire::rdmnet::Message;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    if let Ok(Some((message, length))) = Message::take(bytes) {
        assert!(length <= bytes.len());
        let written = message.to_bytes();
        assert_eq!(Message::take(&written), Ok(Some((message, written.len()))));
    }
});
