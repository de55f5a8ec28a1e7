//! A source of sACN: levels again and again, and which universes it sends (E1.31, sections 6.6 and 8).

use std::collections::VecDeque;
use std::net::SocketAddrV4;
use std::time::Duration;

use lantern_wire::Text;
use lantern_wire::sacn::{Cid, DISCOVERY_UNIVERSE, Data, Discovery, Options, PORT, group};

use super::body::Body;
use super::setup::SacnSetup;
use super::{DeviceSetup, Role, Utterance, look};
use crate::{Destination, Speech};

/// How often levels are sent; a real desk sends more, which says nothing more.
const LEVELS_EVERY: Duration = Duration::from_millis(100);

#[derive(Debug)]
pub(super) struct SacnSource {
    cid: Cid,
    name: String,
    priority: u8,
    universes: Vec<u16>,
    every: Duration,
    sequence: u8,
    levels_at: Duration,
    tells_at: Duration,
    said: VecDeque<Utterance>,
}

impl SacnSource {
    pub(super) fn new(device: &DeviceSetup, sacn: &SacnSetup) -> Self {
        let mut cid = [0x5a; 16];
        cid[..6].copy_from_slice(&device.mac.0);
        Self {
            cid: Cid(cid),
            name: sacn.name.clone(),
            priority: sacn.priority,
            universes: sacn.universes.clone(),
            every: device.every,
            sequence: 0,
            levels_at: device.arrives,
            tells_at: device.arrives,
            said: VecDeque::new(),
        }
    }

    fn say(&mut self, universe: u16, bytes: Vec<u8>) {
        let to = Destination::Group(SocketAddrV4::new(group(universe), PORT));
        self.said.push_back(Utterance::Speech(Speech { port: PORT, to, bytes }));
    }
}

impl Role for SacnSource {
    fn port(&self) -> Option<u16> {
        Some(PORT)
    }

    fn wake_at(&self) -> Option<Duration> {
        Some(self.levels_at.min(self.tells_at))
    }

    fn wake(&mut self, now: Duration, _: &mut Body) {
        if self.levels_at <= now {
            self.levels_at = now + LEVELS_EVERY;
            self.sequence = self.sequence.wrapping_add(1);
            for universe in self.universes.clone() {
                let data = Data {
                    cid: self.cid,
                    source: Text::cut(&self.name),
                    priority: self.priority,
                    sync: 0,
                    sequence: self.sequence,
                    options: Options(0),
                    universe,
                    start_code: 0,
                    slots: &look::levels(universe, now),
                };
                self.say(universe, data.to_bytes());
            }
        }
        if self.tells_at <= now {
            self.tells_at = now + self.every;
            let universes = self.universes.clone();
            let (cid, source) = (self.cid, Text::cut(&self.name));
            let discovery = Discovery { cid, source, page: 0, last_page: 0, universes };
            self.say(DISCOVERY_UNIVERSE, discovery.to_bytes());
        }
    }

    fn next(&mut self) -> Option<Utterance> {
        self.said.pop_front()
    }
}
