//! What a survey asks in each way, and whom it listens to.

use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_core::census::{Way, Ways};
use lantern_core::conversation::{
    Conversation, Datagram, Extent, Glimpse, Heard, Means, Neighbour, Outgoing, Seat, Survey, SurveyEvent,
    SurveyPlan, Vantage, ports_of,
};
use lantern_wire::art_net::PollReply;
use lantern_wire::dhcp::{Dhcp, DhcpKind};
use lantern_wire::dns_sd::{Answer, DnsSd, EVERY_TYPE, Fact, Question};
use lantern_wire::sacn::{Cid, Discovery};
use lantern_wire::{MacAddress, Text, UdpFrame, dns_sd, llrp, ptp, sacn, sap};
use rstest::rstest;

const OWN: Ipv4Addr = Ipv4Addr::new(10, 40, 0, 7);
const OTHER: Ipv4Addr = Ipv4Addr::new(10, 40, 1, 20);
const OWN_MAC: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);

fn seat(own: &str, subnet: &str) -> Seat {
    Seat { own: own.parse().unwrap(), subnet: subnet.parse().unwrap(), limited_broadcast: true }
}

fn plan() -> SurveyPlan {
    let seats = vec![seat("10.40.0.7", "10.40.0.0/16")];
    let vantage = Vantage { own_mac: Some(OWN_MAC), ..Vantage::of_seats(seats) };
    SurveyPlan { ways: Ways::ALL, vantage, ..SurveyPlan::art_net(Vec::new(), None, false) }
}

fn hear(survey: &mut Survey, at: u64, port: u16, bytes: &[u8]) {
    let from = SocketAddrV4::new(OTHER, port);
    survey.hear(Duration::from_millis(at), &Heard::Datagram(Datagram { seat: 0, from, port, bytes }));
}

/// Wakes it until then; gives what it sent.
fn until(survey: &mut Survey, millis: u64) -> Vec<Outgoing> {
    let mut sent = Vec::new();
    while let Some(at) = survey.wake_at().filter(|at| *at <= Duration::from_millis(millis)) {
        survey.wake(at);
        sent.extend(std::iter::from_fn(|| survey.next_send()));
    }
    sent
}

fn groups(sent: &[Outgoing]) -> Vec<Ipv4Addr> {
    let group = |outgoing: &Outgoing| match outgoing {
        Outgoing::Join { group, .. } => Some(*group),
        _ => None,
    };
    sent.iter().filter_map(group).collect()
}

fn questions(sent: &[Outgoing]) -> Vec<Question> {
    let datagrams = sent.iter().filter_map(Outgoing::as_datagram).filter(|(_, to, _)| to.port() == dns_sd::PORT);
    datagrams.flat_map(|(_, _, bytes)| DnsSd::parse(bytes).unwrap().questions).collect()
}

#[test]
fn it_joins_the_groups_of_every_way_and_of_the_universes_on_the_sheet() {
    let mut survey = Survey::new(SurveyPlan { universes: vec![273, 1, 273], ..plan() });
    let joined = groups(&until(&mut survey, 0));
    let expected = [
        sacn::group(sacn::DISCOVERY_UNIVERSE),
        sacn::group(273),
        sacn::group(1),
        sap::GROUPS[0],
        sap::GROUPS[1],
        ptp::GROUP,
        dns_sd::GROUP,
        llrp::MANAGERS,
        lantern_wire::onvif::GROUP,
    ];
    assert_eq!(joined, expected);
}

#[test]
fn universes_that_a_source_tells_are_listened_to_once_and_not_without_end() {
    let mut survey = Survey::new(plan());
    until(&mut survey, 0);
    let universes: Vec<u16> = (1..=512).collect();
    let (cid, source) = (Cid([7; 16]), Text::cut("Quay desk"));
    let told = Discovery { cid, source, page: 0, last_page: 0, universes }.to_bytes();
    for at in [10, 20] {
        hear(&mut survey, at, sacn::PORT, &told);
    }
    let joined = groups(&std::iter::from_fn(|| survey.next_send()).collect::<Vec<_>>());
    assert_eq!((joined.len(), joined[0]), (255, sacn::group(1)));
    assert_eq!(survey.census().sources()[0].universes.len(), 512);
}

#[test]
fn types_are_asked_for_first_then_whoever_offers_what_was_told() {
    let mut survey = Survey::new(plan());
    let first = questions(&until(&mut survey, 0));
    assert_eq!((first[0].name.as_str(), first[0].to_asker), (EVERY_TYPE, true));
    assert!(first.iter().any(|question| question.name == "_http._tcp.local."));
    let told = Answer {
        name: EVERY_TYPE.to_owned(),
        fact: Fact::Pointer("_made-up._udp.local.".to_owned()),
        is_over: false,
    };
    hear(&mut survey, 100, dns_sd::PORT, &DnsSd::answering(vec![told.clone(), told]).to_bytes());
    let later = questions(&until(&mut survey, 2900));
    assert_eq!(later.iter().filter(|question| question.name == "_made-up._udp.local.").count(), 2);
    assert!(
        later.iter().any(|question| question.name == EVERY_TYPE && !question.to_asker),
        "the group is asked too"
    );
}

#[test]
fn on_loopback_the_wire_of_the_ground_stands_for_every_group() {
    let seats = vec![seat("127.9.0.1", "127.9.0.0/16")];
    let mut survey = Survey::new(SurveyPlan { vantage: Vantage::of_seats(seats), ..plan() });
    let sent = until(&mut survey, 3000);
    let wire = Ipv4Addr::new(127, 9, 255, 255);
    assert!(
        sent.iter().filter_map(Outgoing::as_datagram).all(|(_, to, _)| *to.ip() == wire || to.ip().is_broadcast())
    );
    assert!(
        !sent
            .iter()
            .any(|outgoing| matches!(outgoing, Outgoing::Echo { .. } | Outgoing::Frame(_) | Outgoing::Neighbours))
    );
}

#[test]
fn dhcp_servers_are_asked_to_show_themselves_and_nothing_is_requested() {
    let means = Means { frames: true, echo: false, neighbours: false };
    let mut survey = Survey::new(plan().with_means(means));
    let sent = until(&mut survey, 3000);
    let frames = sent.iter().filter_map(|outgoing| match outgoing {
        Outgoing::Frame(frame) => UdpFrame::parse(frame).ok(),
        _ => None,
    });
    let asked: Vec<DhcpKind> =
        frames.filter_map(|frame| Dhcp::parse(frame.payload).ok()).map(|message| message.kind).collect();
    assert_eq!(asked, [DhcpKind::DISCOVER, DhcpKind::DISCOVER]);
}

#[rstest]
#[case::frames(Means { frames: true, echo: false, neighbours: true }, 500)]
#[case::echo(Means { frames: false, echo: true, neighbours: true }, 300)]
#[case::nothing(Means { frames: false, echo: false, neighbours: true }, 300)]
fn a_sweep_knocks_in_the_best_way_there_is_and_not_too_fast(#[case] means: Means, #[case] most: usize) {
    let ranges = vec!["10.40.1.0/24".parse().unwrap()];
    let mut survey = Survey::new(SurveyPlan { ranges, extent: Extent::Ranges, ..plan().with_means(means) });
    let sent = until(&mut survey, 999);
    let knocks = sent.iter().filter(|outgoing| match outgoing {
        Outgoing::Frame(frame) => frame[12..14] == [0x08, 0x06],
        Outgoing::Echo { .. } => means.echo,
        Outgoing::Knock { .. } => !means.echo && !means.frames,
        _ => false,
    });
    let count = knocks.count();
    assert!((most - 60..=most + 15).contains(&count), "{count}");
    assert!(sent.contains(&Outgoing::Neighbours));
}

#[test]
fn an_old_entry_of_the_system_names_only_who_was_seen_otherwise() {
    let means = Means { frames: false, echo: false, neighbours: true };
    let mut survey = Survey::new(plan().with_means(means));
    let entry = |last, fresh| Neighbour {
        address: Ipv4Addr::new(10, 40, 1, last),
        mac: MacAddress([2, 0, 0, 0, 1, last]),
        fresh,
    };
    survey.hear(Duration::ZERO, &Heard::Echo { from: Ipv4Addr::new(10, 40, 1, 1), number: 1 });
    survey.hear(Duration::ZERO, &Heard::Neighbours(&[entry(1, false), entry(2, false), entry(3, true)]));
    let found = survey.census().devices(&survey.viewpoint());
    let macs: Vec<Option<MacAddress>> = found.iter().map(|device| device.mac).collect();
    assert_eq!(macs, [Some(MacAddress([2, 0, 0, 0, 1, 1])), Some(MacAddress([2, 0, 0, 0, 1, 3]))]);
}

#[test]
fn whoever_is_seen_first_is_told_at_once_and_only_once() {
    let mut survey = Survey::new(plan());
    let (cid, source) = (Cid([7; 16]), Text::cut("Quay desk"));
    let told = Discovery { cid, source, page: 0, last_page: 0, universes: vec![1] }.to_bytes();
    hear(&mut survey, 40, sacn::PORT, &told);
    hear(&mut survey, 50, sacn::PORT, &told);
    survey.hear(Duration::from_millis(60), &Heard::Echo { from: OTHER, number: 1 });
    let events: Vec<SurveyEvent> = std::iter::from_fn(|| survey.next_event()).collect();
    let name = "Quay desk".into();
    let glimpse = Glimpse { at: Duration::from_millis(40), mac: None, address: OTHER, way: Way::Sacn, name };
    assert_eq!(events, [SurveyEvent::Seen(glimpse)]);
}

#[test]
fn each_way_has_its_port() {
    assert_eq!(ports_of(Ways::ALL), [6454, 5568, 5353, 9875, 5569, 3702, 4352, 320]);
    assert_eq!(ports_of(Ways::only(&[Way::Sap, Way::Arp])), [9875]);
}

#[test]
fn broken_messages_of_every_protocol_are_counted_and_end_nothing() {
    let mut survey = Survey::new(plan());
    for port in [6454, sacn::PORT, dns_sd::PORT, sap::PORT] {
        hear(&mut survey, 5, port, b"nonsense");
    }
    assert_eq!((survey.unreadable(), survey.census().devices(&survey.viewpoint()).len()), (4, 0));
    assert!(survey.wake_at().is_some());
    assert_eq!(survey.plan().vantage.seats[0].own, OWN);
}

/// Whoever comes is told in the moment its first packet is heard.
#[test]
fn somebody_who_comes_is_told_at_once() {
    let mut survey = Survey::new(SurveyPlan { extent: Extent::Endless, ..plan() });
    survey.wake(Duration::ZERO);
    while survey.next_event().is_some() {}
    let at = Duration::from_millis(4200);
    let reply = PollReply { mac: MacAddress([2, 0x4d, 0x42, 0, 0x30, 1]), ..PollReply::default() };
    hear(&mut survey, 4200, 6454, &reply.to_bytes());
    let Some(SurveyEvent::Seen(glimpse)) = survey.next_event() else { panic!("nobody was seen") };
    assert_eq!((glimpse.at, glimpse.address), (at, OTHER));
}

/// Who has moved away stands in the system's table for a while: where frames are heard, they decide who is where.
#[rstest]
#[case::frames(true, 0)]
#[case::sockets(false, 1)]
fn the_systems_table_claims_nobody_where_frames_are_heard(#[case] frames: bool, #[case] seen: usize) {
    let plan = plan().with_means(Means { frames, neighbours: true, ..Means::default() });
    let mut survey = Survey::new(plan);
    let left = Neighbour { address: OTHER, mac: MacAddress([2, 0, 0, 0, 0, 9]), fresh: true };
    survey.hear(Duration::ZERO, &Heard::Neighbours(&[left]));
    assert_eq!(survey.census().devices(&survey.viewpoint()).len(), seen);
}
