//! Connections over TCP of the guest: they lose nothing, and take their time.

use std::cmp::Reverse;
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use super::{Heard, LinkHeard, LinkStep, MemoryGround, Parcel, Party};
use crate::SimDevice;

/// The first of the ports that are the guest's for one link each.
const FIRST_OWN_PORT: u16 = 49_152;

impl MemoryGround {
    /// The guest opens a connection, which is called `link` from now on.
    pub fn open(&mut self, link: u64, to: SocketAddrV4) {
        let takes = |device: &SimDevice| device.is_listening() && device.ip().address == *to.ip();
        let device = self.devices.iter().position(takes);
        // Where nobody is, nobody answers; the guest waits in vain.
        let Some(device) = device else { return };
        self.links.insert(link, (Party::Device(device), self.now));
        self.carry_on_link(Party::Device(device), link, LinkStep::Open(to.port()));
    }

    /// The guest asks by a datagram that leaves by a port of its own, which is called `link` until it is closed.
    pub fn ask(&mut self, link: u64, to: SocketAddrV4, bytes: &[u8]) {
        let next = FIRST_OWN_PORT + u16::try_from(self.own_ports.len() % 16_000).unwrap_or(0);
        let port = *self.own_ports.entry(link).or_insert(next);
        let is_there = |device: &SimDevice| device.is_listening() && device.ip().address == *to.ip();
        let hears = |device: &SimDevice| device.ports().any(|own| own == to.port());
        let all: Vec<usize> = (0..self.devices.len()).filter(|i| is_there(&self.devices[*i])).collect();
        if !all.is_empty() && !all.iter().any(|i| hears(&self.devices[*i])) {
            // Its system says that nobody listens there (ICMP, port unreachable).
            self.links.entry(link).or_insert((Party::Guest, self.now));
            self.carry_on_link(Party::Guest, link, LinkStep::Heard(LinkHeard::Refused));
        }
        for index in all.into_iter().filter(|i| hears(&self.devices[*i])).collect::<Vec<_>>() {
            let parcel = Parcel {
                to: Party::Device(index),
                from: SocketAddrV4::new(*self.guest.ip(), port),
                port: to.port(),
                to_everybody: false,
                bytes: bytes.to_vec(),
                frame: Vec::new(),
                link: None,
            };
            self.carry(&parcel);
        }
    }

    /// The link whose own port this is.
    pub(super) fn link_of_port(&self, port: u16) -> Option<u64> {
        self.own_ports.iter().find(|(_, own)| **own == port).map(|(link, _)| *link)
    }

    /// The guest writes on a connection.
    pub fn write(&mut self, link: u64, bytes: &[u8]) {
        if let Some((party, _)) = self.links.get(&link).copied() {
            self.carry_on_link(party, link, LinkStep::Heard(LinkHeard::Bytes(bytes.to_vec())));
        }
    }

    /// The guest closes a connection.
    pub fn close(&mut self, link: u64) {
        if let Some((party, _)) = self.links.get(&link).copied() {
            self.carry_on_link(party, link, LinkStep::Heard(LinkHeard::Closed));
        }
    }

    /// Connections lose nothing and keep their order; they only take their time.
    pub(super) fn carry_on_link(&mut self, to: Party, link: u64, step: LinkStep) {
        let arrives = self.now + self.link.latency();
        let Some((_, last)) = self.links.get_mut(&link) else { return };
        let at = arrives.max(*last + Duration::from_micros(1));
        *last = at;
        let from = SocketAddrV4::new(Ipv4Addr::UNSPECIFIED, 0);
        let parcel = Parcel {
            to,
            from,
            port: 0,
            to_everybody: false,
            bytes: Vec::new(),
            frame: Vec::new(),
            link: Some((link, step)),
        };
        self.sent += 1;
        self.under_way.push(Reverse((at, self.sent, parcel)));
    }

    pub(super) fn deliver_on_link(&mut self, at: Duration, to: Party, link: u64, step: LinkStep) -> Option<Heard> {
        let Party::Device(index) = to else {
            let LinkStep::Heard(heard) = step else { return None };
            if matches!(heard, LinkHeard::Closed | LinkHeard::Refused) {
                self.links.remove(&link);
            }
            let from = SocketAddrV4::new(Ipv4Addr::UNSPECIFIED, 0);
            let link = Some((link, heard));
            return Some(Heard { at, from, port: 0, bytes: Vec::new(), frame: Vec::new(), link });
        };
        let device = &mut self.devices[index];
        match step {
            LinkStep::Open(port) if device.link_ports().any(|own| own == port) => {
                device.opened(at, port, link);
                self.carry_on_link(Party::Guest, link, LinkStep::Heard(LinkHeard::Opened));
            }
            LinkStep::Open(_) => {
                self.carry_on_link(Party::Guest, link, LinkStep::Heard(LinkHeard::Refused));
            }
            LinkStep::Heard(LinkHeard::Bytes(bytes)) => device.heard_on(at, link, &bytes),
            LinkStep::Heard(_) => {
                device.closed(link);
                self.links.remove(&link);
            }
        }
        self.let_device_speak(index);
        None
    }
}
