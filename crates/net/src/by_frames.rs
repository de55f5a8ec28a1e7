//! Datagrams sent as frames, where their port is not to be had: who is at which MAC address has to be known by ourselves.

use std::collections::{HashMap, VecDeque};
use std::io;
use std::net::{Ipv4Addr, SocketAddrV4};

use lantern_core::{MacAddress, packets};

use crate::Station;

/// The most addresses remembered.
const MOST_KNOWN: usize = 4096;
/// The most datagrams that wait until it is known where they go.
const MOST_WAITING: usize = 256;

#[derive(Default)]
pub(crate) struct ByFrames {
    macs: HashMap<Ipv4Addr, MacAddress>,
    waiting: VecDeque<Waiting>,
}

struct Waiting {
    from: SocketAddrV4,
    to: SocketAddrV4,
    payload: Vec<u8>,
}

impl ByFrames {
    /// Takes from a frame who speaks, and sends what waited for that one.
    pub(crate) fn learn(&mut self, station: &Station, frame: &[u8]) {
        if !station.speaks_by_frames() {
            return;
        }
        let Some((address, mac)) = packets::speaker(frame) else { return };
        if self.macs.len() < MOST_KNOWN || self.macs.contains_key(&address) {
            self.macs.insert(address, mac);
        }
        for _ in 0..self.waiting.len() {
            let Some(one) = self.waiting.pop_front() else { break };
            if *one.to.ip() == address {
                // What is refused is lost, as on the wire: the conversation asks again.
                send_to(station, mac, &one).unwrap_or(());
            } else {
                self.waiting.push_back(one);
            }
        }
    }

    /// Sends a datagram as a frame, once it is known where to: that is asked for by ARP (RFC 826). `None` where no frames can be
    /// sent.
    pub(crate) fn send(&mut self, station: &Station, to: SocketAddrV4, payload: &[u8]) -> Option<io::Result<()>> {
        let own_mac = station.own_mac.filter(|_| station.speaks_by_frames())?;
        let seat = station.seats.get(station.seat_of(*to.ip()))?;
        let one = Waiting { from: SocketAddrV4::new(seat.own, to.port()), to, payload: payload.to_vec() };
        let to_everybody =
            to.ip().is_broadcast() || station.seats.iter().any(|s| s.subnet.broadcast() == *to.ip());
        let to_mac = if to_everybody {
            Some(MacAddress([0xff; 6]))
        } else if to.ip().is_multicast() {
            Some(MacAddress::of_group(*to.ip()))
        } else {
            self.macs.get(to.ip()).copied()
        };
        if let Some(to_mac) = to_mac {
            return Some(send_to(station, to_mac, &one));
        }
        if self.waiting.len() >= MOST_WAITING {
            self.waiting.pop_front();
        }
        let question = packets::who_has((own_mac, *one.from.ip()), *to.ip());
        self.waiting.push_back(one);
        Some(station.tap.as_ref().map_or(Ok(()), |tap| tap.send(&question)))
    }
}

fn send_to(station: &Station, to_mac: MacAddress, one: &Waiting) -> io::Result<()> {
    let frame = station.own_mac.and_then(|own| packets::frame((own, one.from), (to_mac, one.to), &one.payload));
    let frame = frame.ok_or(io::ErrorKind::InvalidInput)?;
    station.tap.as_ref().map_or(Ok(()), |tap| tap.send(&frame))
}
