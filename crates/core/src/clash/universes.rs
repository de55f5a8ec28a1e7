//! Clashes of universes on the sheet.

use std::collections::{HashMap, HashSet};

use super::{named, open, repeated};
use crate::Direction;
use crate::finding::{Finding, Rule, Severity};
use crate::sheet::kind::Settable;
use crate::sheet::{AskedUniverse, RigSheet, SheetNode, SheetPort, Span, WantedAddress};
use crate::universe::{PortAddress, Universe};

pub(super) static RULES: &[&Rule] = &[
    &NO_SUCH,
    &DOUBLE,
    &SPLIT_COUNT,
    &OUTSIDE_AREA,
    &TOO_MANY_PORTS,
    &OPEN,
    &TWO_PROTOCOLS,
    &TORN_PAGE,
    &NOT_SETTABLE,
];

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

static OPEN: Rule = Rule {
    code: "U006",
    severity: Severity::Warning,
    title: "a port without a universe yet",
    why: "a port without a planned universe can be neither set nor checked",
};
static TWO_PROTOCOLS: Rule = Rule {
    code: "U007",
    severity: Severity::Warning,
    title: "one number by two protocols",
    why: "Port-Address and sACN universe of one number are two universes; at the desk they are easily taken for one",
};
static TORN_PAGE: Rule = Rule {
    code: "U014",
    severity: Severity::Error,
    title: "ports of one page in different sub-nets",
    why: "Art-Net programs net and sub for four ports at once, so only the last of the three numbers may differ",
};
static NOT_SETTABLE: Rule = Rule {
    code: "U016",
    severity: Severity::Warning,
    title: "something that cannot be set on this kind",
    why: "the unit keeps what is set at itself, so the check may find it otherwise",
};

type Place<'s> = (&'s SheetNode, &'s SheetPort, Universe);

pub(super) fn clashes(sheet: &RigSheet) -> Vec<Finding> {
    let mut findings = doubles(sheet);
    findings.extend(two_protocols(sheet));
    let ports = sheet.nodes.iter().flat_map(|node| node.ports.iter().map(move |port| (node, port)));
    let without = ports.filter(|(_, port)| matches!(port.universe.value, AskedUniverse::Fill(_)));
    let without: Vec<(String, Span)> = without
        .map(|(node, port)| (format!("{} port {}", node.name.value, port.number.value), port.universe.span))
        .collect();
    findings.extend(open(sheet, &OPEN, "universe", &without));
    for node in &sheet.nodes {
        findings.extend(torn_pages(sheet, node));
        findings.extend(not_settable(sheet, node));
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
    let (name, number) = (&node.name.value, port.number.value);
    let what = format!("{name} port {number}: {out}");
    let remedy = format!("write a {} from {} to {}", out.part, out.first, out.last);
    Some(NO_SUCH.finding(what, remedy).at(sheet, port.universe.span, "no such universe"))
}

/// Ports one to four of a node, five to eight, and so on, share net and sub, whatever their direction and protocol: a port that
/// takes sACN has its universe as a Port-Address too.
fn torn_pages(sheet: &RigSheet, node: &SheetNode) -> Vec<Finding> {
    let address = |port: &SheetPort| port.universe.value.real().and_then(Universe::port_address);
    let ports: Vec<(&SheetPort, PortAddress)> =
        node.ports.iter().filter_map(|port| Some((port, address(port)?))).collect();
    let mut findings = Vec::new();
    for (i, (port, here)) in ports.iter().copied().enumerate() {
        let Some((first, there)) = ports[..i].iter().find(|(earlier, _)| earlier.page() == port.page()) else {
            continue;
        };
        if here.shares_page_with(*there) {
            continue;
        }
        let name = &node.name.value;
        let what = format!(
            "{name} has {there} on port {} and {here} on port {}, both of one page",
            first.number.value, port.number.value
        );
        let remedy =
            format!("choose a universe of net {} sub {}, or a port of another page", there.net(), there.sub());
        let finding = TORN_PAGE.finding(what, remedy).at(sheet, port.universe.span, "another sub-net");
        findings.push(finding.at(sheet, first.universe.span, "same page"));
    }
    findings
}

/// What the sheet asks of a node although its kind's facts say that it cannot be set.
fn not_settable(sheet: &RigSheet, node: &SheetNode) -> Vec<Finding> {
    let Some(kind) = sheet.kind_of(node).filter(|kind| !kind.settings.is_empty()) else { return Vec::new() };
    let mut asked: Vec<(Settable, Span)> = Vec::new();
    if node.address.value == WantedAddress::Dhcp {
        asked.push((Settable::Dhcp, node.address.span));
    }
    asked.extend(node.on_data_loss.as_ref().map(|loss| (Settable::DataLoss, loss.span)));
    asked.extend(node.label.as_ref().map(|label| (Settable::Label, label.span)));
    for port in &node.ports {
        asked.push((Settable::Universe, port.universe.span));
        asked.extend(port.merge.as_ref().map(|merge| (Settable::Merge, merge.span)));
        asked.extend(port.rdm.as_ref().map(|rdm| (Settable::Rdm, rdm.span)));
        asked.extend(port.on_data_loss.as_ref().map(|loss| (Settable::DataLoss, loss.span)));
    }
    let unable = asked.into_iter().filter(|(setting, _)| !kind.can_set(*setting));
    let finding = |(setting, span): (Settable, Span)| {
        let what =
            format!("{} asks for {}, which cannot be set on a {}", node.name.value, setting.word(), kind.title());
        let remedy = "set it at the unit and take it off the sheet, or correct the facts of the kind";
        NOT_SETTABLE.finding(what, remedy).at(sheet, span, setting.word())
    };
    unable.map(finding).collect()
}

/// A number that is used both as Port-Address and as sACN universe.
fn two_protocols(sheet: &RigSheet) -> Vec<Finding> {
    let (art_net, sacn): (Vec<Place<'_>>, Vec<Place<'_>>) =
        real_ports(sheet).partition(|(_, _, universe)| !universe.is_sacn());
    let mut first: HashMap<PortAddress, Place<'_>> = HashMap::new();
    for place in art_net {
        place.2.port_address().map(|address| first.entry(address).or_insert(place));
    }
    let mut told = HashSet::new();
    let mut findings = Vec::new();
    for place in sacn {
        let Some(address) = place.2.port_address() else { continue };
        let Some(other) = first.get(&address).filter(|_| told.insert(address)) else { continue };
        let what = format!("{} uses {}, and {} uses {}", title(&place), place.2, title(other), other.2);
        let remedy = "use one protocol for both ports, or another number for one of them";
        let finding = TWO_PROTOCOLS.finding(what, remedy).at(sheet, place.1.universe.span, title(&place));
        findings.push(finding.at(sheet, other.1.universe.span, title(other)));
    }
    findings
}

/// Every port with a universe that exists.
fn real_ports(sheet: &RigSheet) -> impl Iterator<Item = Place<'_>> {
    sheet
        .nodes
        .iter()
        .flat_map(|node| node.ports.iter().filter_map(move |port| Some((node, port, port.universe.value.real()?))))
}

fn outside_area(sheet: &RigSheet, node: &SheetNode, port: &SheetPort) -> Option<Finding> {
    let area = sheet.area_of(node)?;
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
    let kind = sheet.kind_of(node)?;
    if port.number.value <= kind.ports {
        return None;
    }
    let what = format!("{} has no port {}", node.name.value, port.number.value);
    let remedy = format!("a {} has {} ports: choose one of them, or another kind", kind.title(), kind.ports);
    Some(TOO_MANY_PORTS.finding(what, remedy).at(sheet, port.number.span, "no such port"))
}

/// Outputs that carry the same universe. Declared with `splits`, that is a splitter; on a declared clone it is meant;
/// otherwise it is a mistake.
fn doubles(sheet: &RigSheet) -> Vec<Finding> {
    let outputs: Vec<Place<'_>> = real_ports(sheet)
        .filter(|(node, port, _)| port.direction == Direction::Out && node.clone_of.is_none())
        .collect();
    let groups = repeated(outputs.iter().copied(), |(_, _, universe)| *universe);
    let together: HashSet<Universe> = groups.iter().map(|group| group[0].2).collect();
    let alone = outputs.iter().filter(|(_, port, universe)| port.splits.is_some() && !together.contains(universe));
    let missing = alone.filter_map(|place| wrong_size(sheet, &[*place]));
    groups.iter().filter_map(|group| double(sheet, group)).chain(missing).collect()
}

fn double(sheet: &RigSheet, group: &[Place<'_>]) -> Option<Finding> {
    if group.iter().any(|(_, port, _)| port.splits.is_some()) {
        return wrong_size(sheet, group);
    }
    let universe = group[0].2;
    let what = format!(
        "universe {universe} comes out of {} ports: {}",
        group.len(),
        named(group.iter().map(title), ", ")
    );
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
