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
    is_paced: bool,
    pace: Pace,
    waiting: VecDeque<Outgoing>,
    ready: VecDeque<Outgoing>,
}

impl Outbox {
    /// An outbox for a talk with one device, which waits for its answers anyway.
    pub(super) fn new(seats: Vec<Seat>) -> Self {
        Self { is_paced: false, ..Self::with_pace(seats, Pace::USUAL) }
    }

    pub(super) fn with_pace(seats: Vec<Seat>, per_second: u32) -> Self {
        let pace = Pace::new(per_second);
        Self { seats, is_paced: true, pace, waiting: VecDeque::new(), ready: VecDeque::new() }
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
        if !self.is_paced {
            self.ready.push_back(outgoing);
        } else if self.waiting.len() < MOST_WAITING {
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
        self.seats.iter().position(|seat| seat.subnet.contains(address))
    }

    /// Whether a datagram to `address` would reach it from one of the seats without a router.
    pub(super) fn reaches(&self, address: Ipv4Addr) -> bool {
        self.seat_beside(address).is_some()
    }

    /// Polls everybody on every seat: by the directed broadcast, which is enough for nodes in our subnet, and by
    /// the limited one, which is the only way to nodes in another.
    pub(super) fn poll_everybody(&mut self) {
        for seat in 0..self.seats.len() {
            let Seat { subnet, limited_broadcast, .. } = self.seats[seat];
            let everybody = limited_broadcast.then_some(Ipv4Addr::BROADCAST);
            for to in std::iter::once(subnet.broadcast()).chain(everybody) {
                self.send_now(Outgoing::Datagram { seat, to: SocketAddrV4::new(to, PORT), bytes: poll() });
            }
        }
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
fn poll() -> Vec<u8> {
    let whole = PollTarget { top: 0x7fff, bottom: 0, esta: 0, oem: 0 };
    Poll { flags: PollFlags::REPLY_ON_CHANGE, priority: 0, target: Some(whole) }.to_bytes()
}
