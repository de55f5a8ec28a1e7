//! Who was written to, does not answer now, and where it may be.

use std::collections::{HashMap, HashSet};
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;

use super::{Run, Stage};
use crate::change::Silent;
use crate::facts::Difference;
use crate::sheet::RigSheet;

/// The nodes of the sheet that these runs know, and that nobody has `seen` now. A node that is on no sheet is nobody's: it may
/// be back in its case.
#[must_use]
pub fn silent_of(runs: &[Run], sheet: &RigSheet, seen: &HashSet<MacAddress>) -> Vec<Silent> {
    let mut places: HashMap<MacAddress, (String, Places)> = HashMap::new();
    for run in runs {
        for planned in &run.planned {
            let Some(mac) = planned.node.mac else { continue };
            let one = places.entry(mac).or_default();
            one.0.clone_from(planned.planned_as.as_ref().unwrap_or(&planned.node.name));
            one.1.stood_at(planned.node.address);
            one.1.wanted.extend(planned.fields.iter().filter_map(Difference::planned_address));
        }
        for taken in &run.sent {
            let Some(mac) = taken.step.node.mac else { continue };
            let to = taken.step.fields.iter().find_map(Difference::planned_address);
            let one = places.entry(mac).or_default();
            to.into_iter().for_each(|to| one.1.told(taken.step.node.address, to, taken.step.stage));
        }
    }
    let is_on_sheet = |name: &str, mac: MacAddress| {
        sheet.nodes.iter().any(|node| match &node.mac {
            Some(own) => own.value == mac,
            None => node.name.value == name,
        })
    };
    let of_one = |(mac, (name, places)): (MacAddress, (String, Places))| {
        let (places, why) = match (seen.contains(&mac), places.goes) {
            (true, Some(to)) => (vec![to], Silent::ON_ITS_WAY),
            (true, None) => return None,
            (false, _) => (places.all(), Silent::NO_ANSWER),
        };
        is_on_sheet(&name, mac).then_some(Silent { name, mac: Some(mac), places, why })
    };
    let mut all: Vec<Silent> = places.into_iter().filter_map(of_one).collect();
    all.sort_by_key(|one| one.mac);
    all
}

/// Where a device may be.
#[derive(Default)]
struct Places {
    stood: Option<Ipv4Addr>,
    /// What it was to have: a place to wait at is where a later change finds it, and not where it stood.
    wanted: HashSet<Ipv4Addr>,
    told: Vec<Ipv4Addr>,
    /// Where it said that it goes, and had not gone.
    goes: Option<Ipv4Addr>,
}

impl Places {
    fn stood_at(&mut self, address: Ipv4Addr) {
        if !self.wanted.contains(&address) || self.stood.is_none() {
            self.stood = Some(address);
        }
    }

    /// It was told to go from one address to another.
    fn told(&mut self, from: Ipv4Addr, to: Ipv4Addr, stage: Stage) {
        let is_there = matches!(
            stage,
            Stage::Confirmed | Stage::Unverified | Stage::HeardOnly | Stage::MovedAlong | Stage::Shared
        );
        self.goes = (stage == Stage::Acknowledged).then_some(to);
        self.told = if is_there { vec![to] } else { vec![from, to] };
    }

    fn all(self) -> Vec<Ipv4Addr> {
        let stood = self.stood.filter(|_| self.told.is_empty());
        stood.into_iter().chain(self.told).collect()
    }
}
