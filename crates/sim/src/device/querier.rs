//! Who speaks IGMP: a querier that asks who wants which group (RFC 2236), and one that wants some and says so (RFC 3376).

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::Igmp;
use lantern_wire::igmp::{EVERY_HOST, REPORTS};
use lantern_wire::packet::igmp_frame;

use super::body::Body;
use super::{DeviceSetup, Role, Utterance};

#[derive(Debug)]
pub(super) struct Querier {
    frame: Vec<u8>,
    every: Duration,
    at: Duration,
    is_due: bool,
}

impl Querier {
    pub(super) fn asks(device: &DeviceSetup) -> Self {
        Self::says(device, EVERY_HOST, &Igmp::general_query())
    }

    pub(super) fn wants(device: &DeviceSetup) -> Self {
        Self::says(device, REPORTS, &Igmp::report(&device.groups))
    }

    fn says(device: &DeviceSetup, to: Ipv4Addr, message: &[u8]) -> Self {
        let frame = igmp_frame(device.mac, device.address, to, message);
        Self { frame, every: device.every, at: device.arrives, is_due: false }
    }
}

impl Role for Querier {
    fn wake_at(&self) -> Option<Duration> {
        Some(self.at)
    }

    fn wake(&mut self, now: Duration, _: &mut Body) {
        self.at = now + self.every;
        self.is_due = true;
    }

    fn next(&mut self) -> Option<Utterance> {
        std::mem::take(&mut self.is_due).then(|| Utterance::Frame(self.frame.clone()))
    }
}
