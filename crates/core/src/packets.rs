//! Packets to be written into a capture file where no frames are to be had: as they were on the wire, as far as that
//! is known.

use std::net::{Ipv4Addr, SocketAddrV4};

use lantern_wire::{Arp, Carries, MacAddress, Packet, UdpFrame, packet, snmp};

use crate::conversation::Neighbour;

/// A datagram as an IP packet; `None` when it is longer than a datagram can be.
#[must_use]
pub fn datagram(from: SocketAddrV4, to: SocketAddrV4, bytes: &[u8]) -> Option<Vec<u8>> {
    packet::udp_packet(from, to, bytes)
}

/// A datagram as an Ethernet frame, where it cannot leave by a socket; `None` when it is longer than a datagram can be.
#[must_use]
pub fn frame(
    (from_mac, from): (MacAddress, SocketAddrV4),
    (to_mac, to): (MacAddress, SocketAddrV4),
    payload: &[u8],
) -> Option<Vec<u8>> {
    UdpFrame { from_mac, to_mac, from, to, payload }.to_bytes()
}

/// Who has which address, as far as this frame tells.
#[must_use]
pub fn speaker(frame: &[u8]) -> Option<(Ipv4Addr, MacAddress)> {
    if let Ok(arp) = Arp::parse(frame) {
        return Some((arp.sender, arp.sender_mac));
    }
    let packet = Packet::parse(frame).ok()?;
    match (packet.link, packet.carries) {
        (Some(link), Carries::Udp { from, .. }) => Some((*from.ip(), link.from)),
        _ => None,
    }
}

/// The question who has an address, asked by us (RFC 826).
#[must_use]
pub fn who_has((own_mac, own): (MacAddress, Ipv4Addr), address: Ipv4Addr) -> Vec<u8> {
    Arp { sender: own, ..Arp::probe(own_mac, address) }.to_bytes()
}

/// An echo request as an IP packet.
#[must_use]
pub fn echo_request(from: Ipv4Addr, to: Ipv4Addr, number: u16) -> Vec<u8> {
    packet::echo_packet(true, from, to, 0, number)
}

/// An answer to an echo request as an IP packet.
#[must_use]
pub fn echo_reply(from: Ipv4Addr, to: Ipv4Addr, number: u16) -> Vec<u8> {
    packet::echo_packet(false, from, to, 0, number)
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

/// Whether an Ethernet frame may carry a password of somebody whom `is_own` knows: it belongs to a connection over TCP, or to a
/// question by SNMP.
#[must_use]
pub fn is_of_connection(frame: &[u8], is_own: impl Fn(Ipv4Addr) -> bool) -> bool {
    const IPV4: [u8; 2] = [0x08, 0x00];
    const TCP: u8 = 6;
    const UDP: u8 = 17;
    let Some(head) = frame.get(12..34).filter(|head| head[..2] == IPV4) else { return false };
    let ports = 14 + 4 * usize::from(head[2] & 15);
    let is_snmp = || {
        let ports = frame.get(ports..ports + 4).unwrap_or_default();
        ports.chunks(2).any(|port| port == snmp::PORT.to_be_bytes())
    };
    if head[11] != TCP && !(head[11] == UDP && is_snmp()) {
        return false;
    }
    let address = |at: usize| Ipv4Addr::new(head[at], head[at + 1], head[at + 2], head[at + 3]);
    is_own(address(14)) || is_own(address(18))
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    const OWN: Ipv4Addr = Ipv4Addr::new(10, 40, 0, 7);
    const OTHER: Ipv4Addr = Ipv4Addr::new(10, 40, 8, 1);
    const THIRD: Ipv4Addr = Ipv4Addr::new(10, 40, 8, 2);
    const MAC: MacAddress = MacAddress([2, 0, 0, 0, 0, 1]);

    /// What may carry a password of ours is not written down; what others say to each other is.
    #[rstest]
    #[case::asked((OWN, 50_000), (OTHER, 161), true)]
    #[case::answered((OTHER, 161), (OWN, 50_000), true)]
    #[case::of_others((THIRD, 50_000), (OTHER, 161), false)]
    #[case::art_net((OWN, 6454), (OTHER, 6454), false)]
    fn questions_by_snmp_are_left_out(
        #[case] from: (Ipv4Addr, u16),
        #[case] to: (Ipv4Addr, u16),
        #[case] left_out: bool,
    ) {
        let at = |(address, port)| SocketAddrV4::new(address, port);
        let frame = frame((MAC, at(from)), (MAC, at(to)), b"stagedoor").unwrap();
        assert_eq!(is_of_connection(&frame, |address| address == OWN), left_out);
        assert!((0..38).all(|length| !is_of_connection(&frame[..length], |address| address == OWN)));
    }

    #[test]
    fn connections_of_ours_are_left_out() {
        let at = |address| SocketAddrV4::new(address, 4352);
        let mut frame = frame((MAC, at(OWN)), (MAC, at(OTHER)), b"x").unwrap();
        frame[23] = 6;
        assert!(is_of_connection(&frame, |address| address == OWN));
        assert!(!is_of_connection(&frame, |address| address == THIRD));
    }
}
