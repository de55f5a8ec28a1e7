//! A switch that tells which of its ports this is (IEEE 802.1AB).

use std::time::Duration;

use lantern_wire::Lldp;

use super::body::Body;
use super::{DeviceSetup, Role, Utterance};

#[derive(Debug)]
pub(super) struct Neighbour {
    lldp: Lldp,
    every: Duration,
    at: Duration,
    said: Option<Vec<u8>>,
}

impl Neighbour {
    pub(super) fn new(device: &DeviceSetup, port: &str) -> Self {
        let lldp = Lldp {
            from: device.mac,
            chassis: device.name.clone(),
            port: port.to_owned(),
            name: Some(device.name.clone()),
            management: Some(device.address),
            seconds: 120,
            ..Lldp::default()
        };
        Self { lldp, every: device.every, at: device.arrives, said: None }
    }
}

impl Role for Neighbour {
    fn wake_at(&self) -> Option<Duration> {
        Some(self.at)
    }

    fn wake(&mut self, now: Duration, _: &mut Body) {
        self.at = now + self.every;
        self.said = Some(self.lldp.to_bytes());
    }

    fn next(&mut self) -> Option<Utterance> {
        self.said.take().map(Utterance::Frame)
    }
}
