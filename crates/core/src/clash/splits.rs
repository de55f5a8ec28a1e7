//! Universes that come out of several outputs, as far as nobody said that they are meant to.

use std::collections::{HashMap, HashSet};
use std::net::Ipv4Addr;

use super::{named, repeated};
use crate::Direction;
use crate::census::{Census, FoundNode, FoundPort};
use crate::compare::{Match, Matching};
use crate::finding::{Finding, Rule, Severity};
use crate::sheet::{RigSheet, SheetNode, SheetPort};
use crate::universe::{PortAddress, Universe};

pub(super) static SPLIT: Rule = Rule {
    code: "W004",
    severity: Severity::Note,
    title: "one universe on several outputs",
    why: "fine for a splitter; otherwise a universe was typed twice",
};

/// What the sheet has on several outputs on purpose.
pub(super) struct Meant<'a> {
    /// What the nodes that were found are on the sheet, by where they are.
    planned: HashMap<Ipv4Addr, &'a SheetNode>,
    /// The universes that are declared to come out of several ports.
    split: HashSet<Universe>,
}

impl<'a> Meant<'a> {
    pub(super) fn of(census: &Census, sheet: Option<&'a RigSheet>) -> Self {
        let Some(sheet) = sheet else { return Self { planned: HashMap::new(), split: HashSet::new() } };
        let found = |(node, matched): (&'a SheetNode, &Match)| match matched {
            Match::Found(index) => Some((census.nodes()[*index].address, node)),
            Match::Missing | Match::Ambiguous(_) => None,
        };
        let planned = sheet.nodes.iter().zip(&Matching::new(sheet, census).of_sheet).filter_map(found).collect();
        let ports = sheet.nodes.iter().flat_map(|node| &node.ports).filter(|port| port.splits.is_some());
        Self { planned, split: ports.filter_map(|port| port.universe.value.real()).collect() }
    }

    /// Whether it acts as another one does.
    fn is_clone(&self, node: &FoundNode) -> bool {
        self.planned.get(&node.address).is_some_and(|planned| planned.clone_of.is_some())
    }

    /// Whether the port is on its planned universe, and that is declared to come out of several.
    fn is_split(&self, node: &FoundNode, number: u32, universe: Universe) -> bool {
        let is_planned = |planned: &&SheetNode| {
            let on =
                |port: &SheetPort| port.number.value == number && port.universe.value.real() == Some(universe);
            planned.ports.iter().any(on)
        };
        self.split.contains(&universe) && self.planned.get(&node.address).is_some_and(is_planned)
    }
}

/// One note for all of them: on a rig with splitters each by itself would drown the rest. What is meant so is none.
pub(super) fn splits(nodes: &[&FoundNode], meant: &Meant<'_>) -> Option<Finding> {
    let outputs = nodes.iter().flat_map(|node| node.ports().map(|(number, _, port)| (*node, number, *port)));
    let outputs = outputs.filter(|(node, _, port)| port.direction == Direction::Out && !meant.is_clone(node));
    let mut several = repeated(outputs, |(_, _, port)| port.universe());
    several
        .retain(|group| group.iter().any(|(node, number, port)| !meant.is_split(node, *number, port.universe())));
    let described = |group: &Vec<(&FoundNode, u32, FoundPort)>| {
        let ports = named(group.iter().map(|(node, number, _)| format!("{} port {number}", node.title())), ", ");
        format!("{} ({ports})", group[0].2.universe())
    };
    let (node, number, _) = several.first()?.last()?;
    let list = named(several.iter().map(described), "; ");
    let remedy = match free_universe(node, *number, nodes) {
        Some(free) => format!(
            "where it is not meant, give a port another one, as in: deft-lantern set {} --port {number} --universe {free}",
            node.address
        ),
        None => "where it is not meant, give one of the ports another universe".to_owned(),
    };
    Some(SPLIT.finding(format!("universes on several outputs: {list}"), remedy))
}

/// The first universe of the port's page that comes out of no port yet: another page would move its neighbours too.
fn free_universe(node: &FoundNode, number: u32, nodes: &[&FoundNode]) -> Option<PortAddress> {
    let (_, port) = node.port(number)?;
    let used: HashSet<PortAddress> =
        nodes.iter().flat_map(|node| node.ports()).map(|(_, _, port)| port.universe).collect();
    let page = port.universe.flat() & !0x0f;
    (page..page + 16).filter_map(|flat| PortAddress::new(flat.into()).ok()).find(|free| !used.contains(free))
}
