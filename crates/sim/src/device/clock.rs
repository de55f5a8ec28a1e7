//! A clock that announces itself, or the grandmaster it follows (IEEE 1588-2008).

use std::net::SocketAddrV4;
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::ptp::{Announce, ClockIdentity, GENERAL_PORT, GROUP};
use serde::{Deserialize, Deserializer, de};

use super::body::Body;
use super::setup::millis;
use super::{DeviceSetup, Role, Utterance};
use crate::{Destination, Speech};

/// What a clock announces.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ClockSetup {
    /// The domain.
    #[serde(default)]
    pub domain: u8,
    /// What decides which clock leads.
    #[serde(default = "usual")]
    pub priority1: u8,
    /// How good its time is.
    #[serde(default = "free_running")]
    pub class: u8,
    /// The MAC address of the grandmaster it follows; without, it is one itself.
    #[serde(default, deserialize_with = "mac")]
    pub follows: Option<MacAddress>,
    /// How often it announces.
    #[serde(default = "second", rename = "every_ms", deserialize_with = "millis")]
    pub every: Duration,
    /// When it falls silent, since it has heard a better one.
    #[serde(default, rename = "until_ms", deserialize_with = "millis")]
    pub until: Duration,
}

#[derive(Debug)]
pub(super) struct Clock {
    announce: Announce,
    every: Duration,
    until: Option<Duration>,
    at: Duration,
    said: Option<Utterance>,
}

impl Clock {
    pub(super) fn new(device: &DeviceSetup, setup: &ClockSetup) -> Self {
        let source = ClockIdentity::of_mac(device.mac);
        let announce = Announce {
            domain: setup.domain,
            source,
            port: 1,
            sequence: 0,
            utc_offset: 37,
            priority1: setup.priority1,
            class: setup.class,
            accuracy: 0x21,
            variance: 0x4e5d,
            priority2: 128,
            grandmaster: setup.follows.map_or(source, ClockIdentity::of_mac),
            steps: u16::from(setup.follows.is_some()),
            time_source: if setup.class == 6 { 0x20 } else { 0xa0 },
        };
        let until = Some(setup.until).filter(|until| !until.is_zero());
        Self { announce, every: setup.every, until, at: device.arrives, said: None }
    }
}

impl Role for Clock {
    fn port(&self) -> Option<u16> {
        Some(GENERAL_PORT)
    }

    fn wake_at(&self) -> Option<Duration> {
        Some(self.at).filter(|at| self.until.is_none_or(|until| *at < until))
    }

    fn wake(&mut self, now: Duration, _: &mut Body) {
        self.at = now + self.every;
        self.announce.sequence = self.announce.sequence.wrapping_add(1);
        let to = Destination::Group(SocketAddrV4::new(GROUP, GENERAL_PORT));
        let bytes = self.announce.to_bytes();
        self.said = Some(Utterance::Speech(Speech { port: GENERAL_PORT, to, bytes }));
    }

    fn next(&mut self) -> Option<Utterance> {
        self.said.take()
    }
}

const fn usual() -> u8 {
    128
}

const fn free_running() -> u8 {
    248
}

const fn second() -> Duration {
    Duration::from_secs(1)
}

fn mac<'de, D: Deserializer<'de>>(from: D) -> Result<Option<MacAddress>, D::Error> {
    String::deserialize(from)?.parse().map(Some).map_err(de::Error::custom)
}
