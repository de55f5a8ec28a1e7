//! What was told, what was not, and what cannot be: each field in each way.

use std::net::Ipv4Addr;

use rstest::rstest;

use super::*;
use crate::universe::{DeskBase, Universe};
use crate::{DataLoss, Direction, Merge, Protocol};

fn address(last: u8) -> Value {
    Value::Address(Ipv4Addr::new(10, 40, 1, last))
}

fn text(text: &str) -> Value {
    Value::Text(text.into())
}

fn firmware(version: &str) -> Value {
    Value::Firmware(version.parse().unwrap())
}

fn universe(text: &str) -> Value {
    Value::Universe(Universe::read(text, DeskBase::One).unwrap())
}

const fn port(field: PortField) -> Field {
    Field::Port(3, field)
}

/// For each field: told as planned it is no difference; told otherwise, not told, and untellable are three, each in words,
/// and each is read back as it was written.
#[rstest]
#[case::address(Field::Address, address(1), address(2), "address is 10.40.1.2, planned 10.40.1.1")]
#[case::addressing(
    Field::Addressing,
    Value::Flag(false),
    Value::Flag(true),
    "addressing is by DHCP, planned fixed"
)]
#[case::mask(Field::Mask, address(0), address(9), "mask is 10.40.1.9, planned 10.40.1.0")]
#[case::gateway(
    Field::Gateway,
    Value::Address(Ipv4Addr::UNSPECIFIED),
    address(1),
    "gateway is 10.40.1.1, planned none"
)]
#[case::name(Field::Name, text("quay"), text(""), "name is (empty), planned quay")]
#[case::label(Field::Label, text("Quay"), text("Q\u{1b}"), "label is Q\\x1b, planned Quay")]
#[case::host_name(Field::HostName, text("quay"), text(""), "host name is (empty), planned quay")]
#[case::name_server(
    Field::NameServer,
    address(1),
    Value::Address(Ipv4Addr::UNSPECIFIED),
    "name server is none, planned 10.40.1.1"
)]
#[case::scope(Field::Scope, text("quay"), text("default"), "scope is default, planned quay")]
#[case::broker(
    Field::Broker,
    text("10.40.0.20:8888"),
    Value::Nothing,
    "broker is looked for, planned 10.40.0.20:8888"
)]
#[case::firmware(Field::Firmware, firmware("1.4"), firmware("1.5"), "firmware is 1.5, planned 1.4")]
#[case::on_data_loss(
    Field::OnDataLoss,
    Value::DataLoss(DataLoss::Hold),
    Value::DataLoss(DataLoss::Dark),
    "on data loss is dark, planned hold"
)]
#[case::pages(Field::Pages, Value::All, Value::Count(2), "only 2 of its pages heard, look again")]
#[case::no_such_port(
    port(PortField::Presence),
    Value::Count(3),
    Value::Count(2),
    "port 3 is planned, the node states 2"
)]
#[case::direction(
    port(PortField::Direction),
    Value::Direction(Direction::Out),
    Value::Direction(Direction::In),
    "port 3 direction is in, planned out"
)]
#[case::protocol(
    port(PortField::Protocol),
    Value::Protocol(Protocol::Sacn),
    Value::Protocol(Protocol::ArtNet),
    "port 3 protocol is Art-Net, planned sACN"
)]
#[case::universe(
    port(PortField::Universe),
    universe("1:1:0"),
    universe("sacn 273"),
    "port 3 universe is sacn 273, planned 1:1:0"
)]
#[case::no_universe(
    port(PortField::Universe),
    Value::Nothing,
    universe("sacn 7"),
    "port 3 universe is sacn 7, planned none"
)]
#[case::off(
    port(PortField::Direction),
    Value::Direction(Direction::Out),
    Value::Nothing,
    "port 3 direction is off, planned out"
)]
#[case::port_label(port(PortField::Label), text("Orlop"), text(""), "port 3 label is (empty), planned Orlop")]
#[case::merge(
    port(PortField::Merge),
    Value::Merge(Merge::Htp),
    Value::Merge(Merge::Ltp),
    "port 3 merge is ltp, planned htp"
)]
#[case::rdm(port(PortField::Rdm), Value::Flag(true), Value::Flag(false), "port 3 RDM is off, planned on")]
#[case::port_on_data_loss(
    port(PortField::OnDataLoss),
    Value::DataLoss(DataLoss::Hold),
    Value::DataLoss(DataLoss::Full),
    "port 3 on data loss is full, planned hold"
)]
fn each_field_in_each_way(
    #[case] field: Field,
    #[case] planned: Value,
    #[case] other: Value,
    #[case] words: &str,
) {
    let mut facts = Facts::able(&[field]);
    let difference = |facts: &Facts| Difference::between(field, planned.clone(), facts);

    let untold = difference(&facts).expect("what was not told is not as planned");
    assert!(untold.is_untold() && !untold.is_told() && !untold.cannot_be_told());
    assert!(untold.to_string().starts_with(&format!("did not tell its {field}, planned")), "{untold}");

    facts.learn(field, other);
    let told = difference(&facts).expect("it is otherwise");
    assert!(told.is_told());
    assert_eq!(told.to_string(), words);

    facts.learn(field, planned.clone());
    assert_eq!(difference(&facts), None);

    let mute = difference(&Facts::default()).expect("what cannot be told is not as planned");
    assert!(mute.cannot_be_told() && !mute.is_told());
    assert!(mute.to_string().starts_with(&format!("{field} cannot be checked from here, planned")), "{mute}");

    for one in [untold, told, mute] {
        let written = serde_json::to_string(&one).unwrap();
        let read: Difference = serde_json::from_str(&written).unwrap();
        // What a terminal must not see is written down escaped, and is read so.
        assert_eq!(serde_json::to_string(&read).unwrap(), written);
        assert_eq!((read.field, &read.planned), (one.field, &one.planned), "{written}");
    }
}

#[test]
fn every_field_is_read_as_it_is_written() {
    let ports = PortField::ALL.map(|field| Field::Port(12, field));
    for field in Field::OF_DEVICES.into_iter().chain(ports) {
        assert_eq!(field.to_string().parse(), Ok(field));
    }
    for text in ["", "port", "port x", "port 1 colour", "masks"] {
        assert_eq!(text.parse::<Field>(), Err(field::FieldError), "{text}");
    }
}

#[rstest]
#[case(r#"{"field":"mask","planned":true,"found":null,"known":"untold"}"#)]
#[case(r#"{"field":"mask","planned":"10.0.0.1","found":null,"known":"told"}"#)]
#[case(r#"{"field":"mask","planned":"10.0.0.1","found":null,"known":"perhaps"}"#)]
#[case(r#"{"field":"port 1 universe","planned":"99:99:99","found":null,"known":"untold"}"#)]
#[case(r#"{"field":"hue","planned":1,"found":1,"known":"told"}"#)]
fn what_is_no_difference_is_refused(#[case] written: &str) {
    assert!(serde_json::from_str::<Difference>(written).is_err(), "{written}");
}
