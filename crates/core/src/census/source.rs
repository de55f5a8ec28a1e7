//! Sources of sACN: who sends which universe.

use std::collections::{BTreeMap, HashMap};
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::sacn::Cid;
use serde::{Deserialize, Serialize};

use super::sighting::{Sighting, Told};
use crate::{Said, as_text};

/// A source of sACN.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Source {
    /// Its component identifier.
    pub cid: String,
    /// What it calls itself.
    pub name: Said,
    /// The address it sends from.
    pub address: Ipv4Addr,
    /// The MAC address it sends from, where frames are seen.
    #[serde(with = "as_text::option")]
    pub mac: Option<MacAddress>,
    /// What it sends, by universe.
    pub universes: BTreeMap<u16, Sending>,
}

/// One universe of a source.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct Sending {
    /// Its priority, once levels were heard.
    pub priority: Option<u8>,
    /// Only for a visualiser.
    pub preview: bool,
    /// It said that it sends no more.
    pub ended: bool,
    /// How many messages with levels were heard.
    pub heard: u64,
    #[serde(rename = "first_ms", with = "crate::as_millis")]
    first: Duration,
    #[serde(rename = "last_ms", with = "crate::as_millis")]
    last: Duration,
}

impl Sending {
    /// Messages a second, once a few were heard.
    #[must_use]
    pub fn rate(&self) -> Option<f64> {
        let time = self.last.saturating_sub(self.first).as_secs_f64();
        // A count of messages heard within seconds is far below what a double holds exactly.
        let between = u32::try_from(self.heard.saturating_sub(1)).unwrap_or(u32::MAX);
        (between >= 2 && time > 0.0).then(|| f64::from(between) / time)
    }
}

/// All sources, by their identifiers.
#[derive(Debug, Clone, Default)]
pub(crate) struct Sources {
    known: HashMap<Cid, Source>,
    overlooked: u64,
}

impl Sources {
    const MOST: usize = 1024;
    /// The most universes of one source: all there are.
    const MOST_UNIVERSES: usize = 63_999;
    /// The most universes of all sources together.
    const MOST_SENDINGS: usize = 262_144;

    pub(crate) fn take(&mut self, sighting: &Sighting) {
        let (cid, name) = match &sighting.told {
            Told::Levels { cid, source, .. } | Told::Universes { cid, source, .. } => (*cid, source),
            _ => return,
        };
        let full = self.known.len() >= Self::MOST || self.sendings() >= Self::MOST_SENDINGS;
        if !self.known.contains_key(&cid) && full {
            self.overlooked += 1;
            return;
        }
        let source = self.known.entry(cid).or_insert_with(|| Source {
            cid: cid.to_string(),
            name: Said::default(),
            address: sighting.from,
            mac: None,
            universes: BTreeMap::new(),
        });
        source.name = name.clone().into();
        source.address = sighting.from;
        source.mac = sighting.mac.or(source.mac);
        match &sighting.told {
            Told::Levels { universe, priority, preview, ended, .. } => {
                let Some(sending) = source.sending(*universe) else { return };
                if sending.heard == 0 {
                    sending.first = sighting.at;
                }
                (sending.priority, sending.preview, sending.ended) = (Some(*priority), *preview, *ended);
                sending.last = sighting.at;
                sending.heard += 1;
            }
            Told::Universes { universes, .. } => {
                for universe in universes {
                    source.sending(*universe);
                }
            }
            _ => {}
        }
    }

    fn sendings(&self) -> usize {
        self.known.values().map(|source| source.universes.len()).sum()
    }

    pub(crate) fn sorted(&self) -> Vec<Source> {
        let mut all: Vec<Source> = self.known.values().cloned().collect();
        all.sort_by(|a, b| (a.address, &a.cid).cmp(&(b.address, &b.cid)));
        all
    }

    pub(crate) const fn overlooked(&self) -> u64 {
        self.overlooked
    }

    /// The universes that somebody said he sends.
    pub(crate) fn universes(&self, cid: Cid) -> impl Iterator<Item = u16> + '_ {
        self.known.get(&cid).into_iter().flat_map(|source| source.universes.keys().copied())
    }
}

impl Source {
    fn sending(&mut self, universe: u16) -> Option<&mut Sending> {
        let room = self.universes.len() < Sources::MOST_UNIVERSES || self.universes.contains_key(&universe);
        room.then(|| self.universes.entry(universe).or_default())
    }
}
