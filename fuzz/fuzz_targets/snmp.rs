#![no_main]
//! Any bytes as a message of SNMP: no panic, what is understood survives being written, and nothing signed is opened without its key.

use lantern_wire::snmp::{Authentication, Engine, Incoming, Keys, Message, Oid, Privacy, Signed};
use std::sync::LazyLock;

static KEYS: LazyLock<Keys> = LazyLock::new(|| {
    Keys::new(Authentication::Sha1, "maplesyrup", Some((Privacy::Aes, "drumlin pass")), b"engine").expect("a password")
});

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    match Incoming::parse(bytes) {
        Ok(Incoming::Community(community, pdu)) => {
            for (object, value) in &pdu.values {
                assert_eq!(object.to_string().parse::<Oid>().as_ref(), Ok(object));
                let _ = (value.to_string(), value.number(), value.like("7"));
            }
            // What a maker has wrapped is never said.
            if let Some(written) = (Message::Community { community: community.clone(), pdu: pdu.clone() }).to_bytes() {
                let again = Incoming::parse(&written);
                assert_eq!(again.map(|again| format!("{again:?}")), Ok(format!("{:?}", Incoming::Community(community, pdu))));
            }
        }
        Ok(Incoming::User(sealed)) => {
            assert!(!sealed.is_signed || sealed.open(None).is_err());
            if let Ok(pdu) = sealed.open(Some(&KEYS)) {
                assert!(!sealed.is_private || sealed.is_signed);
                let signed = Signed {
                    id: sealed.id,
                    engine: Engine::default(),
                    user: sealed.user,
                    keys: Some(KEYS.clone()),
                    salt: 1,
                    is_reportable: true,
                    pdu,
                };
                let _ = Message::User(signed).to_bytes();
            }
        }
        Err(_) => {}
    }
});
