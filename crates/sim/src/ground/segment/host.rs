//! One simulated node with a stack of its own: ARP, echo, UDP.

use std::collections::VecDeque;
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::art_net::PORT;
use lantern_wire::{Arp, ArpOperation};
use smoltcp::iface::{Config, Interface, SocketHandle, SocketSet};
use smoltcp::phy::{Checksum, Device, DeviceCapabilities, Medium, RxToken, TxToken};
use smoltcp::socket::udp;
use smoltcp::time::Instant;
use smoltcp::wire::{EthernetAddress, EthernetFrame, HardwareAddress, IpAddress, IpCidr};

use crate::{Destination, SimNode};

/// Room for the questions of a moment; more get lost, as on a real node.
const QUESTIONS: usize = 16;
const LONGEST_FRAME: usize = 1514;

/// A node on the segment.
pub(super) struct Host {
    pub(super) node: SimNode,
    mac: EthernetAddress,
    stack: Interface,
    socket: Socket,
    sockets: SocketSet<'static>,
    udp: SocketHandle,
    settings: Settings,
    defend_at: Option<Duration>,
}

type Settings = (Ipv4Addr, Ipv4Addr, Ipv4Addr);

impl Host {
    pub(super) fn new(node: SimNode) -> Self {
        let mac = EthernetAddress(node.setup().mac.0);
        let mut socket = Socket::default();
        let stack = Interface::new(Config::new(HardwareAddress::Ethernet(mac)), &mut socket, Instant::ZERO);
        let buffer = || {
            let room = vec![udp::PacketMetadata::EMPTY; QUESTIONS];
            udp::PacketBuffer::new(room, vec![0; QUESTIONS * LONGEST_FRAME])
        };
        let mut sockets = SocketSet::new(Vec::new());
        let udp = sockets.add(udp::Socket::new(buffer(), buffer()));
        let nothing = (Ipv4Addr::UNSPECIFIED, Ipv4Addr::UNSPECIFIED, Ipv4Addr::UNSPECIFIED);
        let mut host = Self { node, mac, stack, socket, sockets, udp, settings: nothing, defend_at: None };
        // The only reason for a refusal is port 0.
        host.sockets.get_mut::<udp::Socket<'_>>(udp).bind(PORT).unwrap_or(());
        host.take_settings();
        host
    }

    /// Takes in a frame, if it is for this node.
    pub(super) fn take(&mut self, now: Duration, frame: &[u8]) {
        let Ok(ethernet) = EthernetFrame::new_checked(frame) else { return };
        let meant = ethernet.dst_addr() == self.mac || ethernet.dst_addr().is_broadcast();
        if !meant || !self.node.is_listening() || self.socket.heard.len() >= QUESTIONS {
            return;
        }
        match Arp::parse(frame) {
            Ok(arp) if self.is_probe_for_us(&arp) => self.answer_probe(&arp),
            Ok(arp) => {
                if arp.sender == self.settings.0 && arp.sender_mac != self.node.setup().mac {
                    self.defend_at = self.node.setup().defends_late.map(|late| now + late);
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
        let own = self.node.setup().mac;
        let answer = Arp {
            to: probe.sender_mac,
            from: own,
            operation: ArpOperation::REPLY,
            sender_mac: own,
            sender: self.settings.0,
            target_mac: probe.sender_mac,
            target: Ipv4Addr::UNSPECIFIED,
        };
        if self.node.setup().defends_late.is_none() {
            self.socket.said.push_back(answer.to_bytes());
        }
    }

    /// When the node has something to do next.
    pub(super) fn wake_at(&self) -> Option<Duration> {
        self.node.wake_at().into_iter().chain(self.defend_at).min()
    }

    fn defend(&mut self, now: Duration) {
        if self.defend_at.is_some_and(|at| at <= now) {
            self.defend_at = None;
            self.socket.said.push_back(Arp::announcement(self.node.setup().mac, self.settings.0).to_bytes());
        }
    }

    /// Lets the node work; gives the frames it sends.
    pub(super) fn run(&mut self, now: Duration) -> Vec<Vec<u8>> {
        let moment = Instant::from_micros(i64::try_from(now.as_micros()).unwrap_or(i64::MAX));
        self.stack.poll(moment, &mut self.socket, &mut self.sockets);
        self.hear(now);
        if self.node.wake_at().is_some_and(|at| at <= now) {
            self.node.wake(now);
            // One that has just come up speaks from its new address.
            self.take_settings();
        }
        self.speak();
        self.defend(now);
        self.stack.poll(moment, &mut self.socket, &mut self.sockets);
        if !self.node.is_listening() {
            self.socket.heard.clear();
        }
        self.socket.said.drain(..).collect()
    }

    fn hear(&mut self, now: Duration) {
        let udp = self.sockets.get_mut::<udp::Socket<'_>>(self.udp);
        while let Ok((bytes, from)) = udp.recv() {
            let IpAddress::Ipv4(address) = from.endpoint.addr;
            self.node.hear(now, SocketAddrV4::new(address, from.endpoint.port), bytes);
        }
    }

    fn speak(&mut self) {
        let (address, mask, _) = self.settings;
        let local = |to: Ipv4Addr| (to.to_bits() ^ address.to_bits()) & mask.to_bits() == 0;
        while let Some(speech) = self.node.next_speech() {
            let to = match speech.to {
                // Whoever is in another subnet can only be reached together with everybody.
                Destination::One(party) if local(*party.ip()) => party,
                Destination::One(_) | Destination::Everybody => SocketAddrV4::new(Ipv4Addr::BROADCAST, PORT),
            };
            let udp = self.sockets.get_mut::<udp::Socket<'_>>(self.udp);
            udp.send_slice(&speech.bytes, (*to.ip(), to.port())).unwrap_or(());
        }
    }

    /// Gives the stack the node's address, mask and gateway, where they changed.
    fn take_settings(&mut self) {
        let settings = self.node.settings();
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
