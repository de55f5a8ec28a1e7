#![no_main]
//! Any bytes as a message: no panic, and what is understood survives being written.

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    if let Ok(message) = lantern_wire::llrp::Message::parse(bytes) {
        assert_eq!(lantern_wire::llrp::Message::parse(&message.to_bytes()), Ok(message));
    }
    if let Ok(message) = lantern_wire::rdm::Message::parse(bytes) {
        assert_eq!(lantern_wire::rdm::Message::parse(&message.to_bytes()), Ok(message));
    }
    if let Some(scope) = lantern_wire::rdm::ComponentScope::read(bytes) {
        assert!(lantern_wire::rdm::ComponentScope::read(&scope.to_bytes()).is_some());
    }
});
