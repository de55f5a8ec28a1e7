#![no_main]
//! Any bytes as an answer of NMOS: no panic, and nothing of it leads out of a path.

use lantern_wire::Place;
use lantern_wire::nmos::{
    Api, Connection, Device, Fault, Flow, Io, Node, Receiver, Sender, Source, Version, map_order, older,
};

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    let is_safe = |id: &str| id.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'-' || byte == b'_');
    if let Ok(node) = Node::parse(bytes) {
        assert!(is_safe(node.id.as_str()));
    }
    for device in Device::list(bytes).unwrap_or_default() {
        let _ = (device.control(Api::Connection), device.control(Api::ChannelMapping));
    }
    for sender in Sender::list(bytes).unwrap_or_default() {
        assert!(is_safe(sender.id.as_str()) && is_safe(sender.device.as_str()));
    }
    for receiver in Receiver::list(bytes).unwrap_or_default() {
        assert!(is_safe(receiver.id.as_str()));
    }
    let _ = (Node::list(bytes), Flow::list(bytes), Source::list(bytes), Connection::parse(bytes), Fault::read(bytes));
    if let Ok(versions) = Version::list(bytes) {
        let _ = Api::Node.best(&versions);
    }
    let _ = Io::parse(bytes);
    for (output, channels) in Io::active(bytes).unwrap_or_default() {
        assert_eq!(Io::active(bytes).unwrap().get(&output), Some(&channels));
        let _ = map_order(&output, &channels);
    }
    if let Ok(text) = std::str::from_utf8(bytes) {
        if let Some(question) = older(text) {
            assert!(!question.contains([' ', '\r', '\n', '#']));
        }
        let own = [10, 60, 1, 1].into();
        for place in [Place::parse(text), Place::parse_named(text, own)].into_iter().flatten() {
            assert!(place.path.starts_with('/') && !place.path.contains([' ', '\r', '\n']));
        }
    }
});
