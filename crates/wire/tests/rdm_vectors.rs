//! The reference packets of RDM and LLRP, read and written again byte for byte, and what each of them says; properties.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on shall stop")]

mod support;

use lantern_wire::acn::Cid;
use lantern_wire::llrp::{Component, Content, EVERYBODY, Filter, Message as Llrp, Probe, ProbeReply};
use lantern_wire::rdm::{
    Behaviour, Class, Description, DeviceInfo, Form, LineCounters, Message, Personality, Quantity, ResponseType,
    SensorDefinition, SensorValue, Slot, StatusMessage, StatusType, Uid, Unit, parameter, text,
};
use lantern_wire::{MacAddress, WireError};
use proptest::prelude::*;
use rstest::rstest;

use support::{cases, vector};

#[rstest]
fn every_rdm_vector_survives_both_ways_and_no_damage_is_taken_for_sound(
    #[values(
        "apply",
        "busy",
        "current-address",
        "device-info",
        "dhcp-off",
        "endpoint-output-set",
        "endpoint-universe-set",
        "endpoints",
        "get-device-info",
        "get-route",
        "identify-all-off",
        "identify-on",
        "interfaces",
        "route-set",
        "set-label",
        "set-start-address",
        "start-address-refused",
        "start-address-set",
        "static-address-set",
        "supported-overflow",
        "supported"
    )]
    name: &str,
) {
    let (bytes, facts) = vector("rdm", name);
    let message = Message::parse(&bytes).unwrap();
    assert_eq!(message.to_bytes(), bytes);
    if let Some(parameter) = facts["pid"].as_u64() {
        assert_eq!(u64::from(message.parameter), parameter);
    }
    for cut in 0..bytes.len() {
        assert!(matches!(Message::parse(&bytes[..cut]), Err(WireError::Short { .. })), "{cut}");
    }
    for at in 1..bytes.len() {
        let mut damaged = bytes.clone();
        damaged[at] ^= 0x40;
        assert!(Message::parse(&damaged).is_err(), "{at}");
    }
}

#[test]
fn requests_and_answers_say_what_they_say() {
    let asks = Message::parse(&vector("rdm", "get-device-info").0).unwrap();
    assert_eq!((asks.class, asks.response(), asks.transaction), (Class::GET, None, 7));
    assert_eq!((asks.to.to_string(), asks.from.to_string()), ("7ff2:0000abcd".into(), "7ff1:00000001".into()));
    let refused = Message::parse(&vector("rdm", "start-address-refused").0).unwrap();
    assert_eq!((refused.response(), &refused.data[..]), (Some(ResponseType::NACK), &[0, 6][..]));
    let more = Message::parse(&vector("rdm", "supported-overflow").0).unwrap();
    assert_eq!((more.response(), more.data.len()), (Some(ResponseType::ACK_OVERFLOW), 230));
    assert_eq!(asks.to_string(), "RDM get 0060 from 7ff1:00000001 to 7ff2:0000abcd");
}

#[test]
fn a_device_says_what_it_is() {
    let data = |name: &str| Message::parse(&vector("rdm", name).0).unwrap().data;
    let info = DeviceInfo::read(&data("device-info")).unwrap();
    let (_, facts) = vector("rdm", "device-info");
    let said = |fact: &str| facts[fact].as_u64().unwrap();
    assert_eq!((u64::from(info.model), u64::from(info.category)), (said("model"), said("category")));
    assert_eq!((u64::from(info.software), u64::from(info.footprint)), (said("software"), said("footprint")));
    assert_eq!((info.personality, info.personalities), (2, 3));
    assert_eq!((info.start_address, info.sub_devices, info.sensors, info.version), (101, 0, 1, [1, 0]));
    assert_eq!(info.to_bytes(), data("device-info"));
    assert_eq!(parameter::read_all(&data("supported")), [0x82, 0xe0, 0x700]);
    let many = parameter::read_all(&data("supported-overflow"));
    assert_eq!((many.len(), many[0], many[114]), (115, 0x8000, 0x8072));
    assert_eq!(parameter::write_all(&many), data("supported-overflow"));
    assert_eq!(text::read(&data("set-label")), "Quay mast one");
    assert_eq!(parameter::number(&data("start-address-refused")), Some(6));
}

/// What RDM writes, it reads; a zero may end a text, and nothing that is cut is read past its end.
#[test]
fn what_a_device_tells_is_read_as_it_is_written() {
    let unit = Unit { unit: 1, prefix: 0 };
    let sensor = SensorDefinition {
        number: 2,
        quantity: Quantity(0),
        unit,
        range: [-40, 150],
        normal: [-10, 90],
        keeps_extremes: true,
        records: false,
        name: "Lamp house".into(),
    };
    assert_eq!(SensorDefinition::read(&sensor.to_bytes()).as_ref(), Some(&sensor));
    assert_eq!(format!("{} in {}", sensor.quantity, sensor.unit), "temperature in °C");
    assert!(sensor.is_normal(90) && !sensor.is_normal(91) && !sensor.is_normal(-11));
    let value = SensorValue { number: 2, now: -5, lowest: -12, highest: 80, recorded: 0 };
    assert_eq!(SensorValue::read(&value.to_bytes()), Some(value));
    assert_eq!(SensorValue::read(&value.to_bytes()[..3]).map(|value| (value.now, value.highest)), Some((-5, 0)));
    let mode = Personality { number: 3, footprint: 24, name: "Wash, fine".into() };
    assert_eq!(Personality::read(&[&mode.to_bytes()[..], &[0, 0]].concat()), Some(mode));
    let own = Description {
        parameter: 0x8001,
        length: 2,
        form: Form::WORD,
        is_told: true,
        is_set: true,
        unit,
        range: [0, 600],
        default: 30,
        name: "Fan delay".into(),
    };
    assert_eq!(Description::read(&own.to_bytes()), Some(own));
    let status = StatusMessage { sub_device: 0, status: StatusType::WARNING, id: 0x21, values: [2, -7] };
    assert_eq!(StatusMessage::read_all(&[&status.to_bytes()[..], &[1, 2]].concat()), [status]);
    assert_eq!((StatusType(0x13).to_string(), StatusType(0x13).is_over()), ("warning, over".into(), true));
    let behaviour = Behaviour { scene: 0, delay: 20, hold: 0xffff, level: 255 };
    assert_eq!(Behaviour::read(&behaviour.to_bytes()), Some(behaviour));
    let slot = Slot { offset: 4, sort: 1, label: 2 };
    assert_eq!(Slot::read_all(&slot.to_bytes()), [slot]);
    let line = LineCounters { short: 1, mismatched: 2, damaged: 65535 };
    assert_eq!(LineCounters::read(&line.to_bytes()), Some(line));
    assert_eq!(LineCounters::read(&line.to_bytes()[..5]), None);
    let long = "ä".repeat(20);
    assert_eq!(text::read(&text::write(&long)), "ä".repeat(16), "cut between characters");
    assert_eq!(
        [&[7][..], &[1, 0], &[0, 1, 0, 0], &[1, 2, 3]].map(parameter::number),
        [Some(7), Some(256), Some(65536), None]
    );
}

#[test]
fn ip_settings_say_what_they_say() {
    use lantern_wire::rdm::network;
    let data = |name: &str| Message::parse(&vector("rdm", name).0).unwrap().data;
    let id = network::interfaces(&data("interfaces"))[0];
    let (now, leased) = network::current_address(&data("current-address")).unwrap();
    assert_eq!(
        (now.id.0, now.address.to_string(), now.mask().to_string()),
        (1, "192.168.1.50".into(), "255.255.255.0".into())
    );
    assert_eq!(leased, network::Leased::No);
    let set = network::static_address(&data("static-address-set")).unwrap();
    assert_eq!(set.to_bytes(), data("static-address-set"));
    assert_eq!(network::set_dhcp_mode(id, false), data("dhcp-off"));
    assert_eq!(network::dhcp_mode(&data("dhcp-off")), Some((id, false)));
    let (of, route) = network::default_route(&data("route-set")).unwrap();
    assert_eq!(network::set_default_route(of, route), data("route-set"));
    assert_eq!(data("apply"), id.to_bytes());
    assert!(data("get-route").is_empty());
    // What is too short, or no prefix, is nothing.
    for end in 0..10 {
        assert_eq!(network::current_address(&data("current-address")[..end]), None);
    }
    assert_eq!(network::static_address(&[0, 0, 0, 1, 10, 0, 0, 1, 33]), None);
    let server = "10.40.0.3".parse().unwrap();
    assert_eq!(network::name_server(&network::set_name_server(1, server)), Some((1, server)));
    assert_eq!(network::name_server(&[0, 10, 40, 0]), None);
    assert_eq!(network::set_host_name(&"ä".repeat(40)).len(), 62, "cut between characters");
    assert_eq!(network::InterfaceAddress { prefix: 0, ..set }.mask().to_string(), "0.0.0.0");
}

/// Scope and broker of a component, to offsets counted by hand.
#[rstest]
#[case::by_itself(None, 0)]
#[case::fixed(Some("10.40.0.20:8888"), 1)]
#[case::longer(Some("[fd00::20]:8888"), 2)]
fn a_component_says_to_which_broker_it_goes(#[case] broker: Option<&str>, #[case] sort: u8) {
    use lantern_wire::rdm::ComponentScope;
    let broker = broker.map(|text| text.parse().unwrap());
    let told = ComponentScope { slot: 1, scope: "quay".to_owned(), broker };
    let data = told.to_bytes();
    assert_eq!((data.len(), &data[..7], data[65]), (88, &[0, 1, b'q', b'u', b'a', b'y', 0][..], sort));
    assert_eq!(data[86..], if sort == 0 { [0, 0] } else { [0x22, 0xb8] });
    assert_eq!(ComponentScope::read(&data), Some(told));
    assert_eq!(ComponentScope::read(&data[..87]), None);
    assert_eq!(ComponentScope::read(&[&data[..65], &[3], &data[66..]].concat()), None, "a sort that there is not");
}

#[rstest]
fn every_llrp_vector_survives_both_ways_and_no_truncation_is_taken_for_whole(
    #[values("probe-all", "probe-known", "probe-reply", "rdm-current-address", "rdm-static-address-set")]
    name: &str,
) {
    let (bytes, facts) = vector("llrp", name);
    let message = Llrp::parse(&bytes).unwrap();
    assert_eq!(message.to_bytes(), bytes);
    assert_eq!(Some(u64::from(message.transaction)), facts["transaction"].as_u64());
    for cut in 0..bytes.len() {
        assert!(matches!(Llrp::parse(&bytes[..cut]), Err(WireError::Short { .. })), "{cut}");
    }
}

#[test]
fn probes_and_their_answers_say_who_is_meant_and_who_is_there() {
    let all = Llrp::parse(&vector("llrp", "probe-all").0).unwrap();
    let Content::Probe(probe) = &all.content else { panic!("{all:?}") };
    assert_eq!((probe.lowest, probe.highest, probe.filter), (Uid::LOWEST, Uid::EVERYBODY, Filter::NONE));
    assert_eq!(all.to, EVERYBODY);
    let known = Llrp::parse(&vector("llrp", "probe-known").0).unwrap();
    let Content::Probe(probe) = &known.content else { panic!("{known:?}") };
    assert_eq!(probe.filter, Filter::UNCONNECTED);
    let asked = ["7ff0:00100001", "7ff0:00100002", "7ff1:00000001"].map(|uid| probe.asks(uid.parse().unwrap()));
    assert_eq!(asked, [false, true, false], "one is known, one is outside");
    let reply = Llrp::parse(&vector("llrp", "probe-reply").0).unwrap();
    assert_eq!(reply.to_string(), "LLRP device 7ff0:00100001 at 02:4d:42:00:10:01");
}

proptest! {
    #![proptest_config(cases(256))]

    #[test]
    fn rdm_survives(uids: [[u8; 6]; 2], numbers: [u8; 4], pids: [u16; 2], data in prop::collection::vec(any::<u8>(), 0..=231)) {
        let [transaction, port_or_response, queued, class] = numbers;
        let message = Message {
            to: Uid(uids[0]), from: Uid(uids[1]), transaction, port_or_response, queued, sub_device: pids[0],
            class: Class(class), parameter: pids[1], data,
        };
        prop_assert_eq!(Message::parse(&message.to_bytes()), Ok(message));
    }

    #[test]
    fn llrp_survives(cids: [[u8; 16]; 2], transaction: u32, filter: u16, known in prop::collection::vec(any::<[u8; 6]>(), 0..=200)) {
        let probe = Probe {
            lowest: Uid::LOWEST, highest: Uid::EVERYBODY, filter: Filter(filter), known: known.into_iter().map(Uid).collect(),
        };
        for content in [
            Content::Probe(probe),
            Content::Reply(ProbeReply { uid: Uid([1; 6]), mac: MacAddress([2; 6]), component: Component(255) }),
        ] {
            let message = Llrp { from: Cid(cids[0]), to: Cid(cids[1]), transaction, content };
            prop_assert_eq!(Llrp::parse(&message.to_bytes()), Ok(message));
        }
    }

    #[test]
    fn no_bytes_make_them_panic(bytes in prop::collection::vec(any::<u8>(), 0..400), cut in 0_usize..105) {
        let _ = Message::parse(&bytes);
        let _ = Message::parse_without_start(&bytes);
        let _ = Llrp::parse(&bytes);
        let (mut whole, _) = vector("llrp", "rdm-current-address");
        whole.truncate(cut);
        whole.extend(&bytes);
        let _ = Llrp::parse(&whole);
        let _ = (DeviceInfo::read(&bytes), Personality::read(&bytes), Description::read(&bytes), Slot::read_all(&bytes));
        let _ = (SensorDefinition::read(&bytes), SensorValue::read(&bytes), StatusMessage::read_all(&bytes));
        let _ = (Behaviour::read(&bytes), LineCounters::read(&bytes), parameter::read_all(&bytes), text::read(&bytes));
    }
}
