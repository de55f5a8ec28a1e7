//! Real sockets on loopback: grounds side by side, each node at its own address.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on shall stop")]

use std::net::{Ipv4Addr, SocketAddr, UdpSocket};
use std::time::{Duration, Instant};

use lantern_sim::{LoopbackGround, Scene, TIDEWICK};
use lantern_wire::art_net::{IpCommand, IpProg, Message, PORT, Poll, PollReply};

struct Guest {
    socket: UdpSocket,
    wire: SocketAddr,
}

impl Guest {
    fn on(ground: &LoopbackGround) -> Self {
        let [a, b, ..] = ground.network().octets();
        let socket = UdpSocket::bind((ground.guest(), PORT)).unwrap();
        socket.set_read_timeout(Some(Duration::from_millis(50))).unwrap();
        Self { socket, wire: SocketAddr::from((Ipv4Addr::new(a, b, 255, 255), PORT)) }
    }

    /// Polls and gives the replies of the next `wait`, each with its sender.
    fn poll(&self, wait: Duration) -> Vec<(SocketAddr, PollReply)> {
        self.socket.send_to(&Poll::default().to_bytes(), self.wire).unwrap();
        let end = Instant::now() + wait;
        let mut replies = Vec::new();
        let mut buffer = [0; 600];
        while Instant::now() < end {
            let Ok((length, from)) = self.socket.recv_from(&mut buffer) else { continue };
            if let Ok(Message::PollReply(reply)) = Message::parse(&buffer[..length]) {
                replies.push((from, *reply));
            }
        }
        replies
    }
}

fn addresses(replies: &[(SocketAddr, PollReply)]) -> Vec<Ipv4Addr> {
    let mut all: Vec<Ipv4Addr> = replies.iter().map(|(_, reply)| reply.address).collect();
    all.sort_unstable();
    all.dedup();
    all
}

#[test]
fn grounds_stand_side_by_side_and_hear_only_their_own() {
    let few = LoopbackGround::start(&Scene::crowd(3, 0.0, 1)).unwrap();
    let many = LoopbackGround::start(&Scene::crowd(9, 0.0, 2)).unwrap();
    assert_ne!(few.network(), many.network());
    let (guest_few, guest_many) = (Guest::on(&few), Guest::on(&many));
    assert_eq!(guest_few.poll(Duration::from_millis(1300)).len(), 3);
    let replies = guest_many.poll(Duration::from_millis(1300));
    assert_eq!(addresses(&replies).len(), 9);
    let at_home = |(from, reply): &(SocketAddr, PollReply)| from.ip() == reply.address;
    assert!(replies.iter().all(at_home), "each node speaks from its own address");
}

#[test]
fn a_node_moves_and_one_is_switched_on() {
    let ground = LoopbackGround::start(&Scene::parse(TIDEWICK).unwrap()).unwrap();
    let guest = Guest::on(&ground);
    let [_, b, ..] = ground.network().octets();
    let before = addresses(&guest.poll(Duration::from_millis(2400)));
    assert_eq!(before.len(), 9);
    let (old, new) = (Ipv4Addr::new(127, b, 1, 100), Ipv4Addr::new(127, b, 1, 77));
    let command = IpCommand::PROGRAM.and(IpCommand::ADDRESS);
    let message = IpProg { command, address: new, ..IpProg::ASK };
    guest.socket.send_to(&message.to_bytes(), (old, PORT)).unwrap();
    ground.switch("slip-low", true);
    std::thread::sleep(Duration::from_millis(1000));
    let after = addresses(&guest.poll(Duration::from_millis(2400)));
    assert!(after.contains(&new) && !after.contains(&old) && after.contains(&Ipv4Addr::new(127, b, 4, 100)));
    assert_eq!(after.len(), 10);
}

#[test]
fn a_node_in_another_subnet_is_heard_through_the_wire() {
    let scene = "network = \"10.40.0.0\"\n[[node]]\nname = \"lost\"\nmodel = \"marrowbright-four\"\n\
                 mac = \"02:4d:42:00:30:01\"\naddress = \"192.168.7.9\"\npages = [{ out = [0] }]\n";
    let ground = LoopbackGround::start(&Scene::parse(scene).unwrap()).unwrap();
    let replies = Guest::on(&ground).poll(Duration::from_millis(1300));
    assert_eq!(addresses(&replies), [Ipv4Addr::new(192, 168, 7, 9)]);
}
