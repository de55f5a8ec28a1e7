//! A node on the segment, frame by frame.

use std::net::Ipv4Addr;

use lantern_wire::art_net::{IpCommand, IpProg, Message, Poll};
use lantern_wire::{MacAddress, UdpFrame};
use rstest::rstest;

use super::*;
use crate::Scene;

const OURS: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);
const US: Ipv4Addr = Ipv4Addr::new(10, 40, 0, 7);
const NODE: Ipv4Addr = Ipv4Addr::new(10, 40, 1, 100);
const NODES: MacAddress = MacAddress([2, 0x4d, 0x42, 0, 0x10, 1]);

fn host(extra: &str) -> Host {
    let text = format!(
        "network = \"10.40.0.0\"\n[[node]]\nname = \"quay\"\nmodel = \"marrowbright-four\"\n\
         mac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.100\"\npages = [{{ out = [0] }}]\n{extra}"
    );
    Host::new(Party::all(&Scene::parse(&text).unwrap()).remove(0))
}

/// Hands in frames, then lets the node work until `until`; gives what it sent.
fn talk(host: &mut Host, frames: &[Vec<u8>], until: u64) -> Vec<Vec<u8>> {
    for frame in frames {
        host.take(Duration::ZERO, frame);
    }
    (0..=until / 10).flat_map(|step| host.run(Duration::from_millis(step * 10))).collect()
}

fn arps(frames: &[Vec<u8>]) -> Vec<Arp> {
    frames.iter().filter_map(|frame| Arp::parse(frame).ok()).collect()
}

/// Asks by ARP for the node's address, as a kernel does before it sends.
fn who_has() -> Arp {
    Arp { sender: US, ..Arp::probe(OURS, NODE) }
}

fn datagram(to_mac: MacAddress, to: Ipv4Addr, payload: &[u8]) -> Vec<u8> {
    let (from, to) = (SocketAddrV4::new(US, PORT), SocketAddrV4::new(to, PORT));
    UdpFrame { from_mac: OURS, to_mac, from, to, payload }.to_bytes().unwrap()
}

#[rstest]
#[case::a_question(who_has(), true)]
#[case::a_probe(Arp::probe(OURS, NODE), true)]
#[case::about_another(Arp::probe(OURS, Ipv4Addr::new(10, 40, 1, 101)), false)]
#[case::an_announcement_of_another(Arp::announcement(OURS, US), false)]
fn whoever_asks_for_its_address_is_told(#[case] question: Arp, #[case] answered: bool) {
    let said = arps(&talk(&mut host(""), &[question.to_bytes()], 20));
    assert_eq!(said.len(), usize::from(answered), "{said:?}");
    for answer in said {
        assert_eq!((answer.operation, answer.sender, answer.sender_mac), (ArpOperation::REPLY, NODE, NODES));
        assert_eq!(answer.to, OURS);
    }
}

#[test]
fn one_that_defends_late_leaves_probes_and_speaks_up_after_an_announcement() {
    let mut host = host("defends_late_ms = 900");
    assert_eq!(talk(&mut host, &[Arp::probe(OURS, NODE).to_bytes()], 50), [] as [Vec<u8>; 0]);
    let said = arps(&talk(&mut host, &[Arp::announcement(OURS, NODE).to_bytes()], 1000));
    assert_eq!(said.last().map(ToString::to_string).as_deref(), Some("ARP: 10.40.1.100 is 02:4d:42:00:10:01 now"));
}

#[test]
fn a_poll_by_broadcast_is_answered_to_whoever_asked() {
    let mut host = host("");
    let poll = datagram(Arp::EVERYBODY, Ipv4Addr::new(10, 40, 255, 255), &Poll::default().to_bytes());
    let said = talk(&mut host, &[who_has().to_bytes(), poll], 1200);
    let answer = said.iter().find_map(|frame| UdpFrame::parse(frame).ok()).unwrap();
    assert_eq!((answer.to, answer.to_mac), (SocketAddrV4::new(US, PORT), OURS));
    assert!(matches!(Message::parse(answer.payload), Ok(Message::PollReply(reply)) if reply.address == NODE));
}

#[test]
fn one_in_another_subnet_hears_only_the_limited_broadcast_and_answers_by_it() {
    let mut host = host("").moved_to(Ipv4Addr::new(192, 168, 7, 9), Ipv4Addr::new(255, 255, 255, 0));
    let poll = Poll::default().to_bytes();
    let directed = datagram(Arp::EVERYBODY, Ipv4Addr::new(10, 40, 255, 255), &poll);
    assert_eq!(talk(&mut host, &[directed], 1200), [] as [Vec<u8>; 0]);
    let said = talk(&mut host, &[datagram(Arp::EVERYBODY, Ipv4Addr::BROADCAST, &poll)], 1200);
    let answer = UdpFrame::parse(&said[0]).unwrap();
    assert_eq!((*answer.to.ip(), answer.to_mac), (Ipv4Addr::BROADCAST, Arp::EVERYBODY));
}

#[test]
fn a_new_address_is_acknowledged_from_the_old_one_and_answered_for_after_the_restart() {
    let mut host = host("restart_ms = 300");
    let new = Ipv4Addr::new(10, 40, 1, 150);
    let command = IpCommand::PROGRAM.and(IpCommand::ADDRESS);
    let program = datagram(NODES, NODE, &IpProg { command, address: new, ..IpProg::ASK }.to_bytes());
    let said = talk(&mut host, &[who_has().to_bytes(), program], 600);
    let sources: Vec<Ipv4Addr> =
        said.iter().filter_map(|f| UdpFrame::parse(f).ok()).map(|f| *f.from.ip()).collect();
    assert_eq!(sources, [NODE, new]);
    let probe = |host: &mut Host, address| {
        host.take(Duration::from_secs(1), &Arp::probe(OURS, address).to_bytes());
        arps(&host.run(Duration::from_secs(1))).len()
    };
    assert_eq!((probe(&mut host, new), probe(&mut host, NODE)), (1, 0));
}

#[test]
fn one_that_is_off_is_deaf_and_frames_for_others_pass_by() {
    assert_eq!(talk(&mut host("off = true"), &[who_has().to_bytes()], 50), [] as [Vec<u8>; 0]);
    let mut other = who_has();
    other.to = MacAddress([2; 6]);
    assert_eq!(talk(&mut host(""), &[other.to_bytes(), vec![0xff; 3], Vec::new()], 50), [] as [Vec<u8>; 0]);
}

#[test]
fn a_flood_does_not_pile_up() {
    let flood: Vec<Vec<u8>> = (0..1000).map(|_| who_has().to_bytes()).collect();
    assert!(talk(&mut host(""), &flood, 50).len() <= QUESTIONS);
}

impl Host {
    /// The same node, as somebody else left it.
    fn moved_to(mut self, address: Ipv4Addr, mask: Ipv4Addr) -> Self {
        let command = IpCommand::PROGRAM.and(IpCommand::ADDRESS).and(IpCommand::MASK);
        let program = IpProg { command, address, mask, ..IpProg::ASK };
        self.party.hear(Duration::ZERO, PORT, SocketAddrV4::new(US, PORT), false, &program.to_bytes());
        self.party.wake(Duration::from_secs(1));
        while self.party.next().is_some() {}
        self.take_settings();
        self
    }
}
