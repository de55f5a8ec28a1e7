//! One piece of evidence: this was heard, there, then.

use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::WireError;
use lantern_wire::art_net::{IpProgReply, Message, PollReply};

/// Something a node told about itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Sighting {
    /// When, since the conversation began.
    pub at: Duration,
    /// Through which of the conversation's seats.
    pub seat: usize,
    /// The address it was sent from.
    pub from: Ipv4Addr,
    /// What was told.
    pub told: Told,
}

/// What a node told.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Told {
    /// An ArtPollReply.
    PollReply(Box<PollReply>),
    /// An ArtIpProgReply.
    IpSettings(IpProgReply),
}

impl Sighting {
    /// The sighting in a datagram; `None` when it is a message that says nothing about its sender.
    ///
    /// # Errors
    /// When the datagram cannot be read.
    pub fn read(at: Duration, seat: usize, from: SocketAddrV4, bytes: &[u8]) -> Result<Option<Self>, WireError> {
        let told = match Message::parse(bytes)? {
            Message::PollReply(reply) => Told::PollReply(reply),
            Message::IpProgReply(reply) => Told::IpSettings(reply),
            _ => return Ok(None),
        };
        Ok(Some(Self { at, seat, from: *from.ip(), told }))
    }
}
