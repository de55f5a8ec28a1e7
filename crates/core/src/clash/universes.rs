//! Clashes of universes on the sheet.

use super::grouped;
use crate::Direction;
use crate::finding::{Finding, Rule, Severity};
use crate::kind::Kind;
use crate::sheet::{AskedUniverse, RigSheet, SheetNode, SheetPort};
use crate::universe::Universe;

pub(super) static RULES: &[&Rule] = &[&NO_SUCH, &DOUBLE, &SPLIT_COUNT, &OUTSIDE_AREA, &TOO_MANY_PORTS];

static NO_SUCH: Rule = Rule {
    code: "U001",
    severity: Severity::Error,
    title: "a universe that does not exist",
    why: "no device can be set to a number outside the standard",
};
static DOUBLE: Rule = Rule {
    code: "U002",
    severity: Severity::Error,
    title: "one universe on several outputs, not declared",
    why: "fixtures on both outputs would do the same; often a universe was typed twice, and another is missing",
};
static SPLIT_COUNT: Rule = Rule {
    code: "U003",
    severity: Severity::Error,
    title: "a split of another size than declared",
    why: "an output was added or lost since the split was declared",
};
static OUTSIDE_AREA: Rule = Rule {
    code: "U004",
    severity: Severity::Warning,
    title: "a universe outside its area's block",
    why: "the universe may be planned again for the area it belongs to",
};
static TOO_MANY_PORTS: Rule = Rule {
    code: "U005",
    severity: Severity::Error,
    title: "a port the node does not have",
    why: "no unit of this kind has a port of this number",
};

type Place<'s> = (&'s SheetNode, &'s SheetPort, Universe);

pub(super) fn clashes(sheet: &RigSheet) -> Vec<Finding> {
    let mut findings = doubles(sheet);
    for node in &sheet.nodes {
        for port in &node.ports {
            findings.extend(no_such(sheet, node, port));
            findings.extend(outside_area(sheet, node, port));
            findings.extend(too_many_ports(sheet, node, port));
        }
    }
    findings
}

fn no_such(sheet: &RigSheet, node: &SheetNode, port: &SheetPort) -> Option<Finding> {
    let AskedUniverse::Impossible(out) = &port.universe.value else { return None };
    let what = format!("{} port {}: {out}", node.name.value, port.number.value);
    let remedy = format!("write a {} from {} to {}", out.part, out.first, out.last);
    Some(NO_SUCH.finding(what, remedy).at(sheet, port.universe.span, "no such universe"))
}

fn outside_area(sheet: &RigSheet, node: &SheetNode, port: &SheetPort) -> Option<Finding> {
    let area = &sheet.areas[node.area?];
    let block = area.universes.as_ref()?.value;
    let address = port.universe.value.real()?.port_address()?;
    if block.contains(address) {
        return None;
    }
    let what = format!(
        "{} port {} has {address}, outside the block of {} ({block})",
        node.name.value, port.number.value, area.name.value
    );
    let remedy = format!("choose a universe of {}, or widen its block", area.name.value);
    Some(OUTSIDE_AREA.finding(what, remedy).at(sheet, port.universe.span, "outside its area's block"))
}

fn too_many_ports(sheet: &RigSheet, node: &SheetNode, port: &SheetPort) -> Option<Finding> {
    let kind = Kind::named(&node.kind.as_ref()?.value)?;
    if port.number.value <= kind.ports {
        return None;
    }
    let what = format!("{} has no port {}", node.name.value, port.number.value);
    let remedy = format!("a {} has {} ports: choose one of them, or another kind", kind.title(), kind.ports);
    Some(TOO_MANY_PORTS.finding(what, remedy).at(sheet, port.number.span, "no such port"))
}

/// Outputs that carry the same universe. Declared with `splits`, that is a splitter; otherwise it is a mistake.
fn doubles<'s>(sheet: &'s RigSheet) -> Vec<Finding> {
    let outputs = sheet.nodes.iter().flat_map(|node| {
        let real = move |port: &'s SheetPort| Some((node, port, port.universe.value.real()?));
        node.ports.iter().filter(|port| port.direction == Direction::Out).filter_map(real)
    });
    grouped(outputs, |(_, _, universe)| *universe).iter().filter_map(|group| double(sheet, group)).collect()
}

fn double(sheet: &RigSheet, group: &[Place<'_>]) -> Option<Finding> {
    if group.iter().any(|(_, port, _)| port.splits.is_some()) {
        return wrong_size(sheet, group);
    }
    if group.len() == 1 {
        return None;
    }
    let universe = group[0].2;
    let ports: Vec<String> = group.iter().map(title).collect();
    let what = format!("universe {universe} comes out of {} ports: {}", group.len(), ports.join(", "));
    let remedy =
        format!("choose another universe for one, or declare it with splits = {} if it is meant", group.len());
    // The later port is the one to mend.
    let finding = DOUBLE.finding(what, remedy);
    Some(group.iter().rev().fold(finding, |f, place| f.at(sheet, place.1.universe.span, title(place))))
}

fn wrong_size(sheet: &RigSheet, group: &[Place<'_>]) -> Option<Finding> {
    let declared = group.iter().filter_map(|(_, port, _)| port.splits.as_ref());
    let wrong = declared.clone().find(|splits| usize::try_from(splits.value) != Ok(group.len()))?;
    let universe = group[0].2;
    let what = format!(
        "universe {universe} is declared to come out of {} ports, but {} carry it",
        wrong.value,
        group.len()
    );
    let remedy = "correct the number, or the universe of the port that is too many or missing";
    let finding = SPLIT_COUNT.finding(what, remedy).at(sheet, wrong.span, "declared here");
    Some(group.iter().fold(finding, |f, place| f.at(sheet, place.1.universe.span, title(place))))
}

fn title((node, port, _): &Place<'_>) -> String {
    format!("{} port {}", node.name.value, port.number.value)
}
