//! Changes: what to alter on which node, why, in which order, and what speaks against it.

mod guard;
mod holders;
mod order;
mod plan;
mod rules;
mod settable;
mod steps;

use std::net::Ipv4Addr;

use lantern_wire::MacAddress;
use serde::Serialize;

use crate::as_text;
use crate::census::Subject;
use crate::facts::Difference;

pub use guard::Protection;
pub use holders::Earlier;
pub use plan::{ChangePlan, Untouched, plan_by_sheet, plan_one};
pub use steps::{Step, StepMessage};

pub(crate) use rules::RULES;

/// Everything to alter on one device.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Change {
    /// Whom it is about, as it is now.
    pub subject: Subject,
    /// What is to become different.
    pub differences: Vec<Difference>,
    /// Why.
    pub reason: String,
    /// How, in order.
    pub steps: Vec<Step>,
}

/// A node as messages and the logbook name it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct NodeName {
    /// Its MAC address, when it tells it.
    #[serde(serialize_with = "as_text::option::serialize")]
    pub mac: Option<MacAddress>,
    /// Its name before the change.
    pub name: String,
    /// Its address before the change.
    pub address: Ipv4Addr,
}

impl Change {
    /// How to name the node.
    #[must_use]
    pub fn node_name(&self) -> NodeName {
        NodeName { mac: self.subject.mac(), name: self.subject.title(), address: self.subject.address() }
    }

    /// The address the node will have, when that is known beforehand.
    #[must_use]
    pub fn new_address(&self) -> Option<Ipv4Addr> {
        self.differences.iter().find_map(Difference::planned_address)
    }
}

#[cfg(test)]
mod tests;
