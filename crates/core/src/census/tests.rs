//! Several replies are one node; the MAC says which.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::art_net::{IpProgReply, PollReply, PortBlock, PortType};
use lantern_wire::{MacAddress, Text};
use rstest::rstest;

use super::*;
use crate::facts::{Facts, Field, Value};

fn reply(mac: u8, last_octet: u8, page: u8) -> PollReply {
    let port = PortBlock { kind: PortType::DMX_OUT, switch_out: page, ..PortBlock::default() };
    PollReply {
        address: Ipv4Addr::new(10, 40, 1, last_octet),
        mac: if mac == 0 { MacAddress::UNKNOWN } else { MacAddress([2, 0x4d, 0x42, 0, 0x10, mac]) },
        bind_index: page,
        short_name: Text::cut("quay-north"),
        port_count: 4,
        ports: [port; 4],
        ..PollReply::default()
    }
}

fn sighting(told: Told, last_octet: u8) -> Sighting {
    Sighting::plain(Duration::from_millis(7), Ipv4Addr::new(10, 40, 1, last_octet), told)
}

fn seen(census: &mut Census, reply: PollReply) -> NodeNews {
    let from = reply.address.octets()[3];
    census.take(&sighting(Told::PollReply(Box::new(reply)), from)).node
}

#[test]
fn pages_of_one_node_are_one_node_in_any_order() {
    let mut census = Census::default();
    assert_eq!(seen(&mut census, reply(1, 100, 2)), NodeNews::New(0));
    assert!(!census.nodes()[0].is_whole());
    // 0 and 1 both mean the root.
    let root = PollReply { bind_index: 0, ..reply(1, 100, 1) };
    assert_eq!(seen(&mut census, root), NodeNews::More(0));
    assert_eq!(seen(&mut census, reply(1, 100, 1)), NodeNews::More(0));
    let node = &census.nodes()[0];
    assert_eq!((node.port_count(), node.is_whole()), (8, true));
    let (place, port) = node.port(6).unwrap();
    assert_eq!((place, port.universe.flat()), (PortPlace { page: 2, slot: 1 }, 2));
    assert!(node.port(9).is_none() && node.port(0).is_none());
}

#[test]
fn the_same_mac_at_a_new_address_is_the_same_node() {
    let mut census = Census::default();
    seen(&mut census, reply(1, 100, 1));
    assert_eq!(seen(&mut census, reply(1, 101, 1)), NodeNews::More(0));
    assert_eq!(census.nodes()[0].address, Ipv4Addr::new(10, 40, 1, 101));
}

#[rstest]
#[case(1, 2, 2)]
#[case(0, 0, 1)]
#[case(0, 1, 2)]
fn two_macs_at_one_address_are_two_nodes(#[case] mac_a: u8, #[case] mac_b: u8, #[case] nodes: usize) {
    let mut census = Census::default();
    seen(&mut census, reply(mac_a, 100, 1));
    seen(&mut census, reply(mac_b, 100, 1));
    assert_eq!(census.nodes().len(), nodes);
}

#[test]
fn settings_belong_to_the_node_they_come_from() {
    let mut census = Census::default();
    seen(&mut census, reply(1, 100, 1));
    let told = |octet| {
        Told::IpSettings(IpProgReply {
            address: Ipv4Addr::new(10, 40, 1, octet),
            mask: Ipv4Addr::new(255, 255, 0, 0),
            port: 6454,
            status: 0,
            gateway: Ipv4Addr::UNSPECIFIED,
        })
    };
    assert_eq!(census.take(&sighting(told(55), 55)).node, NodeNews::Nothing);
    assert_eq!(census.take(&sighting(told(100), 100)).node, NodeNews::More(0));
    assert_eq!(census.nodes()[0].settings.unwrap().mask, Ipv4Addr::new(255, 255, 0, 0));
}

#[test]
fn a_flood_of_forged_nodes_stays_bounded() {
    let mut census = Census::default();
    for i in 0..Census::MOST_NODES + 1000 {
        let [.., a, b] = i.to_be_bytes();
        let mut forged = reply(1, 100, 1);
        forged.mac.0[2..4].copy_from_slice(&[a, b]);
        seen(&mut census, forged);
    }
    assert_eq!((census.nodes().len(), census.overlooked()), (Census::MOST_NODES, 1000));
    assert_eq!(seen(&mut census, reply(1, 100, 1)), NodeNews::Nothing);
}

#[test]
fn a_census_survives_being_saved() {
    let mut census = Census::default();
    seen(&mut census, reply(1, 100, 1));
    seen(&mut census, reply(0, 101, 1));
    let mut devices = census.devices(&Viewpoint::default());
    // Places in the live census are not saved.
    devices.iter_mut().for_each(|device| device.node = None);
    let saved = serde_json::to_string(&CensusFile::new(
        &census,
        &devices,
        "2026-05-03T18:00:00Z",
        "show",
        &["10.40.0.0/16".parse().unwrap()],
    ))
    .unwrap();
    let again = SavedCensus::from_json(&saved).unwrap();
    assert_eq!((again.census.nodes(), &again.devices), (census.nodes(), &devices));
}

/// Sources, services, streams, targets and the network around them come back as they were written, and are written again so.
#[test]
fn everything_that_was_seen_survives_being_saved() {
    let mut census = Census::default();
    seen(&mut census, reply(1, 100, 1));
    let mac = MacAddress([2, 0x4d, 0x42, 0, 0, 9]);
    let cid = lantern_wire::sacn::Cid([7; 16]);
    let from = Ipv4Addr::new(10, 40, 0, 20);
    let pointer = lantern_wire::dns_sd::Answer {
        name: "_http._tcp.local.".to_owned(),
        fact: lantern_wire::dns_sd::Fact::Pointer("mixer._http._tcp.local.".to_owned()),
        is_over: false,
    };
    let session = lantern_wire::sdp::Session::parse(
        b"v=0\r\no=- 1 1 IN IP4 10.40.0.20\r\ns=mix\r\nc=IN IP4 239.69.1.1/15\r\nm=audio 5004 RTP/AVP 98\r\n",
    )
    .unwrap();
    let lldp =
        lantern_wire::Lldp { from: mac, port: "7".to_owned(), seconds: 120, ..lantern_wire::Lldp::default() };
    let mut facts = Facts::able(&[Field::Address, Field::Gateway, Field::Label]);
    facts.learn(Field::Address, Value::Address(from));
    facts.learn(Field::Label, Value::Text("Quay\u{1b}[2J".into()));
    let unit = Unit {
        family: Way::Llrp,
        identity: "7ff0:00000001".into(),
        handle: "cid".to_owned(),
        what: "LLRP".into(),
        address: from,
        mac: Some(mac),
        facts,
    };
    for told in [
        Told::Universes { cid, source: "desk".to_owned(), universes: vec![1, 2], page: (0, 0) },
        Told::Services(vec![pointer]),
        Told::Announced { key: (from, 7), session: Box::new(session) },
        Told::Unit(Box::new(unit)),
        Told::Lldp(Box::new(lldp)),
        Told::Querier { version: 2 },
        Told::Groups { wants: vec![Ipv4Addr::new(239, 69, 0, 1)], leaves: Vec::new() },
        Told::DhcpServer { server: from },
    ] {
        census.take(&Sighting { mac: Some(mac), ..Sighting::plain(Duration::ZERO, from, told) });
    }
    let evidence = census.evidence();
    let told = [
        evidence.sources.len(),
        evidence.services.len(),
        evidence.streams.len(),
        evidence.units.len(),
        evidence.surroundings.switch_ports.len(),
        evidence.surroundings.queriers.len(),
        evidence.surroundings.listeners.len(),
        evidence.surroundings.dhcp_servers.len(),
    ];
    assert_eq!(told, [1; 8]);
    let written = |census: &Census| {
        serde_json::to_string(&CensusFile::new(census, &[], "2026-05-03T18:00:00Z", "show", &[])).unwrap()
    };
    let again = SavedCensus::from_json(&written(&census)).unwrap();
    assert_eq!(written(&again.census), written(&census));
}

/// A group that is left is forgotten, of whoever left it; what is no group, and what the network speaks with itself, is nobody's wish; and
/// a flood of wishes is bounded.
#[test]
fn who_wants_which_group_is_known_until_it_is_left() {
    let mut census = Census::default();
    let group = |last: u8| Ipv4Addr::new(239, 69, 0, last);
    let mut hear = |host: u8, wants: &[Ipv4Addr], leaves: &[Ipv4Addr]| {
        let from = Ipv4Addr::new(10, 40, 0, host);
        let told = Told::Groups { wants: wants.to_vec(), leaves: leaves.to_vec() };
        census.take(&Sighting::plain(Duration::ZERO, from, told));
        let all = census.surroundings().listeners;
        all.iter().map(|one| (one.address.octets()[3], one.group.octets()[3])).collect::<Vec<_>>()
    };
    assert_eq!(hear(1, &[group(1), group(2), group(1)], &[]), [(1, 1), (1, 2)]);
    assert_eq!(hear(2, &[group(1)], &[group(2)]), [(1, 1), (2, 1), (1, 2)]);
    assert_eq!(hear(1, &[], &[group(1), group(9)]), [(2, 1), (1, 2)]);
    let of_nobody = [Ipv4Addr::new(224, 0, 0, 251), Ipv4Addr::new(224, 0, 1, 129), Ipv4Addr::new(10, 0, 0, 1)];
    assert_eq!(hear(1, &of_nobody, &[]).len(), 2);
    for host in 0..=255 {
        let flood: Vec<Ipv4Addr> = (0..=255).map(group).collect();
        hear(host, &flood, &[]);
    }
    assert_eq!(hear(1, &[], &[]).len(), 1024);
}

#[rstest]
#[case("not json", "it is not a census: expected ident at line 1 column 2")]
#[case("{\"nodes\": []}", "it is not a census: missing field `format` at line 1 column 13")]
#[case("{\"format\": 99}", "it has format 99, this program reads 1")]
fn a_file_that_is_no_census_says_why(#[case] text: &str, #[case] message: &str) {
    assert_eq!(SavedCensus::from_json(text).unwrap_err().to_string(), message);
}
