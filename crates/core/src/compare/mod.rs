//! Comparing what should be with what was found.

mod difference;
mod matching;
mod wanted;

use std::collections::HashMap;
use std::net::Ipv4Addr;

use crate::address::Subnet;
use crate::census::{Census, Device, FoundNode};
use crate::finding::{Finding, Rule, Severity};
use crate::sheet::{RigSheet, SheetNode};

pub use difference::{Difference, PortDifference};
pub use matching::{Match, Matching};
pub use wanted::{Addressing, Wanted, WantedPort};

pub(crate) static RULES: &[&Rule] = &[&MISSING, &UNEXPECTED, &DIFFERENT, &AMBIGUOUS, &HELD];

static MISSING: Rule = Rule {
    code: "R001",
    severity: Severity::Error,
    title: "a node of the sheet does not answer",
    why: "whatever hangs on it will stay dark or silent",
};
static UNEXPECTED: Rule = Rule {
    code: "R002",
    severity: Severity::Warning,
    title: "a node that is not on the sheet",
    why: "it may use an address or a universe that the sheet gives to another",
};
static DIFFERENT: Rule = Rule {
    code: "R003",
    severity: Severity::Error,
    title: "a node is set otherwise than planned",
    why: "the plan and the rig do not agree, so one of them will surprise somebody",
};
static AMBIGUOUS: Rule = Rule {
    code: "R004",
    severity: Severity::Error,
    title: "a node that cannot be told from another",
    why: "several units answer to what the sheet knows of it, and changing the wrong one would be worse than none",
};

static HELD: Rule = Rule {
    code: "R005",
    severity: Severity::Error,
    title: "a planned address that another device holds",
    why: "as soon as the node gets its address, two devices have it",
};

/// Sheet and census side by side.
#[derive(Debug, Clone)]
pub struct Comparison<'a> {
    /// One row for each node of the sheet, in its order.
    pub rows: Vec<Row<'a>>,
    /// Nodes found that are not on the sheet, in the order of their addresses.
    pub unexpected: Vec<&'a FoundNode>,
}

/// One node of the sheet and what became of it.
#[derive(Debug, Clone)]
pub struct Row<'a> {
    /// The node as planned.
    pub planned: &'a SheetNode,
    /// What was found.
    pub state: State<'a>,
}

/// What was found of a planned node.
#[derive(Debug, Clone)]
pub enum State<'a> {
    /// It has no DMX ports and so speaks no Art-Net: it was not asked.
    NotAsked,
    /// It does not answer.
    Missing,
    /// Several units could be it.
    Ambiguous(Vec<&'a FoundNode>),
    /// It answers; where it differs from the plan, if anywhere.
    Found(&'a FoundNode, Vec<Difference>),
}

/// Devices that hold an address planned for a node that they are not, as their MAC addresses tell.
#[must_use]
pub fn held_addresses(sheet: &RigSheet, devices: &[Device]) -> Vec<Finding> {
    let planned: HashMap<Ipv4Addr, &SheetNode> =
        sheet.nodes.iter().filter_map(|node| Some((node.fixed_address()?, node))).collect();
    let holds = devices.iter().flat_map(|device| device.addresses.iter().map(move |address| (device, address)));
    let finding = |(device, address): (&Device, &Ipv4Addr)| {
        let node = planned.get(address)?;
        let own = node.mac.as_ref()?.value;
        let other = device.mac.filter(|mac| *mac != own)?;
        let name = &node.name.value;
        let holder = if device.name.is_empty() { other.to_string() } else { format!("{} ({other})", device.name) };
        let what = format!("{address}, planned for {name} ({own}), is held by {holder}");
        let remedy = format!("give {holder} another address, or plan another one for {name}");
        Some(HELD.finding(what, remedy).at(sheet, node.address.span, format!("planned for {name}")))
    };
    holds.filter_map(finding).collect()
}

/// Compares every node of the sheet with the census.
#[must_use]
pub fn compare<'a>(sheet: &'a RigSheet, census: &'a Census) -> Comparison<'a> {
    let matching = Matching::new(sheet, census);
    let nodes = census.nodes();
    let row = |(planned, matched): (&'a SheetNode, &Match)| {
        let state = match matched {
            Match::Missing if !speaks_art_net(sheet, planned) => State::NotAsked,
            Match::Missing => State::Missing,
            Match::Ambiguous(candidates) => State::Ambiguous(candidates.iter().map(|i| &nodes[*i]).collect()),
            Match::Found(index) => {
                let found = &nodes[*index];
                State::Found(found, Wanted::by_sheet(sheet, planned).differences(found))
            }
        };
        Row { planned, state }
    };
    let mut unexpected: Vec<&FoundNode> = matching.unexpected.iter().map(|i| &nodes[*i]).collect();
    unexpected.sort_by_key(|node| (node.address, node.mac));
    Comparison { rows: sheet.nodes.iter().zip(&matching.of_sheet).map(row).collect(), unexpected }
}

/// Whether a node can be asked by Art-Net: all but those whose kind has no DMX ports.
fn speaks_art_net(sheet: &RigSheet, node: &SheetNode) -> bool {
    sheet.kind_of(node).is_none_or(|kind| kind.ports > 0)
}

impl Comparison<'_> {
    /// Whether every node answers as planned and no other is there.
    #[must_use]
    pub fn is_as_planned(&self) -> bool {
        let fine = |row: &Row<'_>| match &row.state {
            State::Found(_, differences) => differences.is_empty(),
            State::NotAsked => true,
            State::Missing | State::Ambiguous(_) => false,
        };
        self.unexpected.is_empty() && self.rows.iter().all(fine)
    }

    /// How many nodes were asked, and how many were not.
    #[must_use]
    pub fn asked(&self) -> (usize, usize) {
        let not_asked = self.rows.iter().filter(|row| matches!(row.state, State::NotAsked)).count();
        (self.rows.len() - not_asked, not_asked)
    }

    /// How many nodes answer otherwise than planned.
    #[must_use]
    pub fn different(&self) -> usize {
        self.rows.iter().filter(|row| row.is_different()).count()
    }

    /// Everything that is not as planned.
    #[must_use]
    pub fn findings(&self, sheet: &RigSheet) -> Vec<Finding> {
        let rows = self.rows.iter().filter_map(|row| row.finding(sheet));
        rows.chain(self.unexpected.iter().map(|node| unexpected(node, sheet))).collect()
    }

    /// The same, but for the nodes that answer otherwise than planned.
    #[must_use]
    pub fn absences(&self, sheet: &RigSheet) -> Vec<Finding> {
        let rows = self.rows.iter().filter(|row| !row.is_different()).filter_map(|row| row.finding(sheet));
        rows.chain(self.unexpected.iter().map(|node| unexpected(node, sheet))).collect()
    }
}

impl Row<'_> {
    /// Whether the node answers, but otherwise than planned.
    #[must_use]
    pub fn is_different(&self) -> bool {
        matches!(&self.state, State::Found(_, differences) if !differences.is_empty())
    }

    fn finding(&self, sheet: &RigSheet) -> Option<Finding> {
        let name = &self.planned.name;
        let finding = match &self.state {
            State::Missing => MISSING.finding(
                format!("{} does not answer", name.value),
                "look at its power, its link light and its cable, then check again",
            ),
            State::Ambiguous(candidates) => {
                let who: Vec<String> = candidates.iter().map(|node| identity(node)).collect();
                AMBIGUOUS.finding(
                    format!("{} could be {}", name.value, who.join(" or ")),
                    format!("write the MAC address of the right one into the sheet, under {}", name.value),
                )
            }
            State::NotAsked => return None,
            State::Found(_, differences) if differences.is_empty() => return None,
            State::Found(node, differences) => {
                let list: Vec<String> = differences.iter().map(ToString::to_string).collect();
                DIFFERENT.finding(
                    format!("{} at {}: {}", name.value, node.address, list.join("; ")),
                    "set the nodes as planned with deft-lantern apply, or correct the sheet",
                )
            }
        };
        Some(finding.at(sheet, name.span, name.value.clone()))
    }
}

fn unexpected(node: &FoundNode, sheet: &RigSheet) -> Finding {
    let home = sheet.networks.iter().any(|network| Subnet::contains(network.range.value, node.address));
    let place = if home { "" } else { ", outside every network of the sheet" };
    UNEXPECTED.finding(
        format!("{} at {} is not on the sheet{place}", node.title(), identity(node)),
        "add it to the sheet, or unplug it",
    )
}

fn identity(node: &FoundNode) -> String {
    node.mac.map_or_else(|| node.address.to_string(), |mac| format!("{} ({mac})", node.address))
}

#[cfg(test)]
mod tests;
