//! Messages about streams and neighbours survive a round trip, and no bytes make their parsers panic.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on shall stop")]

mod support;

use lantern_wire::dns_sd::{Answer, DnsSd, Fact};
use lantern_wire::sacn::{Cid, Data, Discovery, Message, Options};
use lantern_wire::sap::Sap;
use lantern_wire::sdp::Session;
use lantern_wire::{Igmp, Lldp, MacAddress, Packet, Text};
use proptest::prelude::*;

use support::cases;

proptest! {
    #![proptest_config(cases(256))]

    #[test]
    fn levels_survive(
        cid: [u8; 16], source in "[ -~]{0,63}", numbers: [u8; 4], sync: u16, universe: u16,
        slots in prop::collection::vec(any::<u8>(), 0..=512),
    ) {
        let [priority, sequence, options, start_code] = numbers;
        let data = Data {
            cid: Cid(cid), source: Text::cut(&source), priority, sync, sequence, options: Options(options), universe,
            start_code, slots: &slots,
        };
        let bytes = data.to_bytes();
        prop_assert_eq!(Message::parse(&bytes), Ok(Message::Data(data)));
    }

    #[test]
    fn lists_of_universes_survive(
        cid: [u8; 16], page: u8, last_page: u8, universes in prop::collection::vec(any::<u16>(), 0..=512),
    ) {
        let discovery = Discovery { cid: Cid(cid), source: Text::cut("desk"), page, last_page, universes };
        let bytes = discovery.to_bytes();
        prop_assert_eq!(Message::parse(&bytes), Ok(Message::Discovery(discovery)));
    }

    #[test]
    fn announcements_survive(delete: bool, hash: u16, origin: u32, payload in prop::collection::vec(any::<u8>(), 0..600)) {
        let sap = Sap { delete, is_opaque: false, hash, origin: origin.into(), payload_type: "application/sdp", payload: &payload };
        let bytes = sap.to_bytes();
        prop_assert_eq!(Sap::parse(&bytes), Ok(sap));
    }

    #[test]
    fn services_survive(instance in "[^\\\\.\0]{1,15}", port: u16, address: u32, pairs in prop::collection::vec("[ -~]{1,40}", 1..5)) {
        let name = format!("{instance}._http._tcp.local.");
        let say = |fact| Answer { name: name.clone(), fact, is_over: false };
        let message = DnsSd::answering(vec![
            say(Fact::Pointer(name.clone())),
            say(Fact::Service { host: "host.local.".to_owned(), port }),
            say(Fact::Text(pairs)),
            say(Fact::Address(address.into())),
        ]);
        prop_assert_eq!(DnsSd::parse(&message.to_bytes()).unwrap(), message);
    }

    #[test]
    fn neighbours_survive(chassis in "[ -~]{1,60}", port in "[ -~]{1,60}", name in prop::option::of("[ -~]{1,200}"), address: u32) {
        let lldp = Lldp {
            from: MacAddress([2; 6]), chassis, port, name, management: Some(address.into()), seconds: 120, ..Lldp::default()
        };
        prop_assert_eq!(Lldp::parse(&lldp.to_bytes()), Ok(lldp));
    }

    #[test]
    fn no_bytes_make_a_parser_panic(bytes in prop::collection::vec(any::<u8>(), 0..1500)) {
        let _ = (Message::parse(&bytes).is_ok(), Sap::parse(&bytes).is_ok(), Session::parse(&bytes).is_ok());
        let _ = (DnsSd::parse(&bytes).is_ok(), Igmp::parse(&bytes).is_ok(), Lldp::parse(&bytes).is_ok());
        let _ = (Packet::parse(&bytes).is_ok(), Packet::parse_ip(&bytes).is_ok());
    }

    #[test]
    fn no_change_of_a_byte_makes_a_parser_panic(at in 0..200_usize, byte: u8) {
        let data = Data {
            cid: Cid([7; 16]), source: Text::cut("desk"), priority: 100, sync: 0, sequence: 1, options: Options(0),
            universe: 1, start_code: 0, slots: &[0; 74],
        };
        let mut bytes = data.to_bytes();
        let place = at % bytes.len();
        bytes[place] = byte;
        if let Ok(Message::Data(changed)) = Message::parse(&bytes) {
            prop_assert!(changed.slots.len() <= 512);
        }
    }
}
