//! From where a conversation is held: what this computer is on the network, and what its system allows.

use std::net::Ipv4Addr;

use lantern_wire::{Arp, Carries, Link, MacAddress, Packet, packet};

use super::{Outgoing, Seat};
use crate::secret::Secrets;

/// What the system lets the program do.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Means {
    /// Hear and send Ethernet frames.
    pub frames: bool,
    /// Send echo requests.
    pub echo: bool,
    /// Read the table of neighbours.
    pub neighbours: bool,
}

/// From where a conversation is held.
#[derive(Debug, Clone, Default)]
pub struct Vantage {
    /// Where this computer sits, on the adapter of the conversation.
    pub seats: Vec<Seat>,
    /// This computer's own MAC address on the adapter.
    pub own_mac: Option<MacAddress>,
    /// The gateways of the adapter.
    pub gateways: Vec<Ipv4Addr>,
    /// What the system lets the program do.
    pub means: Means,
    /// Tells this conversation's questions from others'.
    pub mark: u16,
    /// The passwords that are kept here.
    pub secrets: Secrets,
}

impl Vantage {
    /// From these seats, with sockets only.
    #[must_use]
    pub fn of_seats(seats: Vec<Seat>) -> Self {
        Self { seats, ..Self::default() }
    }

    /// Whether this is an address of this computer.
    #[must_use]
    pub fn is_own(&self, address: Ipv4Addr) -> bool {
        self.seats.iter().any(|seat| seat.own == address)
    }

    /// The MAC address to send frames from, where frames can be sent.
    #[must_use]
    pub fn frames_from(&self) -> Option<MacAddress> {
        self.own_mac.filter(|_| self.means.frames)
    }

    /// Whether the conversation takes place on simulated nodes on loopback, where there are no frames, and the system
    /// itself answers every echo.
    #[must_use]
    pub fn is_on_loopback(&self) -> bool {
        self.seats.iter().any(|seat| seat.own.is_loopback())
    }

    /// The seat in the subnet of `address`.
    #[must_use]
    pub fn seat_beside(&self, address: Ipv4Addr) -> Option<usize> {
        Seat::beside(&self.seats, address)
    }

    /// Asks by ARP who has an address; whoever sits in another subnet is asked without claiming an address there. `None` where
    /// there are no frames.
    #[must_use]
    pub(crate) fn who_has(&self, address: Ipv4Addr) -> Option<Outgoing> {
        let seat = self.seat_beside(address).and_then(|seat| self.seats.get(seat));
        let sender = seat.map_or(Ipv4Addr::UNSPECIFIED, |seat| seat.own);
        Some(Outgoing::Frame(Arp { sender, ..Arp::probe(self.frames_from()?, address) }.to_bytes()))
    }

    /// Asks for an echo: through a socket, or by a frame to whoever has the address. `None` where neither can be done.
    #[must_use]
    pub(crate) fn echo(&self, to: Ipv4Addr, holder: Option<MacAddress>, number: u16) -> Option<Outgoing> {
        let seat = self.seat_beside(to).unwrap_or(0);
        if self.means.echo {
            return Some(Outgoing::Echo { seat, to, number });
        }
        let link = Link { from: self.frames_from()?, to: holder? };
        Some(Outgoing::Frame(packet::echo_request(link, self.seats.get(seat)?.own, to, self.mark, number)))
    }

    /// Whom a frame of ours asks for an echo, and which one.
    pub(crate) fn echo_question(frame: &[u8]) -> Option<(Ipv4Addr, u16)> {
        match Packet::parse(frame) {
            Ok(Packet { carries: Carries::EchoRequest { to, number, .. }, .. }) => Some((to, number)),
            _ => None,
        }
    }

    /// Who answers an echo that was asked for by a frame: its MAC address, its address, and the number of the question.
    #[must_use]
    pub(crate) fn echo_answer(&self, packet: &Packet<'_>) -> Option<(Option<MacAddress>, Ipv4Addr, u16)> {
        let Packet { link, carries: Carries::EchoReply { from, to, mark, number } } = *packet else { return None };
        // Answers to our sockets' echoes come as such.
        let is_to_us = !self.means.echo && mark == self.mark && self.is_own(to);
        is_to_us.then_some((link.map(|link| link.from), from, number))
    }
}
