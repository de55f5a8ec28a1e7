//! In memory, under a virtual clock that jumps from one event to the next.
//!
//! Beside Art-Net nodes there may stand devices of other families, which answer ARP and echo and say what their roles
//! say. The guest hears datagrams, or whole frames once it has a MAC address here.

mod frames;
mod links;

use std::cmp::Reverse;
use std::collections::{BTreeMap, BinaryHeap};
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::art_net::PORT;
use lantern_wire::{Arp, MacAddress, UdpFrame};

use super::alarms::Alarms;
use crate::device::{Linked, Utterance};
use crate::{Destination, Link, SimDevice, SimNode, Speech};

/// A whole network of nodes and devices, and one guest: the program under test.
#[derive(Debug)]
pub struct MemoryGround {
    nodes: Vec<SimNode>,
    devices: Vec<SimDevice>,
    link: Link,
    guest: SocketAddrV4,
    /// The guest's MAC address, where it hears frames.
    guest_mac: Option<MacAddress>,
    broadcasts: Vec<Ipv4Addr>,
    has_subnets: bool,
    now: Duration,
    sent: u64,
    /// The guest's connections: to whom, and when the last of what is under way on one arrives.
    links: BTreeMap<u64, (Party, Duration)>,
    /// The ports from which it asks, one for each link.
    own_ports: BTreeMap<u64, u16>,
    alarms: Alarms<Party>,
    /// Whether somebody from outside had a hand on the parties, so that their alarms have to be asked for.
    touched: bool,
    under_way: BinaryHeap<Reverse<(Duration, u64, Parcel)>>,
}

#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
struct Parcel {
    to: Party,
    from: SocketAddrV4,
    port: u16,
    to_everybody: bool,
    bytes: Vec<u8>,
    /// The whole frame, for a guest that hears frames.
    frame: Vec<u8>,
    /// What it is on a connection, where it belongs to one.
    link: Option<(u64, LinkStep)>,
}

/// What happens on a connection.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
enum LinkStep {
    /// The guest wants one, to this port.
    Open(u16),
    Heard(LinkHeard),
}

/// What somebody hears of a connection.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum LinkHeard {
    /// It was taken.
    Opened,
    /// Nobody takes it.
    Refused,
    /// This came.
    Bytes(Vec<u8>),
    /// The other side hung up.
    Closed,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Party {
    Guest,
    Node(usize),
    Device(usize),
}

/// Something that reached the guest.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Heard {
    /// When.
    pub at: Duration,
    /// Who sent it.
    pub from: SocketAddrV4,
    /// The port it came to.
    pub port: u16,
    /// Its payload; nothing where it is no datagram.
    pub bytes: Vec<u8>,
    /// The frame around it, where the guest hears frames.
    pub frame: Vec<u8>,
    /// Which of the guest's connections it is about, and what is heard of it.
    pub link: Option<(u64, LinkHeard)>,
}

/// Whether a datagram to this address reaches the node, where it is a broadcast address of some subnet.
fn hears_broadcast(node: &SimNode, to: Ipv4Addr) -> bool {
    let (address, mask, _) = node.settings();
    let own = Ipv4Addr::from_bits(address.to_bits() | !mask.to_bits());
    to == address || to == own || to.is_broadcast() || to.is_multicast()
}

impl MemoryGround {
    /// A ground for these nodes. Whatever the guest sends to one of `broadcasts` reaches every node.
    #[must_use]
    pub fn new(nodes: Vec<SimNode>, link: Link, guest: Ipv4Addr, broadcasts: Vec<Ipv4Addr>) -> Self {
        Self {
            nodes,
            devices: Vec::new(),
            link,
            guest: SocketAddrV4::new(guest, PORT),
            guest_mac: None,
            broadcasts,
            has_subnets: false,
            now: Duration::ZERO,
            sent: 0,
            links: BTreeMap::new(),
            own_ports: BTreeMap::new(),
            alarms: Alarms::default(),
            touched: true,
            under_way: BinaryHeap::new(),
        }
    }

    /// The same with devices of other families beside the nodes.
    #[must_use]
    pub fn beside(mut self, devices: Vec<SimDevice>) -> Self {
        self.devices = devices;
        self.touched = true;
        self
    }

    /// The same for a guest that hears and sends frames, from this MAC address.
    #[must_use]
    pub const fn with_frames(mut self, guest: MacAddress) -> Self {
        self.guest_mac = Some(guest);
        self
    }

    /// The same where each node hears of the broadcasts only the one of its own subnet, and the one of all, as on a real wire.
    #[must_use]
    pub const fn with_subnets(mut self) -> Self {
        self.has_subnets = true;
        self
    }

    /// Whether the guest hears frames.
    #[must_use]
    pub const fn has_frames(&self) -> bool {
        self.guest_mac.is_some()
    }

    /// The way between everybody.
    #[must_use]
    pub const fn link(&self) -> &Link {
        &self.link
    }

    /// The same, to heal it.
    pub const fn link_mut(&mut self) -> &mut Link {
        &mut self.link
    }

    /// The virtual time.
    #[must_use]
    pub const fn now(&self) -> Duration {
        self.now
    }

    /// The nodes.
    #[must_use]
    pub fn nodes(&self) -> &[SimNode] {
        &self.nodes
    }

    /// The nodes, to switch their power.
    pub fn nodes_mut(&mut self) -> &mut [SimNode] {
        self.touched = true;
        &mut self.nodes
    }

    /// The other devices.
    #[must_use]
    pub fn devices(&self) -> &[SimDevice] {
        &self.devices
    }

    /// The other devices, to switch their power.
    pub fn devices_mut(&mut self) -> &mut [SimDevice] {
        self.touched = true;
        &mut self.devices
    }

    /// Everybody who is on, with MAC address and address.
    pub fn present(&self) -> impl Iterator<Item = (MacAddress, Ipv4Addr)> + '_ {
        let nodes = self.nodes.iter().filter(|node| node.is_listening());
        let devices = self.devices.iter().filter(|device| device.is_listening());
        nodes
            .map(|node| (node.setup().mac, node.address()))
            .chain(devices.map(|device| (device.setup().mac, device.ip().address)))
    }

    /// The guest sends a datagram.
    pub fn send(&mut self, to: SocketAddrV4, bytes: &[u8]) {
        let everybody = self.broadcasts.contains(to.ip()) || to.ip().is_multicast();
        let parcel = |party| Parcel {
            to: party,
            from: SocketAddrV4::new(*self.guest.ip(), to.port()),
            port: to.port(),
            to_everybody: everybody,
            bytes: bytes.to_vec(),
            frame: Vec::new(),
            link: None,
        };
        // Who has nothing open on the port loses nothing either.
        let nodes = (0..self.nodes.len())
            .filter(|i| to.port() == PORT && (everybody || self.nodes[*i].address() == *to.ip()))
            .filter(|i| !self.has_subnets || hears_broadcast(&self.nodes[*i], *to.ip()));
        let hears = |device: &SimDevice| device.ports().any(|port| port == to.port());
        let devices = (0..self.devices.len()).filter(|i| {
            let device = &self.devices[*i];
            (everybody || device.ip().address == *to.ip()) && hears(device)
        });
        let parcels: Vec<Parcel> = nodes.map(Party::Node).chain(devices.map(Party::Device)).map(parcel).collect();
        parcels.into_iter().for_each(|parcel| self.carry(&parcel));
    }

    fn carry(&mut self, parcel: &Parcel) {
        if !self.link.delivers() {
            return;
        }
        let copies = 1 + u8::from(self.link.repeats());
        for _ in 0..copies {
            let mut copy = parcel.clone();
            // A damaged datagram is dropped by the checksum of whoever it is for.
            if self.link.damage(&mut copy.bytes) {
                if copy.to != Party::Guest || copy.link.is_some() {
                    continue;
                }
                copy.frame.truncate(14);
            }
            let at = self.now + self.link.latency();
            self.sent += 1;
            self.under_way.push(Reverse((at, self.sent, copy)));
        }
    }

    /// Lets time pass until something reaches the guest, or until `deadline`.
    pub fn run_until(&mut self, deadline: Duration) -> Option<Heard> {
        loop {
            let parcel_at = self.under_way.peek().map(|Reverse((at, ..))| *at);
            if std::mem::take(&mut self.touched) {
                self.ask_for_alarms();
            }
            let next = parcel_at.into_iter().chain(self.alarms.first()).min().filter(|at| *at <= deadline);
            let Some(next) = next else {
                self.now = self.now.max(deadline);
                return None;
            };
            self.now = self.now.max(next);
            if parcel_at == Some(next) {
                if let Some(heard) = self.deliver() {
                    return Some(heard);
                }
            } else {
                self.wake_all();
            }
        }
    }

    fn deliver(&mut self) -> Option<Heard> {
        let Reverse((at, _, parcel)) = self.under_way.pop()?;
        let Parcel { to, from, port, to_everybody, bytes, frame, link } = parcel;
        if let Some((link, step)) = link {
            return self.deliver_on_link(at, to, link, step);
        }
        match to {
            Party::Guest => return Some(Heard { at, from, port, bytes, frame, link: None }),
            Party::Node(index) => {
                let was_at = self.nodes[index].address();
                self.nodes[index].hear(at, from, to_everybody, &bytes);
                self.let_node_speak(index, was_at);
            }
            Party::Device(index) => {
                if frame.is_empty() {
                    self.devices[index].hear(at, port, from, &bytes);
                } else {
                    self.devices[index].hear_frame(at, &frame);
                }
                self.let_device_speak(index);
            }
        }
        None
    }

    /// When this party wants to be woken.
    fn alarm_of(&self, party: Party) -> Option<Duration> {
        match party {
            Party::Guest => None,
            Party::Node(index) => self.nodes[index].wake_at(),
            Party::Device(index) => self.devices[index].wake_at(),
        }
    }

    fn ask_for_alarms(&mut self) {
        let nodes = (0..self.nodes.len()).map(Party::Node);
        for party in nodes.chain((0..self.devices.len()).map(Party::Device)) {
            self.alarms.set(party, self.alarm_of(party));
        }
    }

    fn wake_all(&mut self) {
        for party in self.alarms.due(self.now) {
            match party {
                Party::Guest => {}
                Party::Node(index) => {
                    let was_there = self.nodes[index].is_listening();
                    self.nodes[index].wake(self.now);
                    if !was_there && self.nodes[index].is_listening() {
                        self.claim(self.nodes[index].setup().mac, self.nodes[index].address());
                    }
                    self.let_node_speak(index, self.nodes[index].address());
                }
                Party::Device(index) => {
                    let was_there = self.devices[index].is_listening();
                    self.devices[index].wake(self.now);
                    if !was_there && self.devices[index].is_listening() {
                        self.claim(self.devices[index].setup().mac, self.devices[index].ip().address);
                    }
                    self.let_device_speak(index);
                }
            }
        }
    }

    /// Whoever starts asks whether its address is free, and says that it is its own (RFC 5227).
    fn claim(&mut self, mac: MacAddress, address: Ipv4Addr) {
        if self.has_frames() {
            self.carry_frame(Arp::probe(mac, address).to_bytes());
            for _ in 0..2 {
                self.carry_frame(Arp::announcement(mac, address).to_bytes());
            }
        }
    }

    fn let_node_speak(&mut self, index: usize, source: Ipv4Addr) {
        let mac = self.nodes[index].setup().mac;
        while let Some(speech) = self.nodes[index].next_speech() {
            self.say(mac, source, speech);
        }
        self.alarms.set(Party::Node(index), self.nodes[index].wake_at());
    }

    fn let_device_speak(&mut self, index: usize) {
        let (mac, source) = (self.devices[index].setup().mac, self.devices[index].ip().address);
        while let Some(said) = self.devices[index].next_utterance() {
            match said {
                Utterance::Speech(speech) => {
                    self.say_to_nodes(source, &speech);
                    self.say(mac, source, speech);
                }
                Utterance::Frame(frame) => self.say_frame(index, frame),
            }
        }
        while let Some((link, said)) = self.devices[index].next_linked() {
            let heard = match said {
                Linked::Bytes(bytes) => LinkHeard::Bytes(bytes),
                Linked::Close => LinkHeard::Closed,
            };
            self.carry_on_link(Party::Guest, link, LinkStep::Heard(heard));
        }
        self.alarms.set(Party::Device(index), self.devices[index].wake_at());
    }

    /// What a device says on the Art-Net port reaches the nodes it is for.
    fn say_to_nodes(&mut self, source: Ipv4Addr, speech: &Speech) {
        let is_for = |address: Ipv4Addr| match speech.to {
            Destination::Everybody => true,
            Destination::One(to) => *to.ip() == address && to.port() == PORT,
            Destination::Broadcast(_) | Destination::Group(_) => false,
        };
        let nodes = (0..self.nodes.len()).filter(|i| speech.port == PORT && is_for(self.nodes[*i].address()));
        let parcel = |index| Parcel {
            to: Party::Node(index),
            from: SocketAddrV4::new(source, PORT),
            port: PORT,
            to_everybody: speech.to == Destination::Everybody,
            bytes: speech.bytes.clone(),
            frame: Vec::new(),
            link: None,
        };
        let parcels: Vec<Parcel> = nodes.map(parcel).collect();
        parcels.into_iter().for_each(|parcel| self.carry(&parcel));
    }

    fn say(&mut self, mac: MacAddress, source: Ipv4Addr, speech: Speech) {
        let everybody = MacAddress([0xff; 6]);
        let (to, to_mac) = match speech.to {
            Destination::Everybody => (SocketAddrV4::new(Ipv4Addr::BROADCAST, PORT), everybody),
            Destination::Broadcast(address) => (SocketAddrV4::new(address, PORT), everybody),
            Destination::Group(group) => (group, MacAddress::of_group(*group.ip())),
            Destination::One(party) if *party.ip() == *self.guest.ip() => {
                (party, self.guest_mac.unwrap_or(everybody))
            }
            Destination::One(party) if party.ip().is_broadcast() => (party, everybody),
            Destination::One(_) => return,
        };
        // A socket hears what is for it, and broadcasts of its own subnet.
        let by_socket = !matches!(speech.to, Destination::Broadcast(to) if !self.broadcasts.contains(&to));
        let from = SocketAddrV4::new(source, speech.port);
        let frame = UdpFrame { from_mac: mac, to_mac, from, to, payload: &speech.bytes }.to_bytes();
        if to.ip().is_broadcast() {
            self.carry_to_hearers(mac, to_mac, frame.as_deref().unwrap_or_default());
        }
        let link = self
            .link_of_port(to.port())
            .map(|link| (link, LinkStep::Heard(LinkHeard::Bytes(speech.bytes.clone()))));
        if self.guest_mac.is_some() || by_socket {
            self.carry(&Parcel {
                to: Party::Guest,
                from,
                port: to.port(),
                to_everybody: to_mac == everybody,
                frame: frame.unwrap_or_default(),
                bytes: speech.bytes,
                link,
            });
        }
    }
}
