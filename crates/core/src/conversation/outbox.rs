//! Datagrams waiting to be sent.

use std::collections::VecDeque;
use std::net::{Ipv4Addr, SocketAddrV4};

use lantern_wire::art_net::{PORT, Poll, PollFlags, PollTarget};

use super::{Outgoing, Seat};

/// What a conversation has to send, through which seats.
#[derive(Debug)]
pub(super) struct Outbox {
    seats: Vec<Seat>,
    waiting: VecDeque<Outgoing>,
}

impl Outbox {
    pub(super) fn new(seats: Vec<Seat>) -> Self {
        Self { seats, waiting: VecDeque::new() }
    }

    pub(super) fn next(&mut self) -> Option<Outgoing> {
        self.waiting.pop_front()
    }

    /// Sends to one node: from the seat in its subnet, or where there is none from the one that `heard` it.
    pub(super) fn send(&mut self, heard: usize, to: Ipv4Addr, bytes: Vec<u8>) {
        let seat = self.seat_beside(to).unwrap_or(heard);
        self.send_from(seat, to, bytes);
    }

    fn send_from(&mut self, seat: usize, to: Ipv4Addr, bytes: Vec<u8>) {
        self.waiting.push_back(Outgoing { seat, to: SocketAddrV4::new(to, PORT), bytes });
    }

    fn seat_beside(&self, address: Ipv4Addr) -> Option<usize> {
        self.seats.iter().position(|seat| seat.subnet.contains(address))
    }

    /// Whether a datagram to `address` would reach it from one of the seats without a router.
    pub(super) fn reaches(&self, address: Ipv4Addr) -> bool {
        self.seat_beside(address).is_some()
    }

    /// Polls everybody on every seat: by the directed broadcast, which is enough for nodes in our subnet, and by
    /// the limited one, which is the only way to nodes in another.
    pub(super) fn poll_everybody(&mut self) {
        for index in 0..self.seats.len() {
            let seat = self.seats[index];
            self.send_from(index, seat.subnet.broadcast(), poll());
            if seat.limited_broadcast {
                self.send_from(index, Ipv4Addr::BROADCAST, poll());
            }
        }
    }

    /// Polls one node.
    pub(super) fn poll(&mut self, heard: usize, address: Ipv4Addr) {
        self.send(heard, address, poll());
    }
}

/// The poll we send. It asks for replies on change as desks do: a node remembers only the latest wish, and a desk
/// that relies on being told must not lose that by our asking.
fn poll() -> Vec<u8> {
    let whole = PollTarget { top: 0x7fff, bottom: 0, esta: 0, oem: 0 };
    Poll { flags: PollFlags::REPLY_ON_CHANGE, priority: 0, target: Some(whole) }.to_bytes()
}
