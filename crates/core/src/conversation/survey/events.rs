//! What a survey tells while it runs.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;

use crate::Said;
use crate::census::{Sighting, Way};

/// What a survey tells while it runs.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum SurveyEvent {
    /// Everybody was polled.
    Asked {
        /// For the how-manieth time, from 1.
        nth: u32,
        /// Whether those in other subnets were too.
        limited: bool,
    },
    /// An Art-Net node answered for the first time; its index in the census.
    Found(usize),
    /// Somebody was seen for the first time.
    Seen(Glimpse),
    /// Somebody who was seen before was away for so long, and is heard again; in a survey without an end.
    Back(Glimpse, Duration),
}

/// The first that was seen of somebody.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Glimpse {
    /// When.
    pub at: Duration,
    /// Its MAC address, where that was seen.
    pub mac: Option<MacAddress>,
    /// Its address; all zero when it has none.
    pub address: Ipv4Addr,
    /// How.
    pub way: Way,
    /// Its name, when it told it at once.
    pub name: Said,
}

/// How far a survey is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Progress {
    /// Art-Net nodes found so far.
    pub found: usize,
    /// Devices of any family seen so far.
    pub seen: usize,
    /// Addresses asked one by one, and to be asked at most.
    pub swept: (u64, u64),
    /// Units behind gateways that were read, of those that were found.
    pub read: (usize, usize),
    /// Longest time it can still take; `None` when it has no end.
    pub left: Option<Duration>,
}

impl Glimpse {
    pub(super) fn of(sighting: &Sighting) -> Self {
        let (mac, address) = sighting.holder();
        Self { at: sighting.at, mac, address, way: sighting.told.way(), name: sighting.name() }
    }
}
