//! What a packet on the wire says about whoever sent it.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::{Arp, Carries, MacAddress, Packet, WireError};

use super::{Heard, Neighbour, Vantage};
use crate::census::{Sighting, Told};

/// What a talk makes of anything that was heard: an ARP message by itself, and sightings. What cannot be read says nothing.
pub(crate) fn sightings(from_here: &Vantage, now: Duration, heard: &Heard<'_>) -> (Option<Arp>, Vec<Sighting>) {
    let one = |read: Result<Option<Sighting>, WireError>| read.ok().flatten().into_iter().collect();
    match heard {
        // Where frames are heard, every datagram is among them.
        Heard::Datagram(_) if from_here.means.frames => (None, Vec::new()),
        Heard::Datagram(heard) => {
            (None, one(Sighting::read(now, heard.seat, heard.from, heard.port, heard.bytes)))
        }
        Heard::Frame(frame) => {
            let packet = Packet::parse(frame).ok();
            let seen = packet.map_or_else(Vec::new, |packet| one(sighting(from_here, now, &packet)));
            (Arp::parse(frame).ok(), seen)
        }
        Heard::Echo { from, .. } => (None, vec![Sighting::plain(now, *from, Told::Echo)]),
        Heard::Neighbours(table) => {
            let seen = |one: &&Neighbour| one.fresh;
            let told = |one: &Neighbour| {
                let told = Sighting::plain(now, one.address, Told::Neighbour);
                Sighting { mac: Some(one.mac), ..told }
            };
            (None, table.iter().filter(seen).map(told).collect())
        }
        Heard::Packet(_) | Heard::Link(..) | Heard::Page(..) | Heard::Typed(_) => (None, Vec::new()),
    }
}

/// The sighting in a packet; `None` when it is our own or says nothing about its sender.
///
/// # Errors
/// When a message of a protocol that is listened for cannot be read.
pub(crate) fn sighting(
    from_here: &Vantage,
    at: Duration,
    packet: &Packet<'_>,
) -> Result<Option<Sighting>, WireError> {
    let from_mac = packet.link.map(|link| link.from);
    if from_mac.is_some() && from_mac == from_here.own_mac {
        return Ok(None);
    }
    // Whom a bare packet was really for is not to be seen.
    let to_everybody = packet.link.is_some_and(|link| link.to.is_group());
    let heard: Option<(Option<MacAddress>, Ipv4Addr, bool, Told)> = match &packet.carries {
        Carries::Arp(arp) => Some((Some(arp.sender_mac), arp.sender, false, Told::Arp)),
        Carries::Udp { from, to, payload } => {
            let told = Told::by_datagram(to.port(), payload)?;
            let traffic = to_everybody.then_some(Told::Traffic);
            told.or(traffic)
                .map(|told| (from_mac, *from.ip(), packet.link.is_some() && from_here.is_own(*to.ip()), told))
        }
        Carries::EchoReply { from, to, .. } => {
            from_here.is_own(*to).then_some((from_mac, *from, true, Told::Echo))
        }
        Carries::Igmp { from, message } => Some((from_mac, *from, false, Told::by_igmp(message))),
        Carries::Lldp(lldp) => {
            let address = lldp.management.unwrap_or(Ipv4Addr::UNSPECIFIED);
            Some((from_mac, address, false, Told::Lldp(Box::new(lldp.clone()))))
        }
        Carries::Other { from } | Carries::EchoRequest { from, .. } => {
            to_everybody.then_some((from_mac, *from, false, Told::Traffic))
        }
    };
    // Whoever has an address of ours with another MAC address is somebody else, and in our way.
    let is_ours = |mac: Option<MacAddress>, from: Ipv4Addr| {
        let by_mac = from_here.own_mac.is_some() && mac == from_here.own_mac;
        by_mac || (from_here.is_own(from) && (mac.is_none() || from_here.own_mac.is_none()))
    };
    let heard = heard.filter(|(mac, from, ..)| !is_ours(*mac, *from));
    Ok(heard.map(|(mac, from, to_us, told)| {
        let seat = from_here.seats.iter().position(|seat| seat.subnet.contains(from)).unwrap_or(0);
        let astray = astray(from_here, packet, from);
        Sighting { at, seat, mac, from, to_us, astray, told }
    }))
}

/// Where a datagram for everybody went, when that is no broadcast address of a subnet that the sender shares with us.
fn astray(from_here: &Vantage, packet: &Packet<'_>, from: Ipv4Addr) -> Option<Ipv4Addr> {
    let Carries::Udp { to, .. } = &packet.carries else { return None };
    let to = *to.ip();
    let to_everybody = packet.link.is_some_and(|link| link.to == MacAddress([0xff; 6]));
    let beside = &from_here.seats[from_here.seat_beside(from)?];
    let is_usual =
        to.is_broadcast() || to.is_multicast() || to == beside.subnet.broadcast() || from_here.is_own(to);
    (to_everybody && !is_usual).then_some(to)
}
