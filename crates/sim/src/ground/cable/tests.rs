//! The cable, as programs plugged in there see it.

use std::net::{SocketAddrV4, UdpSocket};
use std::time::{Duration, Instant};

use lantern_wire::art_net::{Message, PORT, Poll};
use lantern_wire::{Arp, ArpOperation, UdpFrame};

use super::*;

const NODE: Ipv4Addr = Ipv4Addr::new(10, 40, 1, 100);
const NODES: MacAddress = MacAddress([2, 0x4d, 0x42, 0, 0x10, 1]);
/// Longer than anything takes here.
const PATIENCE: Duration = Duration::from_secs(5);
/// How long is listened for what must not come.
const SILENCE: Duration = Duration::from_millis(200);

struct Program(UdpSocket);

impl Program {
    fn beside(ground: &CableGround) -> Self {
        let socket = UdpSocket::bind((Ipv4Addr::LOCALHOST, 0)).unwrap();
        socket.connect(ground.place()).unwrap();
        Self(socket)
    }

    fn plugged_into(ground: &CableGround) -> Self {
        let program = Self::beside(ground);
        program.say(&[]);
        program
    }

    fn say(&self, frame: &[u8]) {
        self.0.send(frame).unwrap();
    }

    /// The first frame within `patience` that is of this kind.
    fn hears(&self, patience: Duration, is_meant: impl Fn(&[u8]) -> bool) -> bool {
        let began = Instant::now();
        let mut buffer = [0; 2048];
        while let Some(left) = patience.checked_sub(began.elapsed()).filter(|left| !left.is_zero()) {
            self.0.set_read_timeout(Some(left)).unwrap();
            match self.0.recv(&mut buffer) {
                Ok(length) if is_meant(&buffer[..length]) => return true,
                Ok(_) => {}
                Err(_) => return false,
            }
        }
        false
    }
}

fn ground() -> CableGround {
    let scene = "network = \"10.40.0.0\"\n[[node]]\nname = \"quay\"\nmodel = \"marrowbright-four\"\n\
                 mac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.100\"\npages = [{ out = [0] }]\n";
    CableGround::start(&Scene::parse(scene).unwrap()).unwrap()
}

fn who_has(ground: &CableGround) -> Vec<u8> {
    let (address, mac) = ground.guest();
    Arp { sender: address, ..Arp::probe(mac, NODE) }.to_bytes()
}

fn is_answer(frame: &[u8]) -> bool {
    Arp::parse(frame).is_ok_and(|arp| (arp.operation, arp.sender_mac) == (ArpOperation::REPLY, NODES))
}

fn poll(ground: &CableGround) -> Vec<u8> {
    let (address, from_mac) = ground.guest();
    let payload = Poll::default().to_bytes();
    let (from, to) = (SocketAddrV4::new(address, PORT), SocketAddrV4::new(Ipv4Addr::BROADCAST, PORT));
    UdpFrame { from_mac, to_mac: Arp::EVERYBODY, from, to, payload: &payload }.to_bytes().unwrap()
}

fn is_poll_reply(frame: &[u8]) -> bool {
    UdpFrame::parse(frame).is_ok_and(|udp| matches!(Message::parse(udp.payload), Ok(Message::PollReply(_))))
}

#[test]
fn a_node_answers_by_its_own_stack() {
    let ground = ground();
    let program = Program::plugged_into(&ground);
    program.say(&who_has(&ground));
    assert!(program.hears(PATIENCE, is_answer));
    // It answers us alone: for that it asks who we are, which the cable answers in our place.
    program.say(&poll(&ground));
    assert!(program.hears(PATIENCE, is_poll_reply));
}

#[test]
fn every_program_hears_what_one_of_them_says_and_what_it_is_told() {
    let ground = ground();
    let (one, other) = (Program::plugged_into(&ground), Program::plugged_into(&ground));
    let asked = who_has(&ground);
    // Until it is plugged in, too, nothing is heard by it.
    std::thread::sleep(SILENCE);
    one.say(&asked);
    for program in [&one, &other] {
        assert!(program.hears(PATIENCE, |frame| frame == asked));
        assert!(program.hears(PATIENCE, is_answer));
    }
}

#[test]
fn whoever_is_not_plugged_in_neither_hears_nor_is_heard() {
    let ground = ground();
    let (in_it, left, never) =
        (Program::plugged_into(&ground), Program::plugged_into(&ground), Program::beside(&ground));
    left.say(&[0]);
    never.say(&who_has(&ground));
    left.say(&who_has(&ground));
    assert!(!in_it.hears(SILENCE, is_answer));
    in_it.say(&who_has(&ground));
    assert!(in_it.hears(PATIENCE, is_answer));
    assert!(!left.hears(SILENCE, |_| true) && !never.hears(SILENCE, |_| true));
}

#[test]
fn noise_does_nothing_and_power_does_what_it_does() {
    let ground = ground();
    let program = Program::plugged_into(&ground);
    for length in [2, 13, 14, 60, 1514, 9000] {
        program.say(&vec![0xff; length]);
    }
    ground.switch("quay", false);
    program.say(&who_has(&ground));
    assert!(!program.hears(SILENCE, is_answer));
    ground.switch("quay", true);
    let up = (0..50).any(|_| {
        program.say(&who_has(&ground));
        program.hears(SILENCE, is_answer)
    });
    assert!(up);
    assert_eq!(ground.truth().len(), 1);
}

/// Who was killed on the cable does not keep others from it.
#[test]
fn those_who_went_without_a_word_make_room() {
    let ground = ground();
    let gone: Vec<Program> = (0..100).map(|_| Program::plugged_into(&ground)).collect();
    drop(gone);
    let program = Program::plugged_into(&ground);
    program.say(&who_has(&ground));
    assert!(program.hears(PATIENCE, is_answer));
}
