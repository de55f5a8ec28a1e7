//! Conversations with the network, as state machines without I/O.
//!
//! A driver owns the sockets and the clock. It asks a conversation what to send and when to wake, hands in what
//! was heard, and takes the events out:
//!
//! 1. [`Conversation::next_event`] until it is `None` (a step is told before it is sent, so that it can be written
//!    down first), then [`Conversation::next_send`] until it is `None`;
//! 2. wait for a datagram or until [`Conversation::wake_at`];
//! 3. [`Conversation::hear`] or [`Conversation::wake`], and again from 1.
//!
//! When [`Conversation::wake_at`] is `None`, the conversation is over. The same conversation runs against real
//! sockets and against simulated nodes under a virtual clock.

mod alter;
mod claim;
mod lease;
mod outbox;
mod survey;

use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use crate::address::Subnet;

pub use alter::{Alter, AlterEvent, Outcome};
pub use claim::{Claim, Duplicate, Taken};
pub use lease::{Lease, LeaseEnd, Leased};
pub use survey::{Progress, Survey, SurveyEvent, SurveyPlan};

/// One side of a talk with the network. `now` is always the time since it began.
pub trait Conversation {
    /// What it tells while it runs.
    type Event;
    /// What it hears: datagrams or frames.
    type Heard<'a>;
    /// What it sends.
    type Outgoing;

    /// Takes in what was heard.
    fn hear(&mut self, now: Duration, heard: &Self::Heard<'_>);

    /// The next thing to send; call until `None` after every other call.
    fn next_send(&mut self) -> Option<Self::Outgoing>;

    /// When to call [`Conversation::wake`] next; `None` when the conversation is over.
    fn wake_at(&self) -> Option<Duration>;

    /// Time has passed.
    fn wake(&mut self, now: Duration);

    /// The next thing to tell; call until `None` after every other call.
    fn next_event(&mut self) -> Option<Self::Event>;
}

/// An address of this computer as a conversation sees it: where it sits on the network.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Seat {
    /// This computer's own address there.
    pub own: Ipv4Addr,
    /// The subnet around it.
    pub subnet: Subnet,
    /// Whether 255.255.255.255 reaches the wire from here. On loopback it would reach every other ground.
    pub limited_broadcast: bool,
}

/// A datagram that came in.
#[derive(Debug, Clone, Copy)]
pub struct Heard<'a> {
    /// Through which seat.
    pub seat: usize,
    /// Who sent it.
    pub from: SocketAddrV4,
    /// Its payload.
    pub bytes: &'a [u8],
}

/// A datagram to send.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Outgoing {
    /// Through which seat.
    pub seat: usize,
    /// To whom.
    pub to: SocketAddrV4,
    /// Its payload.
    pub bytes: Vec<u8>,
}
