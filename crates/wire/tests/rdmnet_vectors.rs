//! The reference packets of RDMnet, read and written again byte for byte, and what each of them says; properties.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on shall stop")]

mod support;

use lantern_wire::acn::Cid;
use lantern_wire::rdm::endpoint::{self, EndpointList, EndpointMode, EndpointType, Responders};
use lantern_wire::rdm::{Class, Message as Rdm, ResponseType, Uid};
use lantern_wire::rdmnet::{
    Broker, Client, ClientKind, Connect, ConnectCode, Content, End, Message, Rpt, RptContent, StatusCode,
};
use lantern_wire::{Text, WireError};
use proptest::prelude::*;
use rstest::rstest;

use support::{cases, vector};

fn read(name: &str) -> Message {
    let (bytes, _) = vector("rpt", name);
    let (message, length) = Message::take(&bytes).unwrap().unwrap();
    assert_eq!(length, bytes.len());
    message
}

fn uid(text: &str) -> Uid {
    text.parse().unwrap()
}

/// In a stream every message is whole or not there yet; cut off it is never taken for something else.
#[rstest]
fn every_vector_survives_both_ways(
    #[values(
        "broker-clients",
        "broker-connect-reply",
        "broker-connect",
        "broker-fetch-clients",
        "broker-null",
        "notification-endpoints",
        "request-endpoint-universe",
        "status-unknown-endpoint"
    )]
    name: &str,
) {
    let (bytes, _) = vector("rpt", name);
    assert_eq!(read(name).to_bytes(), bytes);
    for cut in 0..bytes.len() {
        assert_eq!(Message::take(&bytes[..cut]), Ok(None), "{cut}");
    }
    let two = [&bytes[..], &bytes[..7]].concat();
    assert_eq!(Message::take(&two).unwrap().unwrap().1, bytes.len());
    // Shorter by its own account than what it holds.
    for at in [16, 39] {
        let mut damaged = bytes.clone();
        damaged[at + 2] = damaged[at + 2].wrapping_sub(1);
        assert!(Message::take(&damaged).is_err(), "{at}");
    }
}

#[test]
fn a_controller_connects() {
    let Content::Broker(Broker::Connect(connect)) = read("broker-connect").content else { panic!("no connect") };
    assert_eq!((connect.scope.to_lossy(), connect.domain.to_lossy()), ("default".into(), "local.".into()));
    assert_eq!((connect.version, connect.wants_changes), (1, true));
    assert_eq!((connect.client.kind, connect.client.uid), (ClientKind::CONTROLLER, uid("fff1:00000000")));
    let Content::Broker(Broker::ConnectReply { code, version, broker, client }) =
        read("broker-connect-reply").content
    else {
        panic!("no reply")
    };
    assert_eq!((code, version), (ConnectCode::OK, 1));
    assert_eq!((broker, client), (uid("7ff4:00000009"), uid("fff1:00000033")));
    let Content::Broker(Broker::Clients(clients)) = read("broker-clients").content else { panic!("no clients") };
    let [device] = &clients[..] else { panic!("one client") };
    assert_eq!((device.kind, device.uid), (ClientKind::DEVICE, uid("7ff0:00100001")));
    assert_eq!(device.cid, "7e0b5c11-aa55-4e2f-8c01-02030405060b".parse().unwrap());
    assert_eq!(read("broker-null").content, Content::Broker(Broker::Null));
    assert_eq!(read("broker-fetch-clients").content, Content::Broker(Broker::Fetch));
}

#[test]
fn requests_answers_and_refusals_say_what_they_say() {
    let Content::Rpt(rpt) = read("request-endpoint-universe").content else { panic!("no RPT") };
    assert_eq!((rpt.from.uid, rpt.to.uid, rpt.to.endpoint), (uid("fff1:00000033"), uid("7ff0:00100001"), 0));
    assert_eq!(rpt.sequence, 5);
    let RptContent::Request(order) = rpt.content else { panic!("no request") };
    assert_eq!((order.class, order.parameter), (Class::SET, endpoint::UNIVERSE));
    assert_eq!(endpoint::read_universe(&order.data), Some((2, 273)));
    assert_eq!(endpoint::write_universe(2, 273), order.data);
    let Content::Rpt(rpt) = read("notification-endpoints").content else { panic!("no RPT") };
    let RptContent::Notification(all) = rpt.content else { panic!("no notification") };
    let [asked, told] = &all[..] else { panic!("the request and the answer") };
    assert_eq!(
        (asked.class, told.class, told.response()),
        (Class::GET, Class::GET_RESPONSE, Some(ResponseType::ACK))
    );
    let list = EndpointList::read(&told.data).unwrap();
    assert_eq!(
        list,
        EndpointList { change: 3, endpoints: vec![(1, EndpointType::PHYSICAL), (2, EndpointType::PHYSICAL)] }
    );
    assert_eq!(list.to_bytes(), told.data);
    let Content::Rpt(rpt) = read("status-unknown-endpoint").content else { panic!("no RPT") };
    let RptContent::Status { code, text } = rpt.content else { panic!("no status") };
    assert_eq!((code, text.as_str()), (StatusCode(5), "no endpoint 9"));
    assert_eq!(code.to_string(), "it has no such endpoint");
}

#[test]
fn what_is_no_message_is_refused_at_once() {
    let foreign = |bytes: &[u8]| matches!(Message::take(bytes), Err(WireError::Foreign { .. }));
    assert!(foreign(b"GET / HTTP/1.1\r\n"));
    assert!(foreign(b"ASC-E1.17\0\0\0\xff\xff\xff\xff"), "no message is as long as that");
    assert!(!foreign(b"ASC"));
}

fn any_uid() -> impl Strategy<Value = Uid> {
    any::<[u8; 6]>().prop_map(Uid)
}

fn any_client() -> impl Strategy<Value = Client> {
    let parts = (any::<[u8; 16]>(), any_uid(), any::<u8>(), any::<[u8; 16]>());
    parts.prop_map(|(cid, uid, kind, bound)| Client {
        cid: Cid(cid),
        uid,
        kind: ClientKind(kind),
        bound_to: Cid(bound),
    })
}

fn any_broker() -> impl Strategy<Value = Broker> {
    let clients = || prop::collection::vec(any_client(), 0..6);
    prop_oneof![
        ("[a-z]{0,60}", any::<u16>(), "[a-z.]{0,200}", any::<bool>(), any_client()).prop_map(
            |(scope, version, domain, wants_changes, client)| {
                let (scope, domain) = (Text::cut(&scope), Text::cut(&domain));
                Broker::Connect(Box::new(Connect { scope, version, domain, wants_changes, client }))
            }
        ),
        (any::<u16>(), any::<u16>(), any_uid(), any_uid()).prop_map(|(code, version, broker, client)| {
            Broker::ConnectReply { code: ConnectCode(code), version, broker, client }
        }),
        (any::<bool>(), any_client()).prop_map(|(wants_changes, client)| Broker::Update { wants_changes, client }),
        any::<std::net::SocketAddr>()
            .prop_filter("no scope is carried", |to| match to {
                std::net::SocketAddr::V6(to) => to.flowinfo() == 0 && to.scope_id() == 0,
                std::net::SocketAddr::V4(_) => true,
            })
            .prop_map(Broker::Redirect),
        clients().prop_map(Broker::Clients),
        clients().prop_map(Broker::Added),
        clients().prop_map(Broker::Removed),
        clients().prop_map(Broker::Changed),
        any::<u16>().prop_map(Broker::Disconnect),
        Just(Broker::Fetch),
        Just(Broker::Null),
        (16..u16::MAX, prop::collection::vec(any::<u8>(), 0..40))
            .prop_map(|(vector, data)| Broker::Other(vector, data)),
    ]
}

fn any_rdm() -> impl Strategy<Value = Rdm> {
    let data = prop::collection::vec(any::<u8>(), 0..=231);
    (any_uid(), any_uid(), any::<u8>(), any::<u16>(), data).prop_map(|(to, from, transaction, parameter, data)| {
        Rdm::request(to, from, transaction, Class::SET, parameter, data)
    })
}

fn any_rpt() -> impl Strategy<Value = Rpt> {
    let end = || (any_uid(), any::<u16>()).prop_map(|(uid, endpoint)| End { uid, endpoint });
    let content = prop_oneof![
        any_rdm().prop_map(RptContent::Request),
        prop::collection::vec(any_rdm(), 1..5).prop_map(RptContent::Notification),
        (any::<u16>(), "[ -~]{0,80}").prop_map(|(code, text)| RptContent::Status { code: StatusCode(code), text }),
    ];
    (end(), end(), any::<u32>(), content).prop_map(|(from, to, sequence, content)| Rpt {
        from,
        to,
        sequence,
        content,
    })
}

proptest! {
    #![proptest_config(cases(256))]

    #[test]
    fn whatever_is_said_survives(cid in any::<[u8; 16]>(), broker in any_broker(), rpt in any_rpt(), is_rpt: bool) {
        let content = if is_rpt { Content::Rpt(rpt) } else { Content::Broker(broker) };
        let message = Message { from: Cid(cid), content };
        let bytes = message.to_bytes();
        prop_assert_eq!(Message::take(&bytes), Ok(Some((message, bytes.len()))));
    }

    #[test]
    fn no_bytes_break_it(bytes in prop::collection::vec(any::<u8>(), 0..200), inside: bool) {
        let length = u32::try_from(bytes.len()).unwrap().to_be_bytes();
        let stream = if inside { [&b"ASC-E1.17\0\0\0"[..], &length, &bytes].concat() } else { bytes.clone() };
        drop(Message::take(&stream));
        drop((EndpointList::read(&bytes), Responders::read(&bytes), endpoint::read_label(&bytes)));
        prop_assert_eq!(endpoint::read_universe(&bytes).is_some(), bytes.len() >= 4);
        prop_assert_eq!(endpoint::read_byte(&bytes).is_some(), bytes.len() >= 3);
    }

    #[test]
    fn one_damaged_byte_is_no_panic(which in 0_usize..8, at in 0_usize..400, bit in 0_u8..8) {
        let names = ["broker-clients", "broker-connect-reply", "broker-connect", "broker-fetch-clients", "broker-null",
            "notification-endpoints", "request-endpoint-universe", "status-unknown-endpoint"];
        let (mut bytes, _) = vector("rpt", names[which]);
        let place = at % bytes.len();
        bytes[place] ^= 1 << bit;
        drop(Message::take(&bytes));
    }

    #[test]
    fn endpoints_survive(change: u32, all in prop::collection::vec((any::<u16>(), any::<u8>()), 0..70), number: u16,
        uids in prop::collection::vec(any::<[u8; 6]>(), 0..30), label in "[ -~]{0,32}", universe: u16, mode in 0_u8..3) {
        let endpoints = all.into_iter().map(|(endpoint, sort)| (endpoint, EndpointType(sort))).collect();
        let list = EndpointList { change, endpoints };
        prop_assert_eq!(EndpointList::read(&list.to_bytes()), Some(list));
        let behind = Responders { endpoint: number, change, uids: uids.into_iter().map(Uid).collect() };
        prop_assert_eq!(Responders::read(&behind.to_bytes()), Some(behind));
        prop_assert_eq!(endpoint::read_label(&endpoint::write_label(number, &label)), Some((number, label)));
        prop_assert_eq!(endpoint::read_universe(&endpoint::write_universe(number, universe)), Some((number, universe)));
        let mode = EndpointMode(mode);
        prop_assert_eq!(endpoint::read_byte(&endpoint::write_byte(number, mode.0)), Some((number, mode.0)));
    }
}
