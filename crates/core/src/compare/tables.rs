//! Of which ports of the sheet the gateway told everybody who hangs there; and of the others, why it did not.

use std::collections::{HashMap, HashSet};

use super::fixtures::Port;
use crate::census::{Census, FoundNode};
use crate::finding::{Finding, Rule, Severity};
use crate::sheet::RigSheet;

pub(super) static UNTOLD: Rule = Rule {
    code: "R031",
    severity: Severity::Warning,
    title: "a gateway that does not tell who hangs on its port",
    why: "fixtures behind it may be as planned or not: nothing is known of them",
};

/// Why nothing is known of who hangs on a port.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Untold {
    what: String,
    /// Nothing where it is as the sheet wants it.
    remedy: Option<String>,
}

impl Untold {
    /// In words.
    #[must_use]
    pub fn what(&self) -> &str {
        &self.what
    }

    /// That nothing is known of so many fixtures of the sheet.
    pub(super) fn finding(&self, fixtures: usize) -> Option<Finding> {
        let count = if fixtures == 1 { "1 fixture".to_owned() } else { format!("{fixtures} fixtures") };
        let what = format!("{}: nothing is known of {count} of the sheet", self.what);
        self.remedy.as_ref().map(|remedy| UNTOLD.finding(what, remedy.clone()))
    }
}

/// Who told, of the gateways that answer.
pub(super) struct Tables<'a> {
    sheet: &'a RigSheet,
    /// By name on the sheet.
    gateways: HashMap<&'a str, &'a FoundNode>,
    told: HashSet<Port<'a>>,
}

impl<'a> Tables<'a> {
    /// Of gateways by their places in the census, as the sheet calls them.
    pub(super) fn of(sheet: &'a RigSheet, census: &'a Census, names: &HashMap<usize, &'a str>) -> Self {
        let mut told = HashSet::new();
        for cable in census.cables() {
            let gateway = census.gateway(&cable).and_then(|(at, node)| Some((*names.get(&at)?, node)));
            told.extend(gateway.and_then(|(node, found)| Some(Port { node, number: cable.port_of(found)? })));
        }
        let gateways = names.iter().map(|(at, name)| (*name, &census.nodes()[*at])).collect();
        Self { sheet, gateways, told }
    }

    /// Why nothing is known of who hangs on these ports; `None` where all of those that answer have told it.
    pub(super) fn untold(&self, ports: &[Port<'a>]) -> Option<Untold> {
        let silent = ports.iter().filter(|port| !self.told.contains(port));
        let (port, node) = silent.filter_map(|port| Some((*port, *self.gateways.get(port.node)?))).next()?;
        Some(self.why(port, node))
    }

    fn why(&self, port: Port<'a>, node: &FoundNode) -> Untold {
        let Port { node: name, number } = port;
        if self.sheet.is_locked(node.address, node.mac) {
            let what = format!("{name} is locked, and is not asked who hangs on port {number}");
            return Untold { what, remedy: None };
        }
        let (what, remedy) = if !node.does_rdm {
            let remedy = "take its fixtures to a gateway that does RDM, or check them by eye";
            (format!("{name} does no RDM"), remedy.to_owned())
        } else if node.port(number).is_some_and(|(_, port)| port.rdm == Some(false)) {
            let order = format!("deft-lantern set {name} --port {number} --rdm on, then check again");
            (format!("RDM is off at {port}"), order)
        } else {
            let remedy = "check again; if it stays so, look at its own settings for RDM";
            (format!("{name} did not tell who hangs on port {number}"), remedy.to_owned())
        };
        Untold { what, remedy: Some(remedy) }
    }
}
