//! Things waiting to be sent.

use std::collections::VecDeque;
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::art_net::{PORT, Poll, PollFlags, PollTarget};

use super::pace::Pace;
use super::{Outgoing, Seat};

/// The most things that wait for their turn; whoever asks repeats what was dropped.
const MOST_WAITING: usize = 4096;

/// What a conversation has to send, through which seats. What goes to everybody leaves at once, what goes to one
/// device at the pace.
#[derive(Debug)]
pub(super) struct Outbox {
    seats: Vec<Seat>,
    pace: Pace,
    waiting: VecDeque<Outgoing>,
    ready: VecDeque<Outgoing>,
}

impl Outbox {
    pub(super) fn with_pace(seats: Vec<Seat>, per_second: u32) -> Self {
        let pace = Pace::new(per_second);
        Self { seats, pace, waiting: VecDeque::new(), ready: VecDeque::new() }
    }

    pub(super) fn next(&mut self) -> Option<Outgoing> {
        self.ready.pop_front()
    }

    /// Lets pass what may leave by now.
    pub(super) fn release(&mut self, now: Duration) {
        while !self.waiting.is_empty() && self.pace.lets_pass(now) {
            self.ready.extend(self.waiting.pop_front());
        }
    }

    /// Whether something that would leave right now may.
    pub(super) fn has_room(&mut self, now: Duration) -> bool {
        self.waiting.is_empty() && self.pace.lets_pass(now)
    }

    /// When to release again.
    pub(super) fn release_at(&self) -> Option<Duration> {
        (!self.waiting.is_empty()).then(|| self.pace.next())
    }

    pub(super) const fn pace(&self) -> &Pace {
        &self.pace
    }

    /// Sends at once.
    pub(super) fn send_now(&mut self, outgoing: Outgoing) {
        self.ready.push_back(outgoing);
    }

    /// Sends when the pace allows it.
    pub(super) fn send_in_turn(&mut self, outgoing: Outgoing) {
        if self.waiting.len() < MOST_WAITING {
            self.waiting.push_back(outgoing);
        }
    }

    /// Sends to the Art-Net port of one node: from the seat in its subnet, or where there is none from the one that
    /// `heard` it.
    pub(super) fn send(&mut self, heard: usize, to: Ipv4Addr, bytes: Vec<u8>) {
        let seat = self.seat_beside(to).unwrap_or(heard);
        self.send_in_turn(Outgoing::Datagram { seat, to: SocketAddrV4::new(to, PORT), bytes });
    }

    pub(super) fn seat_beside(&self, address: Ipv4Addr) -> Option<usize> {
        Seat::beside(&self.seats, address)
    }

    /// Whether a datagram to `address` would reach it from one of the seats without a router.
    pub(super) fn reaches(&self, address: Ipv4Addr) -> bool {
        self.seat_beside(address).is_some()
    }

    /// Polls everybody in the subnet of this seat, by its directed broadcast.
    pub(super) fn poll_seat(&mut self, seat: usize) {
        if let Some(Seat { subnet, .. }) = self.seats.get(seat).copied() {
            self.broadcast(seat, subnet.broadcast());
        }
    }

    /// Polls everybody on the wire of this seat, by the limited broadcast: the only way to nodes in other subnets.
    pub(super) fn poll_limited(&mut self, seat: usize) {
        if self.seats.get(seat).is_some_and(|seat| seat.limited_broadcast) {
            self.broadcast(seat, Ipv4Addr::BROADCAST);
        }
    }

    /// Polls everybody on every seat; with `limited` those in other subnets too.
    pub(super) fn poll_everybody(&mut self, limited: bool) {
        for seat in 0..self.seats.len() {
            self.poll_seat(seat);
            if limited {
                self.poll_limited(seat);
            }
        }
    }

    fn broadcast(&mut self, seat: usize, to: Ipv4Addr) {
        self.send_now(Outgoing::Datagram { seat, to: SocketAddrV4::new(to, PORT), bytes: poll() });
    }

    /// Any datagram makes the system look for an address; this one an Art-Net node even answers.
    pub(super) fn knocking(&self, address: Ipv4Addr) -> Outgoing {
        Outgoing::Knock { to: SocketAddrV4::new(address, PORT), bytes: poll() }
    }

    /// Polls one node.
    pub(super) fn poll(&mut self, heard: usize, address: Ipv4Addr) {
        self.send(heard, address, poll());
    }
}

/// The poll we send. It asks for replies on change as desks do: a node remembers only the latest wish, and a desk
/// that relies on being told must not lose that by our asking.
pub(super) fn poll() -> Vec<u8> {
    let whole = PollTarget { top: 0x7fff, bottom: 0, esta: 0, oem: 0 };
    Poll { flags: PollFlags::REPLY_ON_CHANGE, priority: 0, target: Some(whole) }.to_bytes()
}
