//! What is heard of one universe.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::sacn::{self, Cid};
use lantern_wire::{WireError, art_net};

use super::{SLOTS, Slots};
use crate::census;
use crate::universe::Universe;
use crate::watch::{Flow, Traffic};

/// The most sources of one universe that are told apart.
const MOST_SOURCES: usize = 64;

/// The levels of one universe, by source.
#[derive(Debug)]
pub struct Levels {
    universe: Universe,
    traffic: Traffic,
    sources: Vec<HeardSource>,
}

/// The levels of one source.
#[derive(Debug, Clone)]
pub struct HeardSource {
    /// From where.
    pub address: Ipv4Addr,
    /// Which source there; Art-Net tells none apart.
    pub cid: Option<Cid>,
    /// Its levels; those it does not send are 0.
    pub slots: Box<Slots>,
    /// How many slots it sends.
    pub count: usize,
    /// When each of them last changed; `None` for one that has not since it was first heard.
    pub changed: Box<[Option<Duration>; SLOTS]>,
}

impl Levels {
    /// Nothing heard yet.
    #[must_use]
    pub fn of(universe: Universe) -> Self {
        Self { universe, traffic: Traffic::default(), sources: Vec::new() }
    }

    /// Which universe it is.
    #[must_use]
    pub const fn universe(&self) -> Universe {
        self.universe
    }

    /// Everybody who sent it.
    #[must_use]
    pub fn sources(&self) -> &[HeardSource] {
        &self.sources
    }

    /// How a source sends: rate, gaps, priority, whether it still does.
    #[must_use]
    pub fn flow(&self, source: &HeardSource) -> Option<&Flow> {
        self.traffic.flows().find(|flow| flow.is_of(source.address, source.cid))
    }

    /// Those that send it now for the stage.
    pub fn live(&self) -> impl Iterator<Item = (&HeardSource, &Flow)> {
        let with_flow = |source| Some((source, self.flow(source)?));
        self.sources.iter().filter_map(with_flow).filter(|(_, flow)| flow.is_live && !flow.preview)
    }

    /// What a node makes of it that takes the highest level of those with the highest priority: the levels, and how many sources
    /// have a part in them.
    #[must_use]
    pub fn merged(&self) -> (Box<Slots>, usize) {
        let has_right = |(_, flow): &(&HeardSource, &Flow)| self.traffic.has_right(flow);
        let with_right: Vec<&HeardSource> = self.live().filter(has_right).map(|(source, _)| source).collect();
        let mut slots = Box::new([0; SLOTS]);
        for (place, slot) in slots.iter_mut().enumerate() {
            *slot = with_right.iter().map(|source| source.slots[place]).max().unwrap_or(0);
        }
        (slots, with_right.len())
    }

    /// Takes in a datagram. Gives whether it was levels of this universe.
    ///
    /// # Errors
    /// When it is a message of Art-Net or sACN that cannot be read.
    pub(crate) fn take(
        &mut self,
        now: Duration,
        from: Ipv4Addr,
        port: u16,
        datagram: &[u8],
    ) -> Result<bool, WireError> {
        let (levels, slots) = match (port, self.universe) {
            (art_net::PORT, Universe::ArtNet(wanted)) => match art_net::Message::parse(datagram)? {
                art_net::Message::Dmx(dmx) if dmx.port_address == wanted.flat() => {
                    (census::Levels::of_dmx(&dmx), dmx.slots)
                }
                _ => return Ok(false),
            },
            (sacn::PORT, Universe::Sacn(wanted)) => match sacn::Message::parse(datagram)? {
                sacn::Message::Data(data)
                    if data.universe == wanted.number() && data.start_code == sacn::LEVELS =>
                {
                    (census::Levels::of_sacn(&data), data.slots)
                }
                _ => return Ok(false),
            },
            _ => return Ok(false),
        };
        let (cid, ended) = (levels.cid, levels.ended);
        self.traffic.take(now, from, &levels, &mut Vec::new());
        // The last messages of a source tell that it ends, not what the levels are (ANSI E1.31, 6.2.6).
        if !ended {
            self.hear(now, from, cid, slots);
        }
        Ok(true)
    }

    fn hear(&mut self, now: Duration, from: Ipv4Addr, cid: Option<Cid>, slots: &[u8]) {
        let is_it = |source: &HeardSource| source.address == from && source.cid == cid;
        let is_new = !self.sources.iter().any(is_it);
        if is_new && self.sources.len() >= MOST_SOURCES {
            return;
        }
        if is_new {
            let (slots, changed) = (Box::new([0; SLOTS]), Box::new([None; SLOTS]));
            self.sources.push(HeardSource { address: from, cid, slots, count: 0, changed });
        }
        let Some(source) = self.sources.iter_mut().find(|source| is_it(source)) else { return };
        source.count = slots.len().min(SLOTS);
        for (place, slot) in source.slots.iter_mut().enumerate() {
            let level = slots.get(place).copied().unwrap_or(0);
            if *slot != level {
                *slot = level;
                if !is_new {
                    source.changed[place] = Some(now);
                }
            }
        }
    }

    /// A second has passed.
    pub(crate) fn roll(&mut self, now: Duration) {
        self.traffic.roll(now, &mut Vec::new());
    }
}
