//! SAP: streams are announced every half a minute or so; all there is to do is to be in the groups (RFC 2974, section 3).

use lantern_wire::sap;

use super::{Asker, join};
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
        for group in sap::GROUPS {
            join(self.seats, group, sap::PORT, out);
        }
    }
}
