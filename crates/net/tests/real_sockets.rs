//! The driver and its sockets, against simulated nodes on loopback.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on shall stop")]

use std::net::{Ipv4Addr, SocketAddr, SocketAddrV4, UdpSocket};
use std::ops::ControlFlow;
use std::time::{Duration, Instant};

use lantern_core::adapter::{Choice, choose};
use lantern_core::conversation::{
    Conversation, Heard, LinkId, LinkNews, Outgoing, Survey, SurveyEvent, SurveyPlan,
};
use lantern_net::{NetError, Station, Wants, computer, run};
use lantern_sim::{LoopbackGround, Scene};
use socket2::{Domain, Socket, Type};

fn art_net() -> Wants {
    Wants { ports: vec![6454], ..Wants::default() }
}

fn choice(ground: &LoopbackGround) -> Choice {
    choose(&computer().unwrap().adapters, Some(&ground.guest().to_string()), None).unwrap()
}

#[test]
fn a_survey_runs_on_real_sockets_and_tells_as_it_goes() {
    let ground = LoopbackGround::start(&Scene::crowd(12, 0.0, 1)).unwrap();
    let choice = choice(&ground);
    let station = Station::open(&choice, &art_net(), None).unwrap();
    assert!(!station.is_shared());
    let mut survey = Survey::new(SurveyPlan::art_net(choice.seats.clone(), None, true));
    let (mut found, mut ticks) = (0, 0);
    let traffic = run(&mut survey, &station, |_, _, event| {
        match event {
            Some(SurveyEvent::Found(_)) => found += 1,
            Some(_) => {}
            None => ticks += 1,
        }
        ControlFlow::Continue(())
    })
    .unwrap();
    assert_eq!((found, survey.census().nodes().len()), (12, 12));
    assert!(survey.census().nodes().iter().all(|node| node.settings.is_some()));
    assert!(ticks >= 20, "only {ticks} ticks in three seconds");
    assert!(traffic.sent >= 16 && traffic.heard >= 60 && traffic.refused == 0, "{traffic:?}");
}

#[test]
fn a_port_that_is_shared_works_and_is_told() {
    let ground = LoopbackGround::start(&Scene::crowd(1, 0.0, 1)).unwrap();
    let choice = choice(&ground);
    let desk = Socket::new(Domain::IPV4, Type::DGRAM, None).unwrap();
    desk.set_reuse_address(true).unwrap();
    desk.bind(&SocketAddrV4::new(ground.guest(), 6454).into()).unwrap();
    let station = Station::open(&choice, &art_net(), None).unwrap();
    assert!(station.is_shared());
}

#[test]
fn a_port_that_is_held_alone_is_an_error_with_its_name() {
    let ground = LoopbackGround::start(&Scene::crowd(1, 0.0, 1)).unwrap();
    let _held = UdpSocket::bind((ground.guest(), 6454)).unwrap();
    let error = Station::open(&choice(&ground), &art_net(), None).unwrap_err();
    assert!(matches!(&error, NetError::PortHeld { port: 6454, adapter } if adapter == "lo"), "{error}");
}

/// Asks from a port of its own twice, once more after it was closed, and somewhere where nobody listens.
struct Asks {
    to: SocketAddrV4,
    nobody: SocketAddrV4,
    heard: Vec<(u32, String)>,
    sends: Vec<Outgoing>,
    over_at: Duration,
}

const fn link(number: u32) -> LinkId {
    LinkId { family: lantern_core::census::Way::Snmp, number }
}

impl Conversation for Asks {
    type Event = ();

    fn hear(&mut self, _: Duration, heard: &Heard<'_>) {
        let Heard::Link(link, news) = heard else { return };
        let said = match news {
            LinkNews::Bytes(bytes) => String::from_utf8_lossy(bytes).into_owned(),
            LinkNews::Closed(end) => format!("{end:?}"),
            LinkNews::Opened => "opened".to_owned(),
        };
        self.heard.push((link.number, said));
        if self.heard.len() == 3 {
            self.sends.push(Outgoing::Ask { link: self::link(1), to: self.to, bytes: b"late".to_vec() });
            self.sends.push(Outgoing::Close { link: self::link(1) });
        }
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.sends.pop()
    }

    fn wake_at(&self) -> Option<Duration> {
        (self.over_at > Duration::ZERO).then_some(self.over_at)
    }

    fn wake(&mut self, _: Duration) {
        self.over_at = Duration::ZERO;
    }

    fn next_event(&mut self) -> Option<()> {
        None
    }
}

/// What comes back to a port of its own comes on its link, each datagram by itself, and only from whom was asked; the port stays the same
/// as long as the link, and is another one behind it.
#[test]
fn a_question_from_a_port_of_its_own_is_answered_there() {
    let ground = LoopbackGround::start(&Scene::crowd(1, 0.0, 1)).unwrap();
    let choice = choice(&ground);
    let station = Station::open(&choice, &art_net(), None).unwrap();
    let server = UdpSocket::bind((ground.guest(), 0)).unwrap();
    let SocketAddr::V4(to) = server.local_addr().unwrap() else { panic!("no address") };
    let nobody = UdpSocket::bind((ground.guest(), 0)).unwrap().local_addr().unwrap();
    let SocketAddr::V4(nobody) = nobody else { panic!("no address") };
    server.set_read_timeout(Some(Duration::from_secs(4))).unwrap();
    let answers = std::thread::spawn(move || {
        let (mut buffer, mut ports) = ([0; 64], Vec::new());
        while let Ok((length, from)) = server.recv_from(&mut buffer) {
            ports.push(from.port());
            let stranger = UdpSocket::bind(("127.0.0.1", 0)).unwrap();
            stranger.send_to(b"not asked", from).unwrap_or(0);
            server.send_to(&[b"to ", &buffer[..length]].concat(), from).unwrap();
            if ports.len() == 3 {
                break;
            }
        }
        ports
    });
    let ask = |number, to, text: &str| Outgoing::Ask { link: link(number), to, bytes: text.as_bytes().to_vec() };
    let mut asks = Asks {
        to,
        nobody,
        heard: Vec::new(),
        sends: vec![ask(2, nobody, "anybody"), ask(1, to, "two"), ask(1, to, "one")],
        over_at: Duration::from_secs(2),
    };
    run(&mut asks, &station, |_, _, _| ControlFlow::Continue(())).unwrap();
    let ports = answers.join().unwrap();
    let mut heard = asks.heard.clone();
    heard.sort();
    let expected = [(1, "to late"), (1, "to one"), (1, "to two"), (2, "Refused")];
    assert_eq!(heard, expected.map(|(number, text)| (number, text.to_owned())), "{:?}", asks.nobody);
    assert!(ports[0] == ports[1] && ports[1] != ports[2], "{ports:?}");
}

/// A conversation that sends one datagram and waits a little.
struct Once {
    to: SocketAddrV4,
    sent: bool,
    over: bool,
}

impl Conversation for Once {
    type Event = ();

    fn hear(&mut self, _: Duration, _: &Heard<'_>) {}

    fn next_send(&mut self) -> Option<Outgoing> {
        let first = !std::mem::replace(&mut self.sent, true);
        first.then(|| Outgoing::Datagram { seat: 0, to: self.to, bytes: vec![1, 2, 3] })
    }

    fn wake_at(&self) -> Option<Duration> {
        (!self.over).then_some(Duration::from_millis(200))
    }

    fn wake(&mut self, _: Duration) {
        self.over = true;
    }

    fn next_event(&mut self) -> Option<()> {
        None
    }
}

#[test]
fn a_send_that_the_system_refuses_ends_the_run_with_the_reason() {
    let ground = LoopbackGround::start(&Scene::crowd(0, 0.0, 1)).unwrap();
    let station = Station::open(&choice(&ground), &art_net(), None).unwrap();
    // From loopback nothing leaves this computer.
    let mut once = Once { to: SocketAddrV4::new(Ipv4Addr::new(10, 40, 0, 1), 6454), sent: false, over: false };
    assert!(matches!(
        run(&mut once, &station, |_, _, _| ControlFlow::Continue(())),
        Err(NetError::NothingSent(_))
    ));
}

#[test]
fn a_conversation_ends_by_its_own_clock() {
    let ground = LoopbackGround::start(&Scene::crowd(0, 0.0, 1)).unwrap();
    let station = Station::open(&choice(&ground), &art_net(), None).unwrap();
    let mut once = Once { to: SocketAddrV4::new(ground.guest(), 6454), sent: false, over: false };
    let began = Instant::now();
    let traffic = run(&mut once, &station, |_, _, _| ControlFlow::Continue(())).unwrap();
    assert_eq!((traffic.sent, traffic.refused), (1, 0));
    assert!(began.elapsed() >= Duration::from_millis(200));
}

#[test]
fn loopback_comes_last_with_its_subnet_and_whoever_holds_the_port_is_seen() {
    let ground = LoopbackGround::start(&Scene::crowd(0, 0.0, 1)).unwrap();
    let _held = UdpSocket::bind((ground.guest(), 6454)).unwrap();
    let computer = computer().unwrap();
    let loopback = computer.adapters.last().unwrap();
    assert!(loopback.is_loopback() && loopback.is_up());
    assert!(loopback.addresses.iter().any(|own| own.address.is_loopback() && own.subnet.contains(own.address)));
    let ours = computer.holders.iter().find(|holder| holder.address == ground.guest()).unwrap();
    assert!(ours.program.is_some());
}

/// Asks once, lets the computer stand still while the answer comes, and judges when its patience is over.
struct Impatient {
    to: SocketAddrV4,
    step: usize,
    wake_at: Option<Duration>,
    stands: bool,
    answered: bool,
    called_silent: bool,
}

const ASKED_BY: LinkId = link(1);

impl Conversation for Impatient {
    type Event = ();

    fn hear(&mut self, _: Duration, heard: &Heard<'_>) {
        self.answered |= matches!(heard, Heard::Link(ASKED_BY, LinkNews::Bytes(_)));
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        (self.step == 0).then(|| {
            self.step = 1;
            Outgoing::Ask { link: ASKED_BY, to: self.to, bytes: b"who are you".to_vec() }
        })
    }

    fn wake_at(&self) -> Option<Duration> {
        self.wake_at
    }

    fn wake(&mut self, now: Duration) {
        (self.stands, self.wake_at) = match self.step {
            1 => (true, Some(now + Duration::from_millis(80))),
            _ => (false, None),
        };
        self.step += 1;
        self.called_silent = self.wake_at.is_none() && !self.answered;
    }

    fn next_event(&mut self) -> Option<()> {
        std::mem::take(&mut self.stands).then_some(())
    }
}

#[test]
fn whoever_answers_while_this_computer_stands_still_is_not_called_silent() {
    let ground = LoopbackGround::start(&Scene::crowd(1, 0.0, 1)).unwrap();
    let station = Station::open(&choice(&ground), &art_net(), None).unwrap();
    let peer = UdpSocket::bind((ground.guest(), 0)).unwrap();
    let SocketAddr::V4(to) = peer.local_addr().unwrap() else { unreachable!() };
    let answers = std::thread::spawn(move || {
        let (length, from) = peer.recv_from(&mut [0; 64]).unwrap();
        std::thread::sleep(Duration::from_millis(40));
        peer.send_to(&[7; 4], from).map(|_| length).unwrap()
    });
    let wake_at = Some(Duration::from_millis(5));
    let mut asks = Impatient { to, step: 0, wake_at, stands: false, answered: false, called_silent: false };
    run(&mut asks, &station, |_, _, event| {
        if event.is_some() {
            std::thread::sleep(Duration::from_millis(400));
        }
        ControlFlow::Continue(())
    })
    .unwrap();
    assert_eq!(answers.join().unwrap(), 11);
    assert!(asks.answered && !asks.called_silent);
}
