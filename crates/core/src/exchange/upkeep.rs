//! A table for the workshop: every fixture with what it tells of its hours, its lamp, its software and its state.

use super::table::{Delimiter, write_table};
use crate::census::{Census, FoundFixture};
use crate::compare::compare_fixtures;
use crate::facts::Field;
use crate::sheet::{AskedUniverse, RigSheet};

const COLUMNS: [&str; 14] = [
    "name",
    "universe",
    "slot",
    "uid",
    "label",
    "model",
    "software",
    "hours",
    "power_cycles",
    "lamp_hours",
    "lamp_strikes",
    "sensors",
    "reports",
    "damaged_messages",
];

/// A row for each fixture of the sheet, with what the one told that hangs there; then those on no sheet. What was not told is
/// empty.
#[must_use]
pub fn export_upkeep(sheet: &RigSheet, census: &Census, delimiter: Delimiter) -> String {
    let compared = compare_fixtures(sheet, census);
    let planned = compared.rows.iter().map(|row| {
        let on = match &row.planned.on.value {
            AskedUniverse::Real(universe) => universe.to_string(),
            AskedUniverse::Fill(_) | AskedUniverse::Impossible(_) => String::new(),
        };
        let slot = row.planned.slot_of(row.nth).map(|slot| slot.to_string()).unwrap_or_default();
        [vec![row.name.clone(), on, slot], told(row.found())].concat()
    });
    let strange = compared.unexpected.iter().map(|one| {
        let universe = one.fixture.behind.universe.to_string();
        [vec![String::new(), universe, fact(&one.fixture, Field::StartAddress)], told(Some(&one.fixture))].concat()
    });
    write_table(&COLUMNS, &planned.chain(strange).collect::<Vec<_>>(), delimiter)
}

fn fact(found: &FoundFixture, field: Field) -> String {
    found.facts.get(field).map(ToString::to_string).unwrap_or_default()
}

fn told(found: Option<&FoundFixture>) -> Vec<String> {
    let Some(found) = found else { return vec![String::new(); COLUMNS.len() - 3] };
    let health = &found.health;
    let count = |count: Option<u32>| count.map(|count| count.to_string()).unwrap_or_default();
    let list = |all: Vec<String>| all.join("; ");
    vec![
        found.uid.to_string(),
        fact(found, Field::Label),
        fact(found, Field::Model),
        fact(found, Field::Version),
        count(health.hours),
        count(health.power_cycles),
        count(health.lamp_hours),
        count(health.lamp_strikes),
        list(health.sensors.iter().map(ToString::to_string).collect()),
        list(health.reports.iter().map(ToString::to_string).collect()),
        count(health.line.map(|line| line.sum())),
    ]
}
