#![no_main]
//! Any bytes as a message: no panic, and what is understood survives being written.

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    if let Ok(message) = lantern_wire::dns_sd::DnsSd::parse(bytes) {
        // What was read can be written and read again.
        let _ = lantern_wire::dns_sd::DnsSd::parse(&message.to_bytes());
        for answer in &message.answers {
            let _ = (lantern_wire::dns_sd::first_label(&answer.name), lantern_wire::dns_sd::parent(&answer.name));
        }
    }
});
