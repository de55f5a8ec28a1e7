//! Universes: who sends, who listens, what hangs on them, what is free.

use std::collections::BTreeMap;

use serde::Serialize;

use crate::sheet::{RigSheet, SLOTS};
use crate::universe::{PortAddress, SacnUniverse, Universe};
use crate::{Direction, Protocol};

/// What a universe is used for.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct UniverseUse {
    /// The universe.
    #[serde(with = "shown")]
    pub universe: Universe,
    /// What the desk calls it; sACN universes above 32767 have no such number.
    pub desk: Option<u16>,
    /// The area in whose block it lies.
    pub area: Option<String>,
    /// Desks and servers that send it, and inputs.
    pub senders: Vec<String>,
    /// Outputs that carry it.
    pub listeners: Vec<String>,
    /// How many fixtures hang on it.
    pub fixtures: u32,
    /// Slots that a fixture uses.
    pub used: u32,
    /// The first slot behind all fixtures; `None` when there is none left.
    pub free_from: Option<u32>,
}

mod shown {
    use super::Universe;

    pub(super) fn serialize<S: serde::Serializer>(universe: &Universe, to: S) -> Result<S::Ok, S::Error> {
        to.collect_str(universe)
    }
}

/// Every universe that is sent, listened to or hung on, in order: Art-Net first.
#[must_use]
pub fn universe_uses(sheet: &RigSheet) -> Vec<UniverseUse> {
    let mut all: BTreeMap<Universe, UniverseUse> = BTreeMap::new();
    let mut slots: BTreeMap<Universe, Vec<(u32, u32)>> = BTreeMap::new();
    for source in &sheet.sources {
        for address in source.sends.iter().flat_map(|block| block.value.iter()) {
            let universe = match source.protocol {
                Protocol::ArtNet => Some(Universe::ArtNet(address)),
                Protocol::Sacn => Option::<SacnUniverse>::from(address).map(Universe::Sacn),
            };
            if let Some(universe) = universe {
                row(sheet, &mut all, universe).senders.push(source.name.value.clone());
            }
        }
    }
    for node in &sheet.nodes {
        for port in &node.ports {
            let Some(universe) = port.universe.value.real() else { continue };
            let mut title = format!("{} {}", node.name.value, port.number.value);
            if let Some(own) = universe.counted_by(sheet.sacn_offset_of(node)) {
                title.push_str(&format!(" (its {own})"));
            }
            let row = row(sheet, &mut all, universe);
            match port.direction {
                Direction::Out => row.listeners.push(title),
                Direction::In => row.senders.push(title),
            }
        }
    }
    for fixture in &sheet.fixtures {
        let Some(universe) = fixture.on.value.real() else { continue };
        row(sheet, &mut all, universe).fixtures += fixture.count.as_ref().map_or(1, |count| count.value);
        slots.entry(universe).or_default().extend(fixture.slots());
    }
    for (universe, runs) in slots {
        let row = row(sheet, &mut all, universe);
        row.used = covered(runs.iter().copied());
        let behind = runs.iter().map(|(_, last)| last + 1).max().unwrap_or(1);
        row.free_from = (behind <= SLOTS).then_some(behind);
    }
    all.into_values().collect()
}

fn row<'a>(
    sheet: &RigSheet,
    all: &'a mut BTreeMap<Universe, UniverseUse>,
    universe: Universe,
) -> &'a mut UniverseUse {
    all.entry(universe).or_insert_with(|| {
        let address: Option<PortAddress> = universe.port_address();
        let within = |area: &&crate::sheet::Area| {
            area.universes.as_ref().zip(address).is_some_and(|(block, address)| block.value.contains(address))
        };
        UniverseUse {
            universe,
            desk: address.map(|address| sheet.desk.number(address)),
            area: sheet.areas.iter().find(within).map(|area| area.name.value.clone()),
            senders: Vec::new(),
            listeners: Vec::new(),
            fixtures: 0,
            used: 0,
            free_from: Some(1),
        }
    })
}

/// How many slots the runs cover, each counted once.
fn covered(runs: impl Iterator<Item = (u32, u32)>) -> u32 {
    let mut runs: Vec<(u32, u32)> = runs.map(|(first, last)| (first, last.min(SLOTS))).collect();
    runs.sort_unstable();
    let (mut sum, mut reached) = (0, 0);
    for (first, last) in runs {
        if last > reached {
            sum += last - first.max(reached + 1) + 1;
            reached = last;
        }
    }
    sum
}
