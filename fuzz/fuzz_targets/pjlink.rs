#![no_main]
//! Any bytes as a line or a datagram of PJLink: no panic.

use lantern_wire::pjlink::{Answer, Faults, Found, Greeting, Power, lamp_hours, input_in_words};

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    let _found = Found::parse(bytes);
    let Ok(text) = std::str::from_utf8(bytes) else { return };
    if let Ok(greeting) = Greeting::parse(text) {
        let _digest = greeting.answer("secret");
    }
    let value = Answer::parse(text).ok().and_then(|answer| answer.told.ok()).unwrap_or_else(|| text.to_owned());
    let _read = (Power::parse(&value), Faults::parse(&value), lamp_hours(&value), input_in_words(&value));
});
