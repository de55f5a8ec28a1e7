//! Fixtures of the sheet of which it is not known which unit they are, beside the units that they may be.

use std::collections::{BTreeMap, BTreeSet};

use super::fixtures::{FixtureComparison, Port};
use crate::census::FoundFixture;
use crate::rework::InRow;
use crate::sheet::RigSheet;

/// One cable with places of the sheet that are open, and units that nobody knows yet.
#[derive(Debug, Clone)]
pub struct OpenCable {
    /// Where it begins, as planned: "quay-north 3".
    pub cable: String,
    /// The open places, in the order of their slots.
    pub places: Vec<Place>,
    /// The units, in the order of their start addresses.
    pub units: Vec<FoundFixture>,
}

/// A fixture of the sheet.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Place {
    /// Where it stands on the sheet.
    pub at: InRow,
    /// What it is called.
    pub name: String,
    /// Its first slot, where that is decided.
    pub slot: Option<u32>,
    /// How many slots it takes.
    pub footprint: u32,
}

/// By what units are known to be which.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Order {
    /// The one that starts first is the first by its slots, and so on.
    StartAddress,
    /// Each is the one that it calls itself.
    Label,
}

/// Why units cannot be told apart so.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum OrderError {
    /// There are not as many as places.
    #[error("{cable} has {units} units for {places} places")]
    OtherCount {
        /// Which cable.
        cable: String,
        /// How many units there are.
        units: usize,
        /// For how many places.
        places: usize,
    },
    /// Two start at one slot.
    #[error("{cable}: {first} and {second} both start at {slot}")]
    SameStart {
        /// Which cable.
        cable: String,
        /// One.
        first: String,
        /// The other.
        second: String,
        /// Where.
        slot: String,
    },
}

impl OpenCable {
    /// Which unit each place is, by this order: as pairs of a place and a unit, each by its number.
    ///
    /// # Errors
    /// When that does not tell them apart.
    pub fn by(&self, order: Order) -> Result<Vec<(usize, usize)>, OrderError> {
        match order {
            Order::StartAddress => self.by_start_address(),
            Order::Label => Ok(self.by_label()),
        }
    }

    fn by_start_address(&self) -> Result<Vec<(usize, usize)>, OrderError> {
        let cable = self.cable.clone();
        if self.units.len() != self.places.len() {
            return Err(OrderError::OtherCount { cable, units: self.units.len(), places: self.places.len() });
        }
        if let Some([first, second]) = self.units.windows(2).find(|pair| pair[0].start() == pair[1].start()) {
            let slot = first.start().map_or_else(|| "no slot".to_owned(), |slot| format!("slot {slot}"));
            return Err(OrderError::SameStart { cable, first: first.title(), second: second.title(), slot });
        }
        Ok((0..self.places.len()).map(|number| (number, number)).collect())
    }

    fn by_label(&self) -> Vec<(usize, usize)> {
        let called = |name: &str| {
            let mut all = self.units.iter().enumerate().filter(|(_, unit)| unit.label().raw() == name);
            // Two that are called so are not told apart by it.
            all.next().filter(|_| all.next().is_none()).map(|(number, _)| number)
        };
        self.places.iter().enumerate().filter_map(|(number, place)| Some((number, called(&place.name)?))).collect()
    }
}

impl FixtureComparison<'_> {
    /// The cables with places of which it is not known which unit they are, of those that `is_meant`.
    #[must_use]
    pub fn open_cables(&self, sheet: &RigSheet, is_meant: impl Fn(&str) -> bool) -> Vec<OpenCable> {
        let known: BTreeSet<_> =
            sheet.fixtures.iter().flat_map(|fixture| fixture.uids.iter().filter_map(|uid| uid.value)).collect();
        let mut cables: BTreeMap<(&[Port<'_>], &str), OpenCable> = BTreeMap::new();
        for row in self.rows.iter().filter(|row| row.planned.uid(row.nth).is_none() && is_meant(&row.name)) {
            let place = sheet.fixtures.iter().position(|one| std::ptr::eq(one, row.planned));
            let Some(fixture) = place else { continue };
            let cable = cables.entry((&row.ports, &row.cable)).or_insert_with(|| OpenCable {
                cable: row.cable.clone(),
                places: Vec::new(),
                units: Vec::new(),
            });
            cable.places.push(Place {
                at: InRow { fixture, nth: row.nth },
                name: row.name.clone(),
                slot: row.planned.slot_of(row.nth),
                footprint: row.planned.footprint.value,
            });
        }
        // Whoever is taken for a fixture that is not meant is none of those that are.
        let meant = self.rows.iter().filter(|row| is_meant(&row.name));
        let matched = meant.filter_map(|row| Some((row.hangs_on?, row.found()?)));
        let strange = self.unexpected.iter().filter_map(|one| Some((one.port?, &one.fixture)));
        for (port, found) in matched.chain(strange).filter(|(_, found)| !known.contains(&found.uid)) {
            let own = cables.iter_mut().find(|((ports, _), _)| ports.contains(&port));
            own.into_iter().for_each(|(_, cable)| cable.units.push(found.clone()));
        }
        let mut all: Vec<OpenCable> = cables.into_values().collect();
        for cable in &mut all {
            cable.places.sort_by_key(|place| (place.slot, place.at));
            cable.units.sort_by_key(|unit| (unit.start(), unit.uid));
        }
        all
    }
}
