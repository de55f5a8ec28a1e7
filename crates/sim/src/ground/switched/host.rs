//! One simulated node with a stack of its own: ARP, echo, UDP.

use std::collections::VecDeque;
use std::net::{Ipv4Addr, SocketAddrV4};
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Duration;

use lantern_wire::art_net::PORT;
use lantern_wire::{Arp, ArpOperation, MacAddress};
use smoltcp::iface::{Config, Interface, SocketHandle, SocketSet};
use smoltcp::phy::{Checksum, Device, DeviceCapabilities, Medium, RxToken, TxToken};
use smoltcp::socket::{tcp, udp};
use smoltcp::time::Instant;
use smoltcp::wire::{
    EthernetAddress, EthernetFrame, EthernetProtocol, HardwareAddress, IpAddress, IpCidr, IpProtocol, Ipv4Packet,
};

use crate::device::{Linked, Utterance};
use crate::party::Party;
use crate::{Destination, Speech};

/// Room for the questions of a moment; more get lost, as on a real node.
const QUESTIONS: usize = 64;
const LONGEST_FRAME: usize = 1514;
/// How many connections a port takes at a time, and how much waits on each.
const CONNECTIONS: usize = 3;
const CONNECTION_ROOM: usize = 4096;

/// A node on the segment.
pub(super) struct Host {
    pub(super) party: Party,
    mac: EthernetAddress,
    stack: Interface,
    socket: Socket,
    sockets: SocketSet<'static>,
    ports: Vec<(u16, SocketHandle)>,
    links: Vec<Connection>,
    settings: Settings,
    defend_at: Option<Duration>,
    /// When the stack itself has something to do: ask for a MAC address again, report a group.
    stack_at: Option<Duration>,
}

type Settings = (Ipv4Addr, Ipv4Addr, Ipv4Addr);

/// A place for one connection: it listens, or carries one.
struct Connection {
    port: u16,
    handle: SocketHandle,
    /// What the party calls the connection, while there is one.
    link: Option<u64>,
    /// What is still to be written.
    waiting: Vec<u8>,
    hangs_up: bool,
}

impl Host {
    pub(super) fn new(party: Party) -> Self {
        let mac = EthernetAddress(party.mac().0);
        let mut socket = Socket::default();
        let mut stack = Interface::new(Config::new(HardwareAddress::Ethernet(mac)), &mut socket, Instant::ZERO);
        let buffer = || {
            let room = vec![udp::PacketMetadata::EMPTY; QUESTIONS];
            udp::PacketBuffer::new(room, vec![0; QUESTIONS * LONGEST_FRAME])
        };
        let mut sockets = SocketSet::new(Vec::new());
        let mut ports = Vec::new();
        for port in party.ports() {
            let mut socket = udp::Socket::new(buffer(), buffer());
            // The only reason for a refusal is port 0.
            socket.bind(port).unwrap_or(());
            ports.push((port, sockets.add(socket)));
        }
        let mut links = Vec::new();
        for port in party.link_ports() {
            for _ in 0..CONNECTIONS {
                let buffer = || tcp::SocketBuffer::new(vec![0; CONNECTION_ROOM]);
                let handle = sockets.add(tcp::Socket::new(buffer(), buffer()));
                links.push(Connection { port, handle, link: None, waiting: Vec::new(), hangs_up: false });
            }
        }
        for group in party.groups() {
            // There is room for the few groups of a simulated device.
            stack.join_multicast_group(group).unwrap_or(());
        }
        let nothing = (Ipv4Addr::UNSPECIFIED, Ipv4Addr::UNSPECIFIED, Ipv4Addr::UNSPECIFIED);
        let mut host = Self {
            party,
            mac,
            stack,
            socket,
            sockets,
            ports,
            links,
            settings: nothing,
            defend_at: None,
            stack_at: None,
        };
        host.take_settings();
        host
    }

    pub(super) fn mac(&self) -> MacAddress {
        self.party.mac()
    }

    /// Takes in a frame, if it is for this node.
    pub(super) fn take(&mut self, now: Duration, frame: &[u8]) {
        let Ok(ethernet) = EthernetFrame::new_checked(frame) else { return };
        let to = ethernet.dst_addr();
        let meant = to == self.mac || to.is_broadcast() || to.is_multicast();
        if !meant || !self.party.is_listening() || self.socket.heard.len() >= QUESTIONS {
            return;
        }
        if !self.party.answers_echo() && is_icmp(&ethernet) {
            return;
        }
        if self.party.hear_frame(now, frame) {
            self.stack_at = Some(now);
        }
        match Arp::parse(frame) {
            Ok(arp) if self.is_probe_for_us(&arp) => self.answer_probe(&arp),
            // A sweep asks for everybody: what is none of its business does not even reach the stack.
            Ok(arp)
                if arp.operation == ArpOperation::REQUEST
                    && arp.target != self.settings.0
                    && arp.sender != self.settings.0 => {}
            Ok(arp) => {
                if arp.sender == self.settings.0 && arp.sender_mac != self.party.mac() {
                    self.defend_at = self.party.defends_late().map(|late| now + late);
                }
                self.socket.heard.push_back(frame.to_vec());
            }
            Err(_) => self.socket.heard.push_back(frame.to_vec()),
        }
    }

    /// Whether somebody probes for our address (RFC 5227): whoever does has no address yet, which the stack would take
    /// for nonsense.
    fn is_probe_for_us(&self, arp: &Arp) -> bool {
        arp.operation == ArpOperation::REQUEST && arp.sender.is_unspecified() && arp.target == self.settings.0
    }

    fn answer_probe(&mut self, probe: &Arp) {
        let own = self.party.mac();
        let answer = Arp {
            to: probe.sender_mac,
            from: own,
            operation: ArpOperation::REPLY,
            sender_mac: own,
            sender: self.settings.0,
            target_mac: probe.sender_mac,
            target: Ipv4Addr::UNSPECIFIED,
        };
        if self.party.defends_late().is_none() {
            self.socket.said.push_back(answer.to_bytes());
        }
    }

    /// When the node has something to do next.
    pub(super) fn wake_at(&self) -> Option<Duration> {
        self.party.wake_at().into_iter().chain(self.defend_at).chain(self.stack_at).min()
    }

    fn defend(&mut self, now: Duration) {
        if self.defend_at.is_some_and(|at| at <= now) {
            self.defend_at = None;
            self.socket.said.push_back(Arp::announcement(self.party.mac(), self.settings.0).to_bytes());
        }
    }

    /// Whether it has something to do.
    pub(super) fn is_busy(&self, now: Duration) -> bool {
        let due = |at: Duration| at <= now;
        !self.socket.heard.is_empty() || !self.socket.said.is_empty() || self.wake_at().is_some_and(due)
    }

    /// Lets the node work; gives the frames it sends.
    pub(super) fn run(&mut self, now: Duration) -> Vec<Vec<u8>> {
        let moment = Instant::from_micros(i64::try_from(now.as_micros()).unwrap_or(i64::MAX));
        self.take_settings();
        self.stack.poll(moment, &mut self.socket, &mut self.sockets);
        self.hear(now);
        if self.party.wake_at().is_some_and(|at| at <= now) {
            let was_there = self.party.is_listening();
            self.party.wake(now);
            // One that has just come up speaks from its new address.
            self.take_settings();
            if !was_there && self.party.is_listening() {
                self.claim();
            }
        }
        self.speak(moment);
        self.talk(now);
        self.defend(now);
        self.stack.poll(moment, &mut self.socket, &mut self.sockets);
        if !self.party.is_listening() {
            self.socket.heard.clear();
        }
        let stack_at = self.stack.poll_at(moment, &self.sockets);
        self.stack_at =
            stack_at.map(|at| Duration::from_micros(u64::try_from(at.total_micros()).unwrap_or(0)).max(now));
        self.socket.said.drain(..).collect()
    }

    /// Whoever starts asks whether its address is free, and says that it is its own (RFC 5227).
    fn claim(&mut self) {
        let (own, address) = (self.party.mac(), self.settings.0);
        if self.party.defends_late().is_some() || address.is_unspecified() {
            return;
        }
        let says = [Arp::probe(own, address), Arp::announcement(own, address), Arp::announcement(own, address)];
        self.socket.said.extend(says.iter().map(Arp::to_bytes));
    }

    fn hear(&mut self, now: Duration) {
        for (port, handle) in &self.ports {
            let udp = self.sockets.get_mut::<udp::Socket<'_>>(*handle);
            while let Ok((bytes, from)) = udp.recv() {
                let IpAddress::Ipv4(address) = from.endpoint.addr;
                let to_everybody = from.local_address.is_none_or(|IpAddress::Ipv4(to)| to != self.settings.0);
                self.party.hear(now, *port, SocketAddrV4::new(address, from.endpoint.port), to_everybody, bytes);
            }
        }
    }

    /// Takes and carries connections.
    fn talk(&mut self, now: Duration) {
        for place in &mut self.links {
            let tcp = self.sockets.get_mut::<tcp::Socket<'_>>(place.handle);
            // Whoever asks once for each page would find nobody to talk to before long.
            if tcp.state() == tcp::State::TimeWait {
                tcp.abort();
            }
            if !tcp.is_open() {
                if let Some(link) = place.link.take() {
                    self.party.closed(link);
                }
                place.waiting.clear();
                place.hangs_up = false;
                // The only reason for a refusal is port 0, or that it is open already.
                tcp.listen(place.port).unwrap_or(());
                continue;
            }
            if place.link.is_none() && tcp.may_send() && tcp.may_recv() {
                let link = next_link();
                place.link = Some(link);
                self.party.opened(now, place.port, link);
            }
            if let Some(link) = place.link {
                while let Ok(bytes) = tcp.recv(|bytes| (bytes.len(), bytes.to_vec())) {
                    if bytes.is_empty() {
                        break;
                    }
                    self.party.heard_on(now, link, &bytes);
                }
                // The other side has finished; so do we.
                if !tcp.may_recv() && place.waiting.is_empty() {
                    tcp.close();
                }
            }
        }
        while let Some((link, said)) = self.party.next_linked() {
            let Some(place) = self.links.iter_mut().find(|place| place.link == Some(link)) else { continue };
            match said {
                Linked::Bytes(bytes) => place.waiting.extend(bytes),
                Linked::Close => place.hangs_up = true,
            }
        }
        for place in &mut self.links {
            let tcp = self.sockets.get_mut::<tcp::Socket<'_>>(place.handle);
            if !place.waiting.is_empty() && tcp.can_send() {
                let written = tcp.send_slice(&place.waiting).unwrap_or(0);
                place.waiting.drain(..written);
            }
            if place.hangs_up && place.waiting.is_empty() {
                tcp.close();
            }
        }
    }

    fn speak(&mut self, moment: Instant) {
        while let Some(said) = self.party.next() {
            match said {
                Utterance::Speech(speech) => self.send(moment, &speech),
                Utterance::Frame(frame) => self.socket.said.push_back(frame),
            }
        }
    }

    fn send(&mut self, moment: Instant, speech: &Speech) {
        let (address, mask, _) = self.settings;
        let local = |to: Ipv4Addr| (to.to_bits() ^ address.to_bits()) & mask.to_bits() == 0;
        let to = match speech.to {
            Destination::One(party) if local(*party.ip()) || party.ip().is_broadcast() => party,
            Destination::Group(group) => group,
            // Whoever is in another subnet can only be reached together with everybody.
            Destination::One(party) => SocketAddrV4::new(Ipv4Addr::BROADCAST, party.port()),
            Destination::Everybody => SocketAddrV4::new(Ipv4Addr::BROADCAST, PORT),
            Destination::Broadcast(to) => SocketAddrV4::new(to, PORT),
        };
        let Some((_, handle)) = self.ports.iter().find(|(port, _)| *port == speech.port) else { return };
        // A desk with many universes says more at once than there is room for.
        if !self.sockets.get::<udp::Socket<'_>>(*handle).can_send() {
            self.stack.poll(moment, &mut self.socket, &mut self.sockets);
        }
        let udp = self.sockets.get_mut::<udp::Socket<'_>>(*handle);
        udp.send_slice(&speech.bytes, (*to.ip(), to.port())).unwrap_or(());
    }

    /// Gives the stack the node's address, mask and gateway, where they changed.
    fn take_settings(&mut self) {
        let settings = self.party.settings();
        if settings == self.settings {
            return;
        }
        self.settings = settings;
        let (address, mask, gateway) = settings;
        let prefix = u8::try_from(mask.to_bits().leading_ones()).unwrap_or(32);
        self.stack.update_ip_addrs(|all| {
            all.clear();
            all.push(IpCidr::new(IpAddress::Ipv4(address), prefix)).unwrap_or(());
        });
        let routes = self.stack.routes_mut();
        routes.remove_default_ipv4_route();
        // There is room for a default route: it was just removed.
        if !gateway.is_unspecified() && routes.add_default_ipv4_route(gateway).is_err() {
            routes.remove_default_ipv4_route();
        }
    }
}

/// A number that no other connection of this process has.
fn next_link() -> u64 {
    static LINKS: AtomicU64 = AtomicU64::new(1);
    LINKS.fetch_add(1, Ordering::Relaxed)
}

fn is_icmp(frame: &EthernetFrame<&[u8]>) -> bool {
    frame.ethertype() == EthernetProtocol::Ipv4
        && Ipv4Packet::new_checked(frame.payload()).is_ok_and(|packet| packet.next_header() == IpProtocol::Icmp)
}

/// The node's network socket: frames in, frames out.
#[derive(Default)]
struct Socket {
    heard: VecDeque<Vec<u8>>,
    said: VecDeque<Vec<u8>>,
}

impl Device for Socket {
    type RxToken<'a> = Received;
    type TxToken<'a> = Sending<'a>;

    fn receive(&mut self, _: Instant) -> Option<(Received, Sending<'_>)> {
        let frame = self.heard.pop_front()?;
        Some((Received(frame), Sending(&mut self.said)))
    }

    fn transmit(&mut self, _: Instant) -> Option<Sending<'_>> {
        Some(Sending(&mut self.said))
    }

    fn capabilities(&self) -> DeviceCapabilities {
        let mut able = DeviceCapabilities::default();
        able.medium = Medium::Ethernet;
        able.max_transmission_unit = LONGEST_FRAME;
        // A virtual cable hands over packets whose checksums the kernel has not finished.
        able.checksum.udp = Checksum::Tx;
        able.checksum.tcp = Checksum::Tx;
        able.checksum.ipv4 = Checksum::Both;
        able
    }
}

struct Received(Vec<u8>);

impl RxToken for Received {
    fn consume<R, F: FnOnce(&[u8]) -> R>(self, read: F) -> R {
        read(&self.0)
    }
}

struct Sending<'a>(&'a mut VecDeque<Vec<u8>>);

impl TxToken for Sending<'_> {
    fn consume<R, F: FnOnce(&mut [u8]) -> R>(self, length: usize, write: F) -> R {
        let mut frame = vec![0; length];
        let result = write(&mut frame);
        self.0.push_back(frame);
        result
    }
}

#[cfg(test)]
#[path = "host_tests.rs"]
mod tests;
