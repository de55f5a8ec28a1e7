//! Somebody who sends a stream (RFC 3550), with what a network does to it: packets that are missing, late or doubled.

use std::collections::VecDeque;
use std::net::SocketAddrV4;
use std::time::Duration;

use lantern_wire::rtp::Rtp;
use serde::Deserialize;

use super::body::Body;
use super::{DeviceSetup, Role, StreamSetup, Utterance};
use crate::{Destination, Speech};

/// How packets of a stream are sent, as a scene says.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct PacketsSetup {
    /// How many in a second.
    pub rate: u32,
    /// Bytes of sound or picture in each.
    #[serde(default = "bytes")]
    pub bytes: usize,
    /// Ticks of its clock in a second.
    #[serde(default = "clock")]
    pub clock: u32,
    /// Each of so many is missing; 0 for none.
    #[serde(default)]
    pub loses: u64,
    /// Each of so many comes behind the next; 0 for none.
    #[serde(default)]
    pub swaps: u64,
    /// Each of so many comes twice; 0 for none.
    #[serde(default)]
    pub doubles: u64,
}

const fn bytes() -> usize {
    288
}

const fn clock() -> u32 {
    48_000
}

/// Sends one stream.
#[derive(Debug)]
pub(super) struct RtpSource {
    packets: PacketsSetup,
    group: SocketAddrV4,
    source: u32,
    began: Duration,
    nth: u64,
    held: Option<Vec<u8>>,
    said: VecDeque<Utterance>,
}

impl RtpSource {
    pub(super) fn new(device: &DeviceSetup, stream: &StreamSetup, packets: &PacketsSetup) -> Self {
        let [.., a, b, c] = device.mac.0;
        Self {
            packets: packets.clone(),
            group: SocketAddrV4::new(stream.group, stream.port),
            source: u32::from_be_bytes([0, a, b, c]),
            began: device.arrives,
            nth: 0,
            held: None,
            said: VecDeque::new(),
        }
    }

    /// When its next packet is due.
    fn due(&self) -> Duration {
        self.began + Duration::from_secs_f64(self.nth as f64 / f64::from(self.packets.rate.max(1)))
    }

    fn send(&mut self) {
        let ticks = u64::from(self.packets.clock) / u64::from(self.packets.rate.max(1));
        let packet = Rtp {
            payload_type: 98,
            // It begins near the end of its numbers, as it may.
            sequence: (65_500 + self.nth) as u16,
            timestamp: self.nth.wrapping_mul(ticks) as u32,
            source: self.source,
            payload: self.packets.bytes,
        }
        .to_bytes();
        let is_nth = |every: u64| every > 0 && self.nth % every == every - 1;
        let (loses, swaps, doubles) =
            (is_nth(self.packets.loses), is_nth(self.packets.swaps), is_nth(self.packets.doubles));
        self.nth += 1;
        let held = self.held.take();
        if swaps {
            self.held = Some(packet);
        } else if !loses {
            for _ in 0..1 + usize::from(doubles) {
                self.say(packet.clone());
            }
        }
        held.into_iter().for_each(|packet| self.say(packet));
    }

    fn say(&mut self, bytes: Vec<u8>) {
        let speech = Speech { port: self.group.port(), to: Destination::Group(self.group), bytes };
        self.said.push_back(Utterance::Speech(speech));
    }
}

impl Role for RtpSource {
    fn port(&self) -> Option<u16> {
        Some(self.group.port())
    }

    fn wake_at(&self) -> Option<Duration> {
        Some(self.due())
    }

    fn wake(&mut self, now: Duration, _: &mut Body) {
        while self.due() <= now {
            self.send();
        }
    }

    fn next(&mut self) -> Option<Utterance> {
        self.said.pop_front()
    }
}
