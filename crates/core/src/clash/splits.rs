//! Universes that come out of several outputs, as far as nobody said that they are meant to.

use std::collections::{HashMap, HashSet};
use std::net::Ipv4Addr;

use super::{named, repeated};
use crate::Direction;
use crate::census::{Census, FoundNode, Unit, Way};
use crate::compare::{Match, Matching};
use crate::facts::{Field, PortField, Value};
use crate::finding::{Finding, Rule, Severity};
use crate::sheet::{RigSheet, SheetNode, SheetPort};
use crate::universe::{PortAddress, SacnUniverse, Universe};

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
    /// The nodes of the sheet, by their names: one that only a broker tells of is known by nothing else.
    named: HashMap<&'a str, &'a SheetNode>,
    /// The universes that are declared to come out of several ports.
    split: HashSet<Universe>,
}

/// An output that was found.
struct Output<'a> {
    of: Of<'a>,
    number: u32,
    universe: Universe,
}

/// Whose it is.
#[derive(Clone, Copy)]
enum Of<'a> {
    Node(&'a FoundNode),
    /// A gateway behind a broker.
    Unit(&'a Unit),
}

impl Of<'_> {
    fn title(self) -> String {
        match self {
            Self::Node(node) => node.title(),
            Self::Unit(unit) => unit.title(),
        }
    }
}

impl<'a> Meant<'a> {
    pub(super) fn of(census: &Census, sheet: Option<&'a RigSheet>) -> Self {
        let (planned, named, split) = (HashMap::new(), HashMap::new(), HashSet::new());
        let Some(sheet) = sheet else { return Self { planned, named, split } };
        let found = |(node, matched): (&'a SheetNode, &Match)| match matched {
            Match::Found(index) => Some((census.nodes()[*index].address, node)),
            Match::Missing | Match::Ambiguous(_) => None,
        };
        let planned = sheet.nodes.iter().zip(&Matching::new(sheet, census).of_sheet).filter_map(found).collect();
        let named = sheet.nodes.iter().map(|node| (node.name.value.as_str(), node)).collect();
        let ports = sheet.nodes.iter().flat_map(|node| &node.ports).filter(|port| port.splits.is_some());
        Self { planned, named, split: ports.filter_map(|port| port.universe.value.real()).collect() }
    }

    fn planned(&self, of: Of<'_>) -> Option<&'a SheetNode> {
        match of {
            Of::Node(node) => self.planned.get(&node.address).copied(),
            Of::Unit(unit) => self.named.get(unit.name().raw()).copied(),
        }
    }

    /// Whether it acts as another one does.
    fn is_clone(&self, of: Of<'_>) -> bool {
        self.planned(of).is_some_and(|planned| planned.clone_of.is_some())
    }

    /// Whether the port is on its planned universe, and that is declared to come out of several.
    fn is_split(&self, output: &Output<'_>) -> bool {
        let on = |port: &SheetPort| {
            port.number.value == output.number && port.universe.value.real() == Some(output.universe)
        };
        let is_planned = self.planned(output.of).is_some_and(|planned| planned.ports.iter().any(on));
        self.split.contains(&output.universe) && is_planned
    }
}

/// Every output of these nodes, and of the gateways behind brokers that are none of them.
fn outputs<'a>(nodes: &[&'a FoundNode], units: &'a [Unit]) -> Vec<Output<'a>> {
    let of_node = |node: &'a FoundNode| {
        let outputs = node.ports().filter(|(_, _, port)| port.direction == Direction::Out);
        outputs.map(move |(number, _, port)| Output { of: Of::Node(node), number, universe: port.universe() })
    };
    let is_node = |unit: &&Unit| nodes.iter().any(|node| unit.mac.is_some() && node.mac == unit.mac);
    let of_unit = |unit: &'a Unit| {
        let is_out = |number| {
            let told = unit.facts.get(Field::Port(number, PortField::Direction));
            told == Some(&Value::Direction(Direction::Out))
        };
        unit.facts.told().filter_map(move |(field, value)| match (field, value) {
            (Field::Port(number, PortField::Universe), Value::Universe(universe)) if is_out(number) => {
                Some(Output { of: Of::Unit(unit), number, universe: *universe })
            }
            _ => None,
        })
    };
    let behind = units.iter().filter(|unit| unit.family == Way::Rdmnet && !is_node(unit));
    nodes.iter().copied().flat_map(of_node).chain(behind.flat_map(of_unit)).collect()
}

/// One note for all of them: on a rig with splitters each by itself would drown the rest. What is meant so is none.
pub(super) fn splits(nodes: &[&FoundNode], units: &[Unit], meant: &Meant<'_>) -> Option<Finding> {
    let outputs = outputs(nodes, units);
    let mut several = repeated(outputs.iter().filter(|one| !meant.is_clone(one.of)), |one| one.universe);
    several.retain(|group| group.iter().any(|one| !meant.is_split(one)));
    let described = |group: &Vec<&Output<'_>>| {
        let ports = named(group.iter().map(|one| format!("{} port {}", one.of.title(), one.number)), ", ");
        format!("{} ({ports})", group[0].universe)
    };
    let last = several.first()?.last()?;
    let list = named(several.iter().map(described), "; ");
    let remedy = match command(last, nodes, &outputs) {
        Some(command) => format!("where it is not meant, give a port another one, as in: {command}"),
        None => "where it is not meant, give one of the ports another universe".to_owned(),
    };
    Some(SPLIT.finding(format!("universes on several outputs: {list}"), remedy))
}

/// What gives this output a universe of its own.
fn command(output: &Output<'_>, nodes: &[&FoundNode], all: &[Output<'_>]) -> Option<String> {
    let number = output.number;
    let (who, free) = match output.of {
        Of::Node(node) => (node.address.to_string(), free_universe(node, number, nodes)?.to_string()),
        Of::Unit(unit) => {
            let used: HashSet<Universe> = all.iter().map(|one| one.universe).collect();
            let after = output.universe.sacn()?.number();
            let mut behind =
                (after..).map_while(|number| SacnUniverse::new(number.into()).ok()).map(Universe::Sacn);
            (unit.identity.to_string(), format!("'{}'", behind.find(|free| !used.contains(free))?))
        }
    };
    Some(format!("deft-lantern set {who} --port {number} --universe {free}"))
}

/// The first universe of the port's page that comes out of no port yet: another page would move its neighbours too.
fn free_universe(node: &FoundNode, number: u32, nodes: &[&FoundNode]) -> Option<PortAddress> {
    let (_, port) = node.port(number)?;
    let used: HashSet<PortAddress> =
        nodes.iter().flat_map(|node| node.ports()).map(|(_, _, port)| port.universe).collect();
    let page = port.universe.flat() & !0x0f;
    (page..page + 16).filter_map(|flat| PortAddress::new(flat.into()).ok()).find(|free| !used.contains(free))
}
