//! Datagrams that leave as frames, as on a pretended cable: whom nobody has heard yet is asked for first.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on shall stop")]

use std::net::{Ipv4Addr, SocketAddr, SocketAddrV4};
use std::ops::ControlFlow;
use std::time::Duration;

use lantern_core::adapter::choose;
use lantern_core::address::Mask;
use lantern_core::conversation::{Conversation, Heard, Outgoing};
use lantern_net::{Cable, Station, Wants, computer, run};
use lantern_sim::{CableGround, Scene};
use lantern_wire::UdpFrame;
use lantern_wire::art_net::{Message, PORT, Poll};

const NODE: Ipv4Addr = Ipv4Addr::new(10, 40, 1, 100);
const NOBODY: Ipv4Addr = Ipv4Addr::new(10, 40, 1, 101);
/// More than wait at a time.
const MANY: usize = 1000;

/// Says everything at once to single addresses, and the node a second later, as conversations ask again; counts what it answers.
struct Asking {
    to_send: Vec<Ipv4Addr>,
    answers: usize,
    /// When something is due, the first of it at the end.
    dues: Vec<Duration>,
}

impl Conversation for Asking {
    type Event = ();

    fn hear(&mut self, _: Duration, heard: &Heard<'_>) {
        let Heard::Frame(frame) = heard else { return };
        let is_reply = UdpFrame::parse(frame).is_ok_and(|udp| {
            *udp.from.ip() == NODE && matches!(Message::parse(udp.payload), Ok(Message::PollReply(_)))
        });
        self.answers += usize::from(is_reply);
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        let to = SocketAddrV4::new(self.to_send.pop()?, PORT);
        Some(Outgoing::Datagram { seat: 0, to, bytes: Poll::default().to_bytes().to_vec() })
    }

    fn wake_at(&self) -> Option<Duration> {
        self.dues.last().copied()
    }

    fn wake(&mut self, _: Duration) {
        self.dues.pop();
        self.to_send.extend((!self.dues.is_empty()).then_some(NODE));
    }

    fn next_event(&mut self) -> Option<()> {
        None
    }
}

fn answers(station: &Station, to_send: Vec<Ipv4Addr>) -> usize {
    let dues = [2, 1].map(Duration::from_secs).to_vec();
    let mut asking = Asking { to_send, answers: 0, dues };
    run(&mut asking, station, |_, _, _| ControlFlow::Continue(())).unwrap();
    asking.answers
}

/// One test: a program is plugged in once, for good.
#[test]
fn what_is_meant_for_one_who_was_not_heard_yet_arrives_and_what_is_for_nobody_keeps_nothing_up() {
    let scene = format!(
        "network = \"10.40.0.0\"\n[[node]]\nname = \"quay\"\nmodel = \"marrowbright-four\"\n\
         mac = \"02:4d:42:00:10:01\"\naddress = \"{NODE}\"\npages = [{{ out = [0] }}]\n"
    );
    let ground = CableGround::start(&Scene::parse(&scene).unwrap()).unwrap();
    let SocketAddr::V4(place) = ground.place() else { panic!("an IPv4 place") };
    let (own, mac) = ground.guest();
    Cable::new(place, (own, Mask::SIXTEEN), mac).unwrap().plug_in();

    let computer = computer().unwrap();
    assert_eq!(computer.adapters.len(), 1, "{computer:?}");
    let choice = choose(&computer.adapters, None, None).unwrap();
    let wants = Wants { ports: vec![PORT], ..Wants::default() };
    let station = Station::open(&choice, &wants, computer.adapters[0].mac).unwrap();
    assert!(station.means().frames && station.lacks().is_empty());

    assert!(answers(&station, vec![NODE]) > 0, "its very first datagram is for it alone");
    assert!(answers(&station, vec![NOBODY; MANY]) > 0, "those for nobody wait, and make room");
    ground.switch("quay", false);
    assert_eq!(answers(&station, vec![NODE]), 0, "one that is off answers nothing");
}
