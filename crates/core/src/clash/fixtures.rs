//! Clashes of fixtures on their universes.

use std::collections::{HashMap, HashSet};

use lantern_wire::rdm::Uid;

use super::open;
use crate::Direction;
use crate::finding::{Finding, Rule, Severity};
use crate::sheet::{AskedUniverse, Fixture, RigSheet, SLOTS, SheetPort, Span};
use crate::universe::Universe;

pub(super) static RULES: &[&Rule] = &[&OVERLAP, &PAST_END, &NOT_CARRIED, &OPEN, &NO_SUCH, &SAME_UNIT, &OTHER_PORT];

static OVERLAP: Rule = Rule {
    code: "F001",
    severity: Severity::Error,
    title: "fixtures that share slots",
    why: "one fader moves both, and each shows values meant for the other",
};
static PAST_END: Rule = Rule {
    code: "F002",
    severity: Severity::Error,
    title: "a fixture past the end of its universe",
    why: "a universe has 512 slots; what lies beyond gets no data",
};
static NOT_CARRIED: Rule = Rule {
    code: "F003",
    severity: Severity::Warning,
    title: "fixtures on a universe that comes out nowhere",
    why: "no output of the sheet carries the universe, so the fixtures stay dark",
};
static OPEN: Rule = Rule {
    code: "F004",
    severity: Severity::Warning,
    title: "a fixture without a slot yet",
    why: "neither the desk nor the fixture can be set before it is known",
};
static NO_SUCH: Rule = Rule {
    code: "F005",
    severity: Severity::Error,
    title: "a fixture on a universe that does not exist",
    why: "no desk and no node can be set to a number outside the standard",
};

static SAME_UNIT: Rule = Rule {
    code: "F006",
    severity: Severity::Error,
    title: "one RDM identifier for two fixtures",
    why: "an identifier belongs to one unit: one of the two would never be found, and the other set twice",
};

static OTHER_PORT: Rule = Rule {
    code: "F007",
    severity: Severity::Error,
    title: "a fixture behind a port that has not its universe",
    why: "what the desk sends on that universe does not come out where the fixture hangs",
};

pub(super) fn clashes(sheet: &RigSheet) -> Vec<Finding> {
    let mut findings = Vec::new();
    let mut by_universe: HashMap<Universe, Vec<&Fixture>> = HashMap::new();
    for fixture in &sheet.fixtures {
        match &fixture.on.value {
            AskedUniverse::Real(universe) => by_universe.entry(*universe).or_default().push(fixture),
            AskedUniverse::Impossible(out) => {
                let remedy = format!("write a {} from {} to {}", out.part, out.first, out.last);
                let finding = NO_SUCH.finding(format!("{}: {out}", fixture.name.value), remedy);
                findings.push(finding.at(sheet, fixture.on.span, "no such universe"));
            }
            // The reader refuses it.
            AskedUniverse::Fill(_) => {}
        }
        findings.extend(end_of(sheet, fixture));
        findings.extend(behind_another(sheet, fixture));
    }
    let without = sheet.fixtures.iter().filter(|fixture| fixture.slots().is_none());
    let without: Vec<(String, Span)> =
        without.map(|fixture| (fixture.name.value.clone(), fixture.slot.span)).collect();
    findings.extend(open(sheet, &OPEN, "slot", &without));
    findings.extend(same_units(sheet));
    let carried = carried(sheet);
    for (universe, fixtures) in by_universe {
        if !carried.contains(&universe) {
            findings.push(not_carried(sheet, universe, &fixtures));
        }
        findings.extend(overlaps(sheet, universe, fixtures));
    }
    findings
}

fn end_of(sheet: &RigSheet, fixture: &Fixture) -> Option<Finding> {
    let name = &fixture.name.value;
    let (first, last) = fixture.slots()?;
    if last <= SLOTS {
        return None;
    }
    let what = format!("{name} takes the slots {first} to {last}");
    let remedy = match SLOTS.checked_sub(fixture.length()) {
        Some(room) => format!("start it at slot {} at the latest, or on another universe", room + 1),
        None => "split the row over several universes".to_owned(),
    };
    Some(PAST_END.finding(what, remedy).at(sheet, fixture.slot.span, format!("{} too many", last - SLOTS)))
}

/// One that is said to hang where its universe does not come out.
fn behind_another(sheet: &RigSheet, fixture: &Fixture) -> Option<Finding> {
    let (behind, universe) = (fixture.behind.as_ref()?, fixture.on.value.real()?);
    let node = &sheet.nodes[behind.value];
    // One that is not decided yet may become the right one.
    let comes_out = |port: &SheetPort| {
        let real = port.universe.value.real();
        let is_it = real.is_none_or(|real| real.port_address() == universe.port_address());
        is_it && port.direction == Direction::Out
    };
    let is_meant = |port: &SheetPort| fixture.port.as_ref().is_none_or(|wanted| wanted.value == port.number.value);
    if node.ports.iter().any(|port| is_meant(port) && comes_out(port)) {
        return None;
    }
    let place = fixture.port.as_ref().map_or(String::new(), |port| format!(" port {}", port.value));
    let what = format!(
        "{} on {universe} hangs behind {}{place}, which does not put it out",
        fixture.name.value, node.name.value
    );
    let span = fixture.port.as_ref().map_or(behind.span, |port| port.span);
    let remedy = "name the port that it hangs on, or leave it out: by its universe it is found as well";
    Some(OTHER_PORT.finding(what, remedy).at(sheet, span, "another universe, or none"))
}

fn carried(sheet: &RigSheet) -> HashSet<Universe> {
    let ports = sheet.nodes.iter().flat_map(|node| &node.ports);
    let outputs = ports.filter(|port| port.direction == Direction::Out);
    outputs.filter_map(|port| port.universe.value.real()).collect()
}

fn not_carried(sheet: &RigSheet, universe: Universe, fixtures: &[&Fixture]) -> Finding {
    let more = if fixtures.len() > 1 { format!(" and {} more", fixtures.len() - 1) } else { String::new() };
    let what = format!("{}{more} on {universe}, which no output carries", fixtures[0].name.value);
    let remedy = "give an output this universe, or hang the fixtures on one that comes out";
    NOT_CARRIED.finding(what, remedy).at(sheet, fixtures[0].on.span, "comes out nowhere")
}

/// Each fixture that begins before the one that reaches furthest among those before it has ended.
fn overlaps(sheet: &RigSheet, universe: Universe, mut fixtures: Vec<&Fixture>) -> Vec<Finding> {
    fixtures.retain(|fixture| fixture.slots().is_some());
    fixtures.sort_by_key(|fixture| (fixture.slots(), fixture.name.span.start));
    let mut findings = Vec::new();
    let mut fixtures = fixtures.into_iter();
    let Some(mut furthest) = fixtures.next() else { return findings };
    for fixture in fixtures {
        let (Some((first, last)), Some((begun, reached))) = (fixture.slots(), furthest.slots()) else { continue };
        if first <= reached {
            let what = format!(
                "{} (slots {first} to {last}) and {} ({begun} to {reached}) overlap on {universe}",
                fixture.name.value, furthest.name.value
            );
            let finding = OVERLAP.finding(what, "move one of them, or write \"fill\" for its slot");
            let finding = finding.at(sheet, fixture.slot.span, fixture.name.value.clone());
            findings.push(finding.at(sheet, furthest.slot.span, furthest.name.value.clone()));
        }
        if last > reached {
            furthest = fixture;
        }
    }
    findings
}

/// Identifiers that stand on the sheet twice.
fn same_units(sheet: &RigSheet) -> Vec<Finding> {
    let mut first: HashMap<Uid, String> = HashMap::new();
    let mut findings = Vec::new();
    for fixture in &sheet.fixtures {
        for (name, uid) in fixture.names().zip(&fixture.uids) {
            let Some(known) = uid.value else { continue };
            if let Some(other) = first.get(&known) {
                let what = format!("{known} is {other} and {name}");
                let finding = SAME_UNIT.finding(what, "find out which it is with: deft-lantern match SHEET");
                findings.push(finding.at(sheet, uid.span, format!("{other} too")));
            } else {
                first.insert(known, name);
            }
        }
    }
    findings
}
