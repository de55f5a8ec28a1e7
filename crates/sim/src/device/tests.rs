//! What each role says, and when.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on shall stop")]

use lantern_wire::dhcp::{Dhcp, DhcpKind};
use lantern_wire::dns_sd::{DnsSd, EVERY_TYPE, Fact, Question};
use lantern_wire::sap::Sap;
use lantern_wire::sdp::Session;
use lantern_wire::{Igmp, Lldp, MacAddress, Packet, sacn};
use rstest::rstest;

use super::*;
use crate::{Destination, Scene};

const ASKER: SocketAddrV4 = SocketAddrV4::new(Ipv4Addr::new(10, 60, 0, 7), 5353);

fn device(extra: &str) -> SimDevice {
    let text = format!(
        "network = \"10.60.0.0\"\n[[device]]\nname = \"hall-stagebox\"\nmac = \"02:4f:4c:00:00:01\"\n\
         address = \"10.60.1.20\"\n{extra}"
    );
    Scene::parse(&text).unwrap().devices().remove(0)
}

/// Lets it work until then; gives what it said.
fn run(device: &mut SimDevice, until: u64) -> Vec<Utterance> {
    let mut said = Vec::new();
    for now in (0..=until).map(Duration::from_millis) {
        if device.wake_at().is_some_and(|at| at <= now) {
            device.wake(now);
        }
        said.extend(std::iter::from_fn(|| device.next_utterance()));
    }
    said
}

fn speeches(said: Vec<Utterance>) -> Vec<Speech> {
    let speech = |one| match one {
        Utterance::Speech(speech) => Some(speech),
        Utterance::Frame(_) => None,
    };
    said.into_iter().filter_map(speech).collect()
}

#[test]
fn a_source_sends_levels_to_each_group_and_tells_its_universes() {
    let mut desk = device("sacn = { name = \"Quay desk\", universes = [1, 273], priority = 120 }");
    let said = speeches(run(&mut desk, 950));
    let groups: Vec<Destination> = said.iter().take(3).map(|speech| speech.to).collect();
    let to = |universe| Destination::Group(SocketAddrV4::new(sacn::group(universe), sacn::PORT));
    assert_eq!(groups, [to(1), to(273), to(sacn::DISCOVERY_UNIVERSE)]);
    let messages: Vec<sacn::Message<'_>> = said.iter().map(|s| sacn::Message::parse(&s.bytes).unwrap()).collect();
    let levels =
        messages.iter().filter(|m| matches!(m, sacn::Message::Data(data) if data.priority == 120)).count();
    let told =
        messages.iter().filter(|m| matches!(m, sacn::Message::Discovery(d) if d.universes == [1, 273])).count();
    assert_eq!((levels, told), (20, 2));
}

#[rstest]
#[case(true, Destination::One(ASKER))]
#[case(false, Destination::Group(SocketAddrV4::new(lantern_wire::dns_sd::GROUP, 5353)))]
fn services_are_told_when_asked_for(#[case] to_asker: bool, #[case] to: Destination) {
    let mut stagebox = device("services = [{ name = \"Hall mixer\", kind = \"_http._tcp\", port = 80 }]");
    assert_eq!(run(&mut stagebox, 100), []);
    let questions =
        [EVERY_TYPE, "_http._tcp.local.", "_ssh._tcp.local."].map(|name| Question::pointer(name, to_asker));
    stagebox.hear(Duration::ZERO, 5353, ASKER, &DnsSd::asking(questions.to_vec()).to_bytes());
    let said = speeches(run(&mut stagebox, 100));
    assert_eq!((said.len(), said[0].to, said[0].port), (1, to, 5353));
    let facts: Vec<Fact> = DnsSd::parse(&said[0].bytes).unwrap().answers.into_iter().map(|a| a.fact).collect();
    assert_eq!(facts[0], Fact::Pointer("_http._tcp.local.".to_owned()));
    assert!(facts.contains(&Fact::Service { host: "hall-stagebox.local.".to_owned(), port: 80 }));
    assert!(facts.contains(&Fact::Address(Ipv4Addr::new(10, 60, 1, 20))));
}

#[test]
fn streams_are_announced_again_and_again() {
    let stream =
        "{ name = \"mix\", kind = \"audio\", group = \"239.69.10.1\", port = 5004, format = \"L24/48000/8\" }";
    let said = speeches(run(&mut device(&format!("streams = [{stream}]\nevery_ms = 400")), 900));
    assert_eq!(said.len(), 3);
    let session = Session::parse(Sap::parse(&said[0].bytes).unwrap().payload).unwrap();
    assert_eq!((session.name.as_str(), session.media[0].channels), ("mix", Some(8)));
}

#[test]
fn a_dhcp_server_offers_and_does_nothing_else() {
    let mut server = device("dhcp_offers = \"10.60.9.9\"");
    for kind in [DhcpKind::REQUEST, DhcpKind::DISCOVER] {
        let asks = Dhcp::from_client(kind, 7, MacAddress([2; 6]));
        server.hear(Duration::ZERO, 67, ASKER, &asks.to_bytes());
    }
    let said = speeches(run(&mut server, 10));
    let offer = Dhcp::parse(&said[0].bytes).unwrap();
    assert_eq!(
        (said.len(), offer.kind, offer.yours, offer.transaction),
        (1, DhcpKind::OFFER, Ipv4Addr::new(10, 60, 9, 9), 7)
    );
}

#[test]
fn a_switch_tells_its_port_and_asks_for_groups_by_frames() {
    let said = run(&mut device("switch_port = \"7\"\nigmp_querier = true"), 100);
    let [Utterance::Frame(lldp), Utterance::Frame(query)] = &said[..] else { panic!("{said:?}") };
    assert_eq!(Lldp::parse(lldp).unwrap().port, "7");
    let carries = Packet::parse(query).unwrap().carries;
    let message = Igmp::Query { group: None, version: 2 };
    assert_eq!(carries, lantern_wire::Carries::Igmp { from: Ipv4Addr::new(10, 60, 1, 20), message });
}

#[test]
fn one_that_arrives_later_is_deaf_and_silent_before() {
    let mut late = device("arrives_ms = 500\nswitch_port = \"7\"");
    assert_eq!(run(&mut late, 499), []);
    assert!(!late.is_listening());
    assert_eq!(run(&mut late, 600).len(), 1);
    late.switch(false);
    assert_eq!((late.wake_at(), late.is_listening()), (None, false));
}
