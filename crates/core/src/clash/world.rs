//! Clashes of what was found with itself, known without any sheet.

use super::repeated;
use crate::Direction;
use crate::address::Subnet;
use crate::census::{Census, FoundNode, FoundPort};
use crate::finding::{Finding, Rule, Severity};

pub(super) static RULES: &[&Rule] = &[&TWICE, &UNREACHABLE, &SAME_NAME, &SPLIT, &FLOOD];

static TWICE: Rule = Rule {
    code: "W001",
    severity: Severity::Error,
    title: "two devices hold one address",
    why: "they disturb each other, and which of them answers changes from minute to minute",
};
static UNREACHABLE: Rule = Rule {
    code: "W002",
    severity: Severity::Error,
    title: "seen, but cannot be talked to",
    why: "its address lies in another subnet than this computer, so it is heard but not reached",
};
static SAME_NAME: Rule = Rule {
    code: "W003",
    severity: Severity::Warning,
    title: "two nodes say the same name",
    why: "nobody at the desk can tell them apart",
};
static SPLIT: Rule = Rule {
    code: "W004",
    severity: Severity::Note,
    title: "one universe on several outputs",
    why: "fine for a splitter; otherwise a universe was typed twice",
};
static FLOOD: Rule = Rule {
    code: "W005",
    severity: Severity::Error,
    title: "more nodes than a network has",
    why: "somebody floods the network with made-up answers, or a device is badly broken",
};

/// What is wrong among the nodes found, seen from a computer in `own`.
#[must_use]
pub fn world_clashes(census: &Census, own: &[Subnet]) -> Vec<Finding> {
    let nodes = census.by_address();
    let mut findings = twice(&nodes);
    findings.extend(nodes.iter().filter_map(|node| unreachable(node, own)));
    findings.extend(same_name(&nodes));
    findings.extend(splits(&nodes));
    if census.overlooked() > 0 {
        let what = format!(
            "{} answers came from still more nodes after the first {}",
            census.overlooked(),
            Census::MOST_NODES
        );
        findings.push(FLOOD.finding(what, "capture the traffic and unplug what sends it"));
    }
    findings
}

fn twice(nodes: &[&FoundNode]) -> Vec<Finding> {
    let finding = |group: Vec<&FoundNode>| {
        let macs: Vec<String> = group.iter().map(|n| format!("{} ({})", mac(n), n.title())).collect();
        let what = format!("{} is held by {}", group[0].address, macs.join(" and "));
        TWICE.finding(what, "unplug one of them, then set the other's address")
    };
    repeated(nodes.iter().copied(), |node| node.address).into_iter().map(finding).collect()
}

fn unreachable(node: &FoundNode, own: &[Subnet]) -> Option<Finding> {
    if own.is_empty() || own.iter().any(|subnet| subnet.contains(node.address)) {
        return None;
    }
    let here: Vec<String> = own.iter().map(ToString::to_string).collect();
    let what = format!("{} has {}, this computer is in {}", node.title(), node.address, here.join(", "));
    let remedy =
        format!("give this computer a second address there: deft-lantern adapters advise {}", node.address);
    Some(UNREACHABLE.finding(what, remedy))
}

fn same_name(nodes: &[&FoundNode]) -> Vec<Finding> {
    let named = nodes.iter().copied().filter(|node| !node.name().is_empty());
    let finding = |group: Vec<&FoundNode>| {
        let who: Vec<String> = group.iter().map(|n| format!("{} ({})", n.address, mac(n))).collect();
        let what = format!("{} nodes say they are {}: {}", group.len(), group[0].name(), who.join(", "));
        let remedy = format!("deft-lantern set {} --name NEW-NAME", group[group.len() - 1].address);
        SAME_NAME.finding(what, remedy)
    };
    repeated(named, |node| node.name()).into_iter().map(finding).collect()
}

/// One note for all of them: on a rig with splitters each by itself would drown the rest.
fn splits(nodes: &[&FoundNode]) -> Option<Finding> {
    let outputs = nodes.iter().flat_map(|node| node.ports().map(|(number, _, port)| (*node, number, *port)));
    let outputs = outputs.filter(|(_, _, port)| port.direction == Direction::Out);
    let several = repeated(outputs, |(_, _, port)| port.universe());
    let described = |group: &Vec<(&FoundNode, u32, FoundPort)>| {
        let ports: Vec<String> =
            group.iter().map(|(node, number, _)| format!("{} port {number}", node.title())).collect();
        format!("{} ({})", group[0].2.universe(), ports.join(", "))
    };
    let (node, number, _) = several.first()?.last()?;
    let list: Vec<String> = several.iter().map(described).collect();
    let remedy = format!(
        "where it is not meant, give a port another one, as in: deft-lantern set {} --port {number} --universe N",
        node.address
    );
    Some(SPLIT.finding(format!("universes on several outputs: {}", list.join("; ")), remedy))
}

fn mac(node: &FoundNode) -> String {
    node.mac.map_or_else(|| "MAC not told".to_owned(), |mac| mac.to_string())
}
