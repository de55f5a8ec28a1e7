//! Packets to be written into a capture file where no frames are to be had: as they were on the wire, as far as that
//! is known.

use std::net::{Ipv4Addr, SocketAddrV4};

use lantern_wire::{Arp, packet};

use crate::conversation::Neighbour;

/// A datagram as an IP packet; `None` when it is longer than a datagram can be.
#[must_use]
pub fn datagram(from: SocketAddrV4, to: SocketAddrV4, bytes: &[u8]) -> Option<Vec<u8>> {
    packet::udp_packet(from, to, bytes)
}

/// An echo request as an IP packet.
#[must_use]
pub fn echo_request(from: Ipv4Addr, to: Ipv4Addr) -> Vec<u8> {
    packet::echo_packet(true, from, to, 0)
}

/// An answer to an echo request as an IP packet.
#[must_use]
pub fn echo_reply(from: Ipv4Addr, to: Ipv4Addr) -> Vec<u8> {
    packet::echo_packet(false, from, to, 0)
}

/// What the system knows of a neighbour, as the ARP message that may have told it.
#[must_use]
pub fn neighbour(neighbour: &Neighbour) -> Vec<u8> {
    Arp::announcement(neighbour.mac, neighbour.address).to_bytes()
}

/// The neighbour in such a message; `None` when it is another.
#[must_use]
pub fn read_neighbour(frame: &[u8], fresh: bool) -> Option<Neighbour> {
    let arp = Arp::parse(frame).ok()?;
    Some(Neighbour { address: arp.sender, mac: arp.sender_mac, fresh })
}
