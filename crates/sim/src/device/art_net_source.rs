//! A source of Art-Net: levels again and again, to everybody or to single nodes (Art-Net 4, section "ArtDmx").

use std::collections::VecDeque;
use std::net::SocketAddrV4;
use std::time::Duration;

use lantern_wire::art_net::{Dmx, PORT};

use super::body::Body;
use super::setup::ArtNetSetup;
use super::{DeviceSetup, Role, Utterance, look};
use crate::{Destination, Speech};

/// How often levels are sent; a real desk sends more, which says nothing more.
const LEVELS_EVERY: Duration = Duration::from_millis(100);

#[derive(Debug)]
pub(super) struct ArtNetSource {
    art_net: ArtNetSetup,
    sequence: u8,
    levels_at: Duration,
    said: VecDeque<Utterance>,
}

impl ArtNetSource {
    pub(super) fn new(device: &DeviceSetup, art_net: &ArtNetSetup) -> Self {
        Self { art_net: art_net.clone(), sequence: 0, levels_at: device.arrives, said: VecDeque::new() }
    }
}

impl Role for ArtNetSource {
    fn port(&self) -> Option<u16> {
        Some(PORT)
    }

    fn wake_at(&self) -> Option<Duration> {
        Some(self.levels_at)
    }

    fn wake(&mut self, now: Duration, _: &mut Body) {
        if now < self.levels_at {
            return;
        }
        self.levels_at = now + LEVELS_EVERY;
        // 0 would say that it does not count.
        self.sequence = self.sequence % 255 + 1;
        for port_address in self.art_net.universes.iter().copied() {
            let slots = look::levels(port_address, now);
            let levels = Dmx { sequence: self.sequence, physical: 0, port_address, slots: &slots };
            let speech = |to| Utterance::Speech(Speech { port: PORT, to, bytes: levels.to_bytes() });
            let single = self.art_net.to.iter().map(|to| Destination::One(SocketAddrV4::new(*to, PORT)));
            self.said.extend(single.map(speech));
            if self.art_net.to.is_empty() {
                self.said.push_back(speech(Destination::Everybody));
            }
        }
    }

    fn next(&mut self) -> Option<Utterance> {
        self.said.pop_front()
    }
}
