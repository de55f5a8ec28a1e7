use std::net::SocketAddrV4;

use rand::rngs::StdRng;
use rand::{RngExt, SeedableRng};
use rstest::rstest;

use super::*;
use crate::address::Subnet;
use crate::lease::LeaseWishes;
use crate::sheet::RigSheet;

const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);
const AMP: MacAddress = MacAddress([2, 0x4d, 0x42, 0, 0x30, 1]);
const RELAY: MacAddress = MacAddress([2, 0, 0, 0, 0xbb, 1]);
const SERVER: Ipv4Addr = Ipv4Addr::new(10, 40, 0, 7);
const PLANNED: Ipv4Addr = Ipv4Addr::new(10, 40, 3, 1);

fn leasing(pool: Option<&str>) -> Leasing {
    let sheet = format!(
        "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n\
         [[network]]\nname = \"far\"\nrange = \"10.60.0.0/24\"\n\
         [[node]]\nname = \"amp\"\naddress = \"{PLANNED}\"\nmac = \"{AMP}\"\n\
         [[node]]\nname = \"far\"\naddress = \"10.60.0.5\"\nmac = \"02:4d:42:00:30:02\"\n"
    );
    let sheet = RigSheet::parse(&sheet).unwrap_or_else(|errors| panic!("{errors}"));
    let wishes = LeaseWishes { pool: pool.map(|pool| pool.parse().unwrap()), ..LeaseWishes::default() };
    let subnet: Subnet = "10.40.0.0/16".parse().unwrap();
    let vantage = Vantage {
        own_mac: Some(OWN),
        ..Vantage::of_seats(vec![Seat { own: SERVER, subnet, limited_broadcast: true }])
    };
    let mut leasing = Leasing::new(LeasePlan::by_sheet(&sheet, &wishes).unwrap(), &vantage, 3600, false).unwrap();
    pass(&mut leasing, 0..4_100);
    assert_eq!(leasing.next_event(), Some(LeaseNews::Giving));
    leasing
}

/// Lets these milliseconds pass; gives what is sent.
fn pass(leasing: &mut Leasing, millis: std::ops::Range<u64>) -> Vec<Vec<u8>> {
    let mut sent = Vec::new();
    for milli in millis.step_by(50) {
        leasing.wake(Duration::from_millis(milli));
        while let Some(Outgoing::Frame(frame)) = leasing.next_send() {
            sent.push(frame);
        }
    }
    sent
}

fn frame_of(message: &Dhcp, from_mac: MacAddress, from: Ipv4Addr) -> Vec<u8> {
    let payload = message.to_bytes();
    let from = SocketAddrV4::new(from, CLIENT_PORT);
    let to = SocketAddrV4::new(Ipv4Addr::BROADCAST, SERVER_PORT);
    UdpFrame { from_mac, to_mac: Arp::EVERYBODY, from, to, payload: &payload }.to_bytes().unwrap()
}

fn hear(leasing: &mut Leasing, milli: u64, message: &Dhcp) {
    let from = if message.relay.is_unspecified() { message.client } else { RELAY };
    leasing.hear(Duration::from_millis(milli), &Heard::Frame(&frame_of(message, from, message.has)));
}

/// The answers among what is sent in this time: to which MAC address, to whom, and what.
fn answers(leasing: &mut Leasing, millis: std::ops::Range<u64>) -> Vec<(MacAddress, SocketAddrV4, Dhcp)> {
    let sent = pass(leasing, millis);
    let datagrams = sent.iter().filter_map(|frame| UdpFrame::parse(frame).ok());
    let read = datagrams.map(|frame| (frame.to_mac, frame.to, Dhcp::parse(frame.payload).unwrap()));
    read.filter(|(_, _, message)| message.to_client).collect()
}

fn ask(kind: DhcpKind) -> Dhcp {
    Dhcp::from_client(kind, 77, AMP)
}

fn at(address: Ipv4Addr, port: u16) -> SocketAddrV4 {
    SocketAddrV4::new(address, port)
}

/// RFC 2131, section 4.1: to whom an answer goes.
#[rstest]
#[case::by_broadcast(ask(DhcpKind::DISCOVER), DhcpKind::OFFER, Arp::EVERYBODY, at(Ipv4Addr::BROADCAST, 68))]
#[case::to_itself(Dhcp { by_broadcast: false, ..ask(DhcpKind::DISCOVER) }, DhcpKind::OFFER, AMP, at(PLANNED, 68))]
#[case::to_the_relay(
    Dhcp { relay: Ipv4Addr::new(10, 40, 9, 9), ..ask(DhcpKind::DISCOVER) },
    DhcpKind::OFFER, RELAY, at(Ipv4Addr::new(10, 40, 9, 9), 67)
)]
#[case::to_who_has_it(Dhcp { has: PLANNED, ..ask(DhcpKind::REQUEST) }, DhcpKind::ACK, AMP, at(PLANNED, 68))]
#[case::refused_by_broadcast(
    Dhcp { has: Ipv4Addr::new(10, 40, 8, 8), by_broadcast: false, ..ask(DhcpKind::REQUEST) },
    DhcpKind::NAK, Arp::EVERYBODY, at(Ipv4Addr::BROADCAST, 68)
)]
#[case::refused_through_the_relay(
    Dhcp {
        requested: Some(Ipv4Addr::new(10, 40, 8, 8)),
        relay: Ipv4Addr::new(10, 40, 9, 9),
        ..ask(DhcpKind::REQUEST)
    },
    DhcpKind::NAK, RELAY, at(Ipv4Addr::new(10, 40, 9, 9), 67)
)]
fn answers_go_where_the_standard_says(
    #[case] asked: Dhcp,
    #[case] kind: DhcpKind,
    #[case] mac: MacAddress,
    #[case] to: SocketAddrV4,
) {
    let mut leasing = leasing(None);
    hear(&mut leasing, 5_000, &asked);
    let answers = answers(&mut leasing, 5_000..7_000);
    let [(to_mac, destination, answer)] = &answers[..] else { panic!("{answers:?}") };
    assert_eq!((answer.kind, *to_mac, *destination), (kind, mac, to));
    assert_eq!((answer.server, answer.transaction, answer.client), (Some(SERVER), 77, AMP));
}

#[test]
fn what_is_not_ours_to_answer_is_left_alone() {
    let far = MacAddress([2, 0x4d, 0x42, 0, 0x30, 2]);
    let mut leasing = leasing(None);
    let silent = [
        // Planned where this computer is not.
        Dhcp::from_client(DhcpKind::DISCOVER, 1, far),
        // A stranger that means nobody: whoever knows it may answer.
        Dhcp { requested: Some(PLANNED), ..Dhcp::from_client(DhcpKind::REQUEST, 2, MacAddress([2; 6])) },
        // This computer itself.
        Dhcp::from_client(DhcpKind::DISCOVER, 3, OWN),
        ask(DhcpKind::DECLINE),
        ask(DhcpKind::RELEASE),
        ask(DhcpKind(99)),
    ];
    for (n, message) in silent.iter().enumerate() {
        hear(&mut leasing, 5_000 + 100 * n as u64, message);
    }
    leasing.hear(Duration::from_secs(6), &Heard::Frame(b"\xff"));
    assert_eq!(answers(&mut leasing, 6_000..9_000), []);
    assert!(leasing.rival().is_none());
}

#[test]
fn behind_a_relay_of_its_network_even_a_far_one_is_answered() {
    let far = MacAddress([2, 0x4d, 0x42, 0, 0x30, 2]);
    let mut leasing = leasing(None);
    let relay = Ipv4Addr::new(10, 60, 0, 1);
    let info = vec![1, 3, b'g', b'i', b'7'];
    let asked = Dhcp { relay, relay_info: info.clone(), ..Dhcp::from_client(DhcpKind::DISCOVER, 1, far) };
    hear(&mut leasing, 5_000, &asked);
    let answers = answers(&mut leasing, 5_000..7_000);
    assert_eq!(answers.len(), 1);
    let offer = &answers[0].2;
    assert_eq!((offer.yours, &offer.relay_info, offer.relay), (Ipv4Addr::new(10, 60, 0, 5), &info, relay));
}

#[test]
fn who_has_an_address_is_told_what_else_there_is_to_know() {
    let mut leasing = leasing(None);
    hear(&mut leasing, 5_000, &Dhcp { has: PLANNED, ..ask(DhcpKind::INFORM) });
    let answers = answers(&mut leasing, 5_000..6_000);
    let (_, to, answer) = &answers[0];
    assert_eq!((answer.kind, answer.yours, answer.lease), (DhcpKind::ACK, Ipv4Addr::UNSPECIFIED, None));
    assert_eq!((answer.mask, *to), (Some(Ipv4Addr::new(255, 255, 0, 0)), at(PLANNED, 68)));
}

/// An answer of another server, or a client that took one's offer, is enough; our own words carried on by a relay are not.
#[rstest]
#[case::an_offer(Dhcp { to_client: true, server: Some(Ipv4Addr::new(10, 40, 0, 1)), ..ask(DhcpKind::OFFER) }, true)]
#[case::who_names_nobody(Dhcp { to_client: true, ..ask(DhcpKind::NAK) }, true)]
#[case::its_offer_was_taken(
    Dhcp { requested: Some(PLANNED), server: Some(Ipv4Addr::new(10, 40, 0, 1)), ..ask(DhcpKind::REQUEST) }, true
)]
#[case::our_own_word(Dhcp { to_client: true, server: Some(SERVER), ..ask(DhcpKind::ACK) }, false)]
#[case::one_that_renews_and_names_another(
    Dhcp { has: PLANNED, server: Some(Ipv4Addr::new(10, 40, 0, 1)), ..ask(DhcpKind::REQUEST) }, false
)]
fn another_server_is_known_by_its_words(#[case] message: Dhcp, #[case] stops: bool) {
    let mut leasing = leasing(None);
    hear(&mut leasing, 5_000, &message);
    assert_eq!((leasing.rival().is_some(), leasing.wake_at().is_none()), (stops, stops));
}

#[test]
fn who_gives_its_address_back_has_none() {
    let mut leasing = leasing(None);
    hear(&mut leasing, 5_000, &Dhcp { has: PLANNED, ..ask(DhcpKind::REQUEST) });
    assert_eq!(leasing.stages().next().unwrap().1, LeasingStage::Short);
    hear(&mut leasing, 6_000, &Dhcp { has: PLANNED, server: Some(SERVER), ..ask(DhcpKind::RELEASE) });
    assert_eq!(leasing.stages().next().unwrap().1, LeasingStage::Awaited);
}

/// Ten thousand messages a second from everywhere, for twenty seconds: what is kept and what is sent is bounded, and the one
/// that is planned is served all the same.
#[rstest]
#[case::without_a_pool(None)]
#[case::with_a_pool(Some("10.40.8.0-10.40.20.255"))]
fn a_flood_is_bounded(#[case] pool: Option<&str>) {
    let mut dice = StdRng::seed_from_u64(3);
    let mut leasing = leasing(pool);
    let (mut served, mut sent, mut told) = (0, 0_usize, 0_usize);
    let total = 200_000_u64;
    for n in 0..total {
        let now = Duration::from_micros(5_000_000 + 100 * n);
        let kind = DhcpKind(dice.random_range(1..=8));
        let client = match dice.random_range(0..4) {
            0 => AMP,
            _ => MacAddress(dice.random()),
        };
        let mut message = Dhcp {
            has: Ipv4Addr::from_bits(dice.random()),
            requested: Some(Ipv4Addr::from_bits(0x0a28_0000 | dice.random_range(0..0x2000))),
            class: vec![b'x'; dice.random_range(0..255)],
            ..Dhcp::from_client(kind, dice.random(), client)
        };
        if n % 5000 == 0 {
            message = ask(DhcpKind::DISCOVER);
        }
        let mut frame = frame_of(&message, client, message.has);
        if dice.random_bool(0.1) {
            let at = dice.random_range(0..frame.len());
            frame[at] ^= dice.random_range(1..=255_u8);
        }
        let was_there = leasing.rival().is_none();
        leasing.hear(now, &Heard::Frame(&frame));
        if was_there && leasing.rival().is_some() {
            // A damaged one turned into the word of a server: that ends it, as it should.
            return;
        }
        if n % 500 == 0 {
            leasing.wake(now);
        }
        told += std::iter::from_fn(|| leasing.next_event()).count();
        while let Some(Outgoing::Frame(frame)) = leasing.next_send() {
            sent += 1;
            let offer = UdpFrame::parse(&frame).ok().and_then(|frame| Dhcp::parse(frame.payload).ok());
            served += u32::from(offer.is_some_and(|one| one.kind == DhcpKind::OFFER && one.transaction == 77));
        }
        let (waiting, clients, seen) = leasing.sizes();
        assert!(waiting <= 2 * MOST_WAITING && clients <= 5000 && seen <= 1024, "{waiting} {clients} {seen}");
    }
    assert!(served >= 10, "the planned one was offered its address {served} times");
    // Each is answered fifty times a second and question at most; most get nothing at all.
    assert!(sent < 100_000 && told < 110_000, "{sent} sent, {told} told");
}

#[test]
fn a_port_that_is_no_text_can_be_typed() {
    assert_eq!(news::circuit_in_words(b"gi 7/1"), "gi 7/1");
    assert_eq!(news::circuit_in_words(&[0, 4, 0, 1, 0, 7]), "0x000400010007");
    assert_eq!(news::circuit_in_words(b""), "");
}
