//! Changes: what to alter on which node, why, in which order, and what speaks against it.

mod cables;
mod firmware;
mod graph;
mod guard;
mod guide;
mod holders;
mod outlook;
mod parking;
mod part;
mod patches;
mod plan;
mod rules;
mod settable;
mod silent;
mod steps;

use std::net::Ipv4Addr;

use crate::census::{NodeName, Subject};
use crate::facts::Difference;

pub use cables::Replug;
pub use firmware::plan_firmware;
pub use graph::{Graph, Wait, Why};
pub use guard::Protection;
pub use guide::{Compared, Guide, GuideStep};
pub use holders::Earlier;
pub use parking::waiting_places;
pub use part::{Aspect, Part};
pub use plan::{
    Beyond, ByHand, ChangePlan, Distant, Untouched, Wish, plan_by_sheet, plan_each, plan_one, plan_rig,
};
pub use silent::Silent;
pub use steps::{Step, StepMessage};

pub(crate) use rules::RULES;

/// Everything to alter on one device.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Change {
    /// Whom it is about, as it is now.
    pub subject: Subject,
    /// What is to become different.
    pub differences: Vec<Difference>,
    /// What the sheet calls it, where it is on it.
    pub planned_as: Option<String>,
    /// Why.
    pub reason: String,
    /// How, in order.
    pub steps: Vec<Step>,
}

impl Change {
    /// How to name the node.
    #[must_use]
    pub fn node_name(&self) -> NodeName {
        self.subject.node_name()
    }

    /// The address the node will have, when that is known beforehand.
    #[must_use]
    pub fn new_address(&self) -> Option<Ipv4Addr> {
        self.differences.iter().find_map(Difference::planned_address)
    }
}

#[cfg(test)]
mod tests;
