//! Clashes of names and identities on the sheet.

use lantern_wire::Text;
use lantern_wire::art_net::{LongName, ShortName};

use super::repeated;
use crate::finding::{Finding, Rule, Severity};
use crate::sheet::{Placed, RigSheet, SheetNode};

pub(super) static RULES: &[&Rule] = &[&TWICE, &TOO_LONG, &CUT_EQUAL, &MAC_TWICE];

static TWICE: Rule = Rule {
    code: "N001",
    severity: Severity::Error,
    title: "the same name twice",
    why: "nobody at the desk can tell the two nodes apart",
};
static TOO_LONG: Rule = Rule {
    code: "N002",
    severity: Severity::Warning,
    title: "a name longer than the protocol keeps",
    why: "the node keeps only the beginning, so the check would find another name than planned",
};
static CUT_EQUAL: Rule = Rule {
    code: "N003",
    severity: Severity::Error,
    title: "names that become equal when cut",
    why: "the nodes keep only the beginning of each name, and that is the same",
};
static MAC_TWICE: Rule = Rule {
    code: "N004",
    severity: Severity::Error,
    title: "the same MAC address twice",
    why: "one unit cannot be two nodes of the sheet",
};

pub(super) fn clashes(sheet: &RigSheet) -> Vec<Finding> {
    let mut findings = Vec::new();
    let pairs =
        |nodes: Vec<&SheetNode>| nodes.iter().map(|n| n.name.value.clone()).collect::<Vec<_>>().join(" and ");
    for group in repeated(&sheet.nodes, |node| node.name.value.as_str()) {
        let what = format!("{} nodes are named {:?}", group.len(), group[0].name.value);
        let finding = TWICE.finding(what, "give each node a name of its own");
        findings.push(at_all(sheet, finding, &group, |node| &node.name));
    }
    let long = sheet.nodes.iter().filter(|node| !ShortName::fits(&node.name.value));
    for node in long {
        findings.push(too_long(sheet, &node.name, "name", ShortName::CAPACITY));
    }
    for label in sheet.nodes.iter().filter_map(|node| node.label.as_ref()) {
        if !LongName::fits(&label.value) {
            findings.push(too_long(sheet, label, "label", LongName::CAPACITY));
        }
    }
    for group in repeated(&sheet.nodes, |node| *ShortName::cut(&node.name.value).as_wire()) {
        if group.iter().any(|node| node.name.value != group[0].name.value) {
            let kept = Text::from_wire(*ShortName::cut(&group[0].name.value).as_wire()).to_lossy();
            let what = format!("{} both become {kept:?} on the nodes", pairs(group.clone()));
            let finding = CUT_EQUAL.finding(what, "make the names differ within their first 17 bytes");
            findings.push(at_all(sheet, finding, &group, |node| &node.name));
        }
    }
    let with_mac = sheet.nodes.iter().filter_map(|node| node.mac.as_ref().map(|mac| (mac, node)));
    for group in repeated(with_mac, |(mac, _)| mac.value) {
        let nodes: Vec<&SheetNode> = group.iter().map(|(_, node)| *node).collect();
        let what = format!("{} stands for {}", group[0].0.value, pairs(nodes));
        let mut finding = MAC_TWICE.finding(what, "read the labels again and correct one of them");
        for (mac, node) in group.into_iter().rev() {
            finding = finding.at(sheet, mac.span, format!("the MAC of {}", node.name.value));
        }
        findings.push(finding);
    }
    findings
}

fn at_all(
    sheet: &RigSheet,
    finding: Finding,
    group: &[&SheetNode],
    place: impl Fn(&SheetNode) -> &Placed<String>,
) -> Finding {
    group.iter().rev().fold(finding, |f, node| f.at(sheet, place(node).span, place(node).value.clone()))
}

fn too_long(sheet: &RigSheet, text: &Placed<String>, what: &str, most: usize) -> Finding {
    let kept = &text.value[..text.value.floor_char_boundary(most)];
    let said =
        format!("the {what} {:?} has {} bytes, the node keeps {most}: {kept:?}", text.value, text.value.len());
    TOO_LONG.finding(said, format!("shorten it to {most} bytes")).at(sheet, text.span, "too long")
}
