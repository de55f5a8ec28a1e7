//! Clocks announce themselves every other second; all there is to do is to be in the group (IEEE 1588-2008, section 7.7.2.2).

use lantern_wire::WireError;
use lantern_wire::ptp::{Announce, GENERAL_PORT, GROUP};

use super::{Asker, join};
use crate::census::Told;
use crate::conversation::{Outgoing, SurveyPlan};

/// Listens to announcements.
#[derive(Debug)]
pub(super) struct Listener {
    seats: usize,
}

impl Listener {
    pub(super) const fn new(plan: &SurveyPlan) -> Self {
        Self { seats: plan.vantage.seats.len() }
    }
}

impl Asker for Listener {
    fn begin(&mut self, out: &mut Vec<Outgoing>) {
        join(self.seats, GROUP, GENERAL_PORT, out);
    }
}

/// What a datagram to the general port tells.
pub(super) fn told(bytes: &[u8]) -> Result<Option<Told>, WireError> {
    Ok(Announce::parse(bytes)?.map(|announce| Told::Clock(Box::new(announce))))
}
