//! sACN: sources tell their universes on one group every ten seconds; each universe has a group of its own (E1.31, section 8).

use std::collections::BTreeSet;
use std::time::Duration;

use lantern_wire::sacn;

use super::{Asker, join};
use crate::Protocol;
use crate::census::{News, Sighting, Told};
use crate::conversation::{Outgoing, SurveyPlan};

/// The most universes listened to; a system has room for few groups.
const MOST_JOINED: usize = 256;

/// Listens to the universes of the plan, and to all that are told.
#[derive(Debug)]
pub(super) struct Listener {
    seats: usize,
    wanted: Vec<u16>,
    joined: BTreeSet<u16>,
}

impl Listener {
    pub(super) fn new(plan: &SurveyPlan) -> Self {
        Self { seats: plan.vantage.seats.len(), wanted: plan.universes.clone(), joined: BTreeSet::new() }
    }

    fn join(&mut self, universes: &[u16], out: &mut Vec<Outgoing>) {
        for universe in universes {
            if self.joined.len() < MOST_JOINED && self.joined.insert(*universe) {
                join(self.seats, sacn::group(*universe), sacn::PORT, out);
            }
        }
    }
}

impl Asker for Listener {
    fn begin(&mut self, out: &mut Vec<Outgoing>) {
        let wanted = std::mem::take(&mut self.wanted);
        self.join(&[sacn::DISCOVERY_UNIVERSE], out);
        self.join(&wanted, out);
    }

    fn hear(&mut self, _: Duration, sighting: &Sighting, _: &News, out: &mut Vec<Outgoing>) {
        match &sighting.told {
            Told::Levels(levels) if levels.protocol == Protocol::Sacn => self.join(&[levels.universe], out),
            Told::Universes { universes, .. } => self.join(universes, out),
            _ => {}
        }
    }
}
