#![no_main]
//! Any bytes as a message: no panic, and what is understood survives being written.

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    match lantern_wire::sacn::Message::parse(bytes) {
        Ok(lantern_wire::sacn::Message::Data(data)) => {
            let again = data.to_bytes();
            assert_eq!(lantern_wire::sacn::Message::parse(&again), Ok(lantern_wire::sacn::Message::Data(data)));
        }
        Ok(lantern_wire::sacn::Message::Discovery(page)) => {
            let again = page.to_bytes();
            assert_eq!(lantern_wire::sacn::Message::parse(&again), Ok(lantern_wire::sacn::Message::Discovery(page)));
        }
        _ => {}
    }
});
