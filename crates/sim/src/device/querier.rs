//! An IGMP querier (RFC 2236).

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::igmp::EVERY_HOST;
use lantern_wire::packet::igmp_frame;
use lantern_wire::{Igmp, MacAddress};

use super::body::Body;
use super::{DeviceSetup, Role, Utterance};

#[derive(Debug)]
pub(super) struct Querier {
    mac: MacAddress,
    address: Ipv4Addr,
    every: Duration,
    at: Duration,
    said: Option<Vec<u8>>,
}

impl Querier {
    pub(super) fn new(device: &DeviceSetup) -> Self {
        Self { mac: device.mac, address: device.address, every: device.every, at: device.arrives, said: None }
    }
}

impl Role for Querier {
    fn wake_at(&self) -> Option<Duration> {
        Some(self.at)
    }

    fn wake(&mut self, now: Duration, _: &mut Body) {
        self.at = now + self.every;
        self.said = Some(igmp_frame(self.mac, self.address, EVERY_HOST, &Igmp::general_query()));
    }

    fn next(&mut self) -> Option<Utterance> {
        self.said.take().map(Utterance::Frame)
    }
}
