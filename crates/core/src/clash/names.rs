//! Clashes of names and identities on the sheet.

use std::fmt::Display;
use std::hash::Hash;

use lantern_wire::Text;
use lantern_wire::art_net::{LongName, ShortName};
use lantern_wire::rdm::text;

use super::{named, repeated};
use crate::finding::{Finding, Rule, Severity};
use crate::sheet::{Placed, RigSheet, SheetNode, nearest};

pub(super) static RULES: &[&Rule] =
    &[&TWICE, &TOO_LONG, &CUT_EQUAL, &MAC_TWICE, &SERIAL_TWICE, &UNKNOWN_KIND, &NUMBER_TWICE, &NO_READING];

static TWICE: Rule = Rule {
    code: "N001",
    severity: Severity::Error,
    title: "the same name twice",
    why: "nobody at the desk can tell the two apart",
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

static SERIAL_TWICE: Rule = Rule {
    code: "N005",
    severity: Severity::Error,
    title: "the same serial number twice",
    why: "one unit cannot be two nodes of the sheet",
};
static UNKNOWN_KIND: Rule = Rule {
    code: "N006",
    severity: Severity::Warning,
    title: "a kind that is not known",
    why: "nothing can be said about its ports, its power and its addresses",
};
static NUMBER_TWICE: Rule = Rule {
    code: "N007",
    severity: Severity::Error,
    title: "the same number twice, not declared",
    why: "units of one number act alike, so a command to one moves the other too",
};

static NO_READING: Rule = Rule {
    code: "N008",
    severity: Severity::Warning,
    title: "a reading that its kind does not have",
    why: "nobody knows what to ask for, so it is neither checked nor set",
};

pub(super) fn clashes(sheet: &RigSheet) -> Vec<Finding> {
    let mut findings = Vec::new();
    for group in repeated(sheet.members(), |member| member.name().value.as_str()) {
        let what = format!("{} devices are named {:?}", group.len(), group[0].name().value);
        let finding = TWICE.finding(what, "give each device a name of its own");
        findings.push(at_all(sheet, finding, group.iter().map(|member| member.name())));
    }
    for node in &sheet.nodes {
        let kept = sheet.kind_of(node).and_then(|kind| kind.name_bytes);
        let most = kept.map_or(ShortName::CAPACITY, |bytes| usize::try_from(bytes).unwrap_or(usize::MAX));
        if node.name.value.len() > most {
            findings.push(too_long(sheet, &node.name, "name", &node.name.value, ("node", most)));
        }
        if let Some(label) = node.label.as_ref().filter(|label| !LongName::fits(&label.value)) {
            findings.push(too_long(sheet, label, "label", &label.value, ("node", LongName::CAPACITY)));
        }
        for label in node.ports.iter().filter_map(|port| port.label.as_ref()) {
            if label.value.len() > text::MOST {
                findings.push(too_long(sheet, label, "label", &label.value, ("node", text::MOST)));
            }
        }
        findings.extend(unknown_kind(sheet, node));
        findings.extend(unknown_readings(sheet, node));
    }
    for fixture in &sheet.fixtures {
        // Of a row the last one's number is the longest.
        let longest = fixture.label.as_ref().zip(fixture.longest_label());
        if let Some((label, longest)) = longest.filter(|(_, longest)| longest.len() > text::MOST) {
            findings.push(too_long(sheet, label, "label", &longest, ("fixture", text::MOST)));
        }
    }
    for group in repeated(&sheet.nodes, |node| *ShortName::cut(&node.name.value).as_wire()) {
        if group.iter().any(|node| node.name.value != group[0].name.value) {
            let kept = Text::from_wire(*ShortName::cut(&group[0].name.value).as_wire()).to_lossy();
            let names = named(group.iter().map(|node| &node.name.value), " and ");
            let what = format!("{names} both become {kept:?} on the nodes");
            let finding = CUT_EQUAL.finding(what, "make the names differ within their first 17 bytes");
            findings.push(at_all(sheet, finding, group.iter().map(|node| &node.name)));
        }
    }
    let again = "read the labels again and correct one of them";
    findings.extend(same(sheet, &MAC_TWICE, "the MAC", again, |node| node.mac.as_ref()));
    findings.extend(same(sheet, &SERIAL_TWICE, "serial", again, |node| node.serial.as_ref()));
    let declare = "give one of them another number, or declare it with clone_of if they are meant to act alike";
    findings.extend(same(sheet, &NUMBER_TWICE, "number", declare, own_number));
    findings
}

fn own_number(node: &SheetNode) -> Option<&Placed<u32>> {
    node.number.as_ref().filter(|_| node.clone_of.is_none())
}

/// Nodes that are known by the same thing.
fn same<'s, T: Hash + Eq + Clone + Display + 's>(
    sheet: &'s RigSheet,
    rule: &'static Rule,
    what: &str,
    remedy: &str,
    value: fn(&SheetNode) -> Option<&Placed<T>>,
) -> Vec<Finding> {
    let with_value = sheet.nodes.iter().filter_map(|node| Some((value(node)?, node)));
    let finding = |group: Vec<(&Placed<T>, &SheetNode)>| {
        let names = named(group.iter().map(|(_, node)| &node.name.value), " and ");
        let finding = rule.finding(format!("{what} {} stands for {names}", group[0].0.value), remedy);
        group.iter().rev().fold(finding, |finding, (value, node)| {
            finding.at(sheet, value.span, format!("{what} of {}", node.name.value))
        })
    };
    repeated(with_value, |(value, _)| value.value.clone()).into_iter().map(finding).collect()
}

fn unknown_kind(sheet: &RigSheet, node: &SheetNode) -> Option<Finding> {
    let kind = node.kind.as_ref().filter(|kind| sheet.kinds.named(&kind.value).is_none())?;
    let what = format!("{} is a {:?}, which is no kind that is known", node.name.value, kind.value);
    let near = nearest(&kind.value, &sheet.kinds.names()).map_or_else(
        || "describe it with a [[kind]] table, or in a file of kinds".to_owned(),
        |near| format!("did you mean {near:?}? Otherwise describe it with a [[kind]] table"),
    );
    Some(UNKNOWN_KIND.finding(what, near).at(sheet, kind.span, "not known"))
}

/// Readings that a node is to have and its kind does not describe. Of an unknown kind that is told already.
fn unknown_readings<'s>(sheet: &'s RigSheet, node: &'s SheetNode) -> impl Iterator<Item = Finding> + 's {
    let kind = sheet.kind_of(node);
    let is_told = node.kind.is_some() && kind.is_none();
    node.readings.iter().filter(move |_| !is_told).filter_map(move |(name, _)| {
        let written = name.value.as_str();
        let described: Vec<&str> =
            kind.iter().flat_map(|kind| &kind.readings).map(|reading| reading.name.as_str()).collect();
        if described.contains(&written) {
            return None;
        }
        let what = format!("{} is to have the reading {written:?}, which its kind does not have", node.name.value);
        let remedy = nearest(written, &described).map_or_else(
            || "describe it with [[kind.reading]]".to_owned(),
            |near| format!("did you mean {near:?}? Otherwise describe it with [[kind.reading]]"),
        );
        Some(NO_READING.finding(what, remedy).at(sheet, name.span, "not described"))
    })
}

fn at_all<'s>(
    sheet: &RigSheet,
    finding: Finding,
    names: impl DoubleEndedIterator<Item = &'s Placed<String>>,
) -> Finding {
    names.rev().fold(finding, |finding, name| finding.at(sheet, name.span, name.value.clone()))
}

/// That `made`, which is made of what stands there, is cut by whoever keeps so many bytes.
fn too_long(
    sheet: &RigSheet,
    written: &Placed<String>,
    what: &str,
    made: &str,
    (who, most): (&str, usize),
) -> Finding {
    let kept = &made[..made.floor_char_boundary(most)];
    let said = format!("the {what} {made:?} has {} bytes, the {who} keeps {most}: {kept:?}", made.len());
    TOO_LONG.finding(said, format!("shorten it to {most} bytes")).at(sheet, written.span, "too long")
}
