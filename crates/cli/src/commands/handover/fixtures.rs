//! The fixtures of a sheet, each by itself, by universe and slot.

use lantern_core::sheet::{Fixture, RigSheet, WantedMode};
use lantern_core::universe::Universe;
use serde::Serialize;

/// One fixture as it is planned.
#[derive(Debug, Clone, Serialize)]
pub(super) struct PlannedFixture {
    pub(super) universe: String,
    /// The first slot; "open" where it is not decided.
    pub(super) start: String,
    /// The last slot.
    pub(super) end: String,
    pub(super) name: String,
    pub(super) mode: String,
    pub(super) uid: String,
}

/// All of them, by universe, and in it by slot.
pub(super) fn fixtures(sheet: &RigSheet) -> Vec<PlannedFixture> {
    let of_row = |fixture: &Fixture| {
        let on = fixture.on.value.real();
        let mode = match fixture.mode.as_ref().map(|mode| &mode.value) {
            Some(WantedMode::Number(number)) => format!("mode {number}"),
            Some(WantedMode::Words(words)) => words.clone(),
            None => String::new(),
        };
        let each = fixture.names().zip(0..).map(|(name, nth)| {
            let start = fixture.slot_of(nth);
            let one = PlannedFixture {
                universe: on.map_or_else(|| "open".to_owned(), |universe| universe.to_string()),
                start: start.map_or_else(|| "open".to_owned(), |start| start.to_string()),
                end: start.map(|start| (start + fixture.footprint.value - 1).to_string()).unwrap_or_default(),
                name,
                mode: mode.clone(),
                uid: fixture.uid(nth).map(|uid| uid.to_string()).unwrap_or_default(),
            };
            let place = on.and_then(Universe::port_address);
            ((place.is_none(), place, start), one)
        });
        each.collect::<Vec<_>>()
    };
    let mut all: Vec<_> = sheet.fixtures.iter().flat_map(of_row).collect();
    all.sort_by_key(|(place, _)| *place);
    all.into_iter().map(|(_, one)| one).collect()
}
