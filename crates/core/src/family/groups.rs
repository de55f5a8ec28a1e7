//! Families whose devices tell of themselves unasked, to groups: all there is to do is to be in those.

use std::net::Ipv4Addr;

use super::{Asker, join};
use crate::conversation::{Outgoing, SurveyPlan};

/// Listens to some groups on one port.
#[derive(Debug)]
pub(super) struct Listener {
    seats: usize,
    groups: &'static [Ipv4Addr],
    port: u16,
}

impl Listener {
    pub(super) const fn new(plan: &SurveyPlan, groups: &'static [Ipv4Addr], port: u16) -> Self {
        Self { seats: plan.vantage.seats.len(), groups, port }
    }
}

impl Asker for Listener {
    fn begin(&mut self, out: &mut Vec<Outgoing>) {
        for group in self.groups {
            join(self.seats, *group, self.port, out);
        }
    }
}
