//! Nodes whose sACN universes all lie one beside the plan: they count them otherwise than the sheet says.

use super::{Row, State};
use crate::facts::{Difference, Field, Known, PortField, Value};
use crate::finding::{Finding, Rule, Severity};
use crate::sheet::{RigSheet, SheetPort};
use crate::universe::Universe;

pub(super) static RULES: &[&Rule] = &[&ALL_BESIDE];

static ALL_BESIDE: Rule = Rule {
    code: "R025",
    severity: Severity::Warning,
    title: "all sACN universes of a node lie one beside the plan",
    why: "of Art-Net 4 an sACN universe is the Port-Address of that number, and some nodes listen to the one above it",
};

/// The fewest ports that show a pattern.
const LEAST: usize = 2;

/// That all ports of a node that listen to sACN are one lower, or one higher, than planned, as it tells itself.
pub(super) fn finding(row: &Row<'_>, sheet: &RigSheet) -> Option<Finding> {
    let State::Found(_, differences) = &row.state else { return None };
    let is_sacn = |port: &&SheetPort| port.universe.value.real().is_some_and(Universe::is_sacn);
    let listening = row.planned.ports.iter().filter(is_sacn).count();
    let beside: Vec<i32> = differences.iter().filter_map(beside).collect();
    let first = *beside.first()?;
    if listening < LEAST || beside.len() != listening || beside.iter().any(|by| *by != first) {
        return None;
    }
    let (way, other) = match (first, sheet.sacn_offset_of(row.planned)) {
        (-1, 0) => ("below", 1),
        (1, 1) => ("above", 0),
        _ => return None,
    };
    let name = &row.planned.name.value;
    let what = format!("all {listening} sACN universes of {name} are one {way} the plan, as it tells them");
    let remedy = format!(
        "if {name} receives as planned all the same, write sacn_offset = {other} at it or its kind; else: deft-lantern apply SHEET"
    );
    Some(ALL_BESIDE.finding(what, remedy))
}

/// By how much a port is told to be beside the plan.
fn beside(difference: &Difference) -> Option<i32> {
    let flat = |value: &Value| match value {
        Value::Universe(universe) => Some(i32::from(universe.port_address()?.flat())),
        _ => None,
    };
    match (difference.field, &difference.found) {
        (Field::Port(_, PortField::Universe), Known::Told(found)) => {
            Some(flat(found)? - flat(&difference.planned)?)
        }
        _ => None,
    }
}
