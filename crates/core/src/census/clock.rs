//! Clocks that announce themselves, each as a grandmaster that is followed in a domain.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::ptp::{Announce, ClockIdentity};
use serde::{Deserialize, Serialize};

use crate::as_text;

/// A grandmaster, as one clock announces it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Clock {
    /// The domain.
    pub domain: u8,
    /// The grandmaster.
    #[serde(with = "as_text")]
    pub grandmaster: ClockIdentity,
    /// Who announces it: itself, or a clock between.
    #[serde(with = "as_text")]
    pub announced_by: ClockIdentity,
    /// The address it was announced from.
    pub address: Ipv4Addr,
    /// The MAC address it was announced from, where frames are seen.
    #[serde(with = "as_text::option")]
    pub mac: Option<MacAddress>,
    /// What decides first which clock leads: the lowest does.
    pub priority1: u8,
    /// How good its time is (IEEE 1588-2008, section 7.6.2.4).
    pub class: u8,
    /// What decides among equals.
    pub priority2: u8,
    /// How many clocks stand between.
    pub steps: u16,
    /// Where its time comes from (section 7.6.2.6).
    pub time_source: u8,
    /// When it was first announced so.
    #[serde(rename = "first_ms", with = "crate::as_millis")]
    pub first: Duration,
    /// When it was last announced so.
    #[serde(rename = "last_ms", with = "crate::as_millis")]
    pub last: Duration,
}

impl Clock {
    pub(crate) const fn of(at: Duration, from: (Ipv4Addr, Option<MacAddress>), announce: &Announce) -> Self {
        Self {
            domain: announce.domain,
            grandmaster: announce.grandmaster,
            announced_by: announce.source,
            address: from.0,
            mac: from.1,
            priority1: announce.priority1,
            class: announce.class,
            priority2: announce.priority2,
            steps: announce.steps,
            time_source: announce.time_source,
            first: at,
            last: at,
        }
    }

    /// Whether the same clock announces the same grandmaster.
    #[must_use]
    pub fn is_as(&self, other: &Self) -> bool {
        let key = |clock: &Self| (clock.domain, clock.grandmaster, clock.announced_by, clock.mac);
        key(self) == key(other)
    }

    /// Whether it announces itself.
    #[must_use]
    pub fn is_grandmaster(&self) -> bool {
        self.steps == 0 && self.grandmaster == self.announced_by
    }

    /// Whether both were announced during the same time, not one after the other.
    #[must_use]
    pub fn is_beside(&self, other: &Self) -> bool {
        self.first < other.last && other.first < self.last
    }

    /// How good its time is, in words (IEEE 1588-2008, table 5).
    #[must_use]
    pub const fn class_in_words(&self) -> &'static str {
        match self.class {
            6 | 13 => "follows a time reference",
            7 | 14 => "has lost its time reference, and holds",
            52 | 58 | 187 | 193 => "has lost its time reference",
            248 => "free running",
            255 => "only follows others",
            _ => "of a class of its own",
        }
    }

    /// Where its time comes from, in words (table 7).
    #[must_use]
    pub const fn source_in_words(&self) -> &'static str {
        match self.time_source {
            0x10 => "an atomic clock",
            0x20 => "satellites",
            0x30 => "radio",
            0x40 => "PTP",
            0x50 => "NTP",
            0x60 => "set by hand",
            0xa0 => "its own oscillator",
            _ => "another source",
        }
    }
}
