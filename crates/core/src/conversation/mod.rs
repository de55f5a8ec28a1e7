//! Conversations with the network, as state machines without I/O.
//!
//! A driver owns the sockets and the clock. It asks a conversation what to send and when to wake, hands in what
//! was heard, and takes the events out:
//!
//! 1. [`Conversation::next_event`] until it is `None` (a step is told before it is sent, so that it can be written
//!    down first), then [`Conversation::next_send`] until it is `None`;
//! 2. wait for something to hear or until [`Conversation::wake_at`];
//! 3. [`Conversation::hear`] or [`Conversation::wake`], and again from 1.
//!
//! When [`Conversation::wake_at`] is `None`, the conversation is over. The same conversation runs against real
//! sockets and against simulated nodes under a virtual clock.

mod alter;
mod apply;
mod arrivals;
mod claim;
mod course;
mod deadlines;
mod doubt;
mod flowing;
mod http;
mod leasing;
mod levels;
mod link;
mod listen;
mod outbox;
mod pace;
mod probe;
mod reach;
mod retries;
mod saying;
mod schedule;
#[cfg(test)]
mod script;
mod self_test;
mod survey;
mod take_lease;
mod talk;
mod telling;
mod upload;
mod vantage;
mod watch;

use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::MacAddress;

pub use crate::address::Seat;
pub use alter::Alter;
pub use apply::{Apply, ApplyEvent, ApplyNews, HowFar, Made, Manner};
pub use arrivals::{Arrival, ArrivalKind, Arrivals};
pub use claim::{Claim, Duplicate, Taken};
pub use flowing::{FlowOf, Flowing};
pub use http::{MOST_BODY, Request, Response};
pub use leasing::{LeaseNews, Leasing, LeasingStage, Stranger};
pub use levels::{Listening, Release, TryEvent, TryPlan, Trying};
pub use link::{LinkEnd, LinkId, LinkNews};
pub use probe::AskedBy;
pub use reach::{Answers, Hold, Reach, Reached};
pub use saying::{SayEvent, SayLine, SayPlan, SayResult, Saying};
pub use self_test::{OwnVoice, SelfTest};
pub use survey::{
    Concern, Depth, Extent, Glimpse, OnCables, Progress, Rediscovery, Survey, SurveyEvent, SurveyPlan, ports_of,
};
pub use take_lease::{LeaseEnd, Leased, TakeLease};
pub use talk::{Other, Outcome, Shift, Talk, TalkEvent};
pub use telling::{Telling, TellingEvent, TellingStep};
pub use vantage::{Means, Vantage};
pub use watch::{Watch, WatchPlan};

pub(crate) use course::{Ahead, Course, Following, Judged, Write};
pub(crate) use deadlines::Deadlines;
pub(crate) use doubt::{Doubt, Ruling};
pub(crate) use listen::sightings;
pub(crate) use probe::Probe;
pub(crate) use retries::Retries;
pub(crate) use talk::{Nothing, shifts, verdict};
pub(crate) use upload::Upload;

/// One side of a talk with the network. `now` is always the time since it began.
pub trait Conversation {
    /// What it tells while it runs.
    type Event;

    /// Takes in what was heard.
    fn hear(&mut self, now: Duration, heard: &Heard<'_>);

    /// The next thing to send or to do; call until `None` after every other call.
    fn next_send(&mut self) -> Option<Outgoing>;

    /// When to call [`Conversation::wake`] next; `None` when the conversation is over.
    fn wake_at(&self) -> Option<Duration>;

    /// Time has passed.
    fn wake(&mut self, now: Duration);

    /// The next thing to tell; call until `None` after every other call.
    fn next_event(&mut self) -> Option<Self::Event>;
}

impl<C: Conversation + ?Sized> Conversation for Box<C> {
    type Event = C::Event;

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        (**self).hear(now, heard);
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        (**self).next_send()
    }

    fn wake_at(&self) -> Option<Duration> {
        (**self).wake_at()
    }

    fn wake(&mut self, now: Duration) {
        (**self).wake(now);
    }

    fn next_event(&mut self) -> Option<C::Event> {
        (**self).next_event()
    }
}

/// Something that came in.
#[derive(Debug, Clone, Copy)]
pub enum Heard<'a> {
    /// A datagram, through a socket.
    Datagram(Datagram<'a>),
    /// An Ethernet frame, as it passed the adapter; also what this computer itself sends.
    Frame(&'a [u8]),
    /// An IP packet without its frame, from a file.
    Packet(&'a [u8]),
    /// Somebody answered an echo request.
    Echo {
        /// Who.
        from: Ipv4Addr,
        /// Which one.
        number: u16,
    },
    /// The system's table of neighbours.
    Neighbours(&'a [Neighbour]),
    /// Something became of a link.
    Link(LinkId, LinkNews<'a>),
    /// A web server answered, or did not.
    Page(LinkId, Result<&'a Response, LinkEnd>),
    /// A person at this computer typed a line; `None` when that one types no more.
    Typed(Option<&'a str>),
}

/// An entry of the system's table of neighbours.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Neighbour {
    /// The address.
    pub address: Ipv4Addr,
    /// The MAC address the system has found for it.
    pub mac: MacAddress,
    /// Whether the system has made sure of it lately.
    pub fresh: bool,
}

/// A datagram that came in.
#[derive(Debug, Clone, Copy)]
pub struct Datagram<'a> {
    /// Through which seat.
    pub seat: usize,
    /// Who sent it.
    pub from: SocketAddrV4,
    /// The port of ours it came to.
    pub port: u16,
    /// Its payload.
    pub bytes: &'a [u8],
}

/// Something to send, or to have done.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Outgoing {
    /// A datagram. It leaves by the socket whose port is the one it goes to.
    Datagram {
        /// Through which seat.
        seat: usize,
        /// To whom.
        to: SocketAddrV4,
        /// Its payload.
        bytes: Vec<u8>,
    },
    /// An Ethernet frame.
    Frame(Vec<u8>),
    /// An echo request.
    Echo {
        /// From which seat.
        seat: usize,
        /// To whom.
        to: Ipv4Addr,
        /// Which one, as the answer will say.
        number: u16,
    },
    /// A datagram that only makes the system look for an address: nobody need hear it.
    Knock {
        /// To whom.
        to: SocketAddrV4,
        /// Its payload.
        bytes: Vec<u8>,
    },
    /// Tell the system's table of neighbours.
    Neighbours,
    /// Open a connection over TCP.
    Open {
        /// What it will be called.
        link: LinkId,
        /// To whom.
        to: SocketAddrV4,
    },
    /// A datagram that leaves by a port of its own, the same for all of one link until that is closed. What comes back there, and
    /// from nobody else, comes on the link, each datagram by itself.
    Ask {
        /// What its answers will be called.
        link: LinkId,
        /// To whom.
        to: SocketAddrV4,
        /// Its payload.
        bytes: Vec<u8>,
    },
    /// Write on a connection; nothing where it is over.
    Write {
        /// On which one.
        link: LinkId,
        /// What.
        bytes: Vec<u8>,
    },
    /// Close a connection. Nothing more is heard of it.
    Close {
        /// Which one.
        link: LinkId,
    },
    /// Ask a web server.
    Fetch {
        /// What the answer will be called.
        link: LinkId,
        /// For what.
        request: Request,
    },
    /// Listen to a group.
    Join {
        /// On which seat.
        seat: usize,
        /// The group.
        group: Ipv4Addr,
        /// The port whose socket shall hear it.
        port: u16,
    },
}

impl Outgoing {
    /// Listening to a group on each of so many seats.
    pub(crate) fn join(seats: usize, group: Ipv4Addr, port: u16) -> impl Iterator<Item = Self> {
        (0..seats).map(move |seat| Self::Join { seat, group, port })
    }

    /// The datagram that is sent, where it is one.
    #[must_use]
    pub fn as_datagram(&self) -> Option<(usize, SocketAddrV4, &[u8])> {
        match self {
            Self::Datagram { seat, to, bytes } => Some((*seat, *to, bytes)),
            _ => None,
        }
    }
}
