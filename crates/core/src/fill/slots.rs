//! Slots of fixtures: behind the last one on the universe, in the order of the sheet.

use std::collections::HashMap;

use super::{Choice, TOO_FEW_SLOTS};
use crate::finding::Finding;
use crate::sheet::{Fixture, RigSheet, SLOTS, WantedSlot};
use crate::universe::Universe;

/// What is used of one universe.
#[derive(Default)]
struct Used<'s> {
    /// First and last slot of each fixture.
    runs: Vec<(u32, u32, &'s Fixture)>,
}

pub(super) fn fill(sheet: &RigSheet) -> Result<Vec<Choice>, Vec<Finding>> {
    let mut universes: HashMap<Universe, Used<'_>> = HashMap::new();
    for fixture in &sheet.fixtures {
        if let (Some(universe), Some((first, last))) = (fixture.on.value.real(), fixture.slots()) {
            universes.entry(universe).or_default().runs.push((first, last, fixture));
        }
    }
    let mut choices = Vec::new();
    let mut findings = Vec::new();
    for fixture in sheet.fixtures.iter().filter(|fixture| fixture.slot.value == WantedSlot::Fill) {
        let Some(universe) = fixture.on.value.real() else { continue };
        let used = universes.entry(universe).or_default();
        match used.place(fixture.length()) {
            Some((first, why)) => {
                used.runs.push((first, first + fixture.length() - 1, fixture));
                choices.push(Choice {
                    span: fixture.slot.span,
                    for_what: fixture.name.value.clone(),
                    value: first.to_string(),
                    why: format!("{why} on {universe}"),
                });
            }
            None => findings.push(used.full(sheet, universe, fixture)),
        }
    }
    if findings.is_empty() { Ok(choices) } else { Err(findings) }
}

impl Used<'_> {
    /// The first slot for so many: behind all others, or else in the first gap that is large enough.
    fn place(&mut self, length: u32) -> Option<(u32, &'static str)> {
        let behind = self.runs.iter().map(|(_, last, _)| *last).max().unwrap_or(0) + 1;
        if behind + length - 1 <= SLOTS {
            return Some((behind, if behind == 1 { "the first slot" } else { "behind the last one" }));
        }
        self.runs.sort_unstable_by_key(|(first, last, _)| (*first, *last));
        let mut free = 1;
        for (first, last, _) in &self.runs {
            if free + length <= *first {
                break;
            }
            free = free.max(last + 1);
        }
        (free + length - 1 <= SLOTS).then_some((free, "the first gap that is large enough"))
    }

    fn full(&self, sheet: &RigSheet, universe: Universe, fixture: &Fixture) -> Finding {
        let used: u32 = self.runs.iter().map(|(first, last, _)| last - first + 1).sum();
        let what = format!(
            "{} needs {} slots in one run on {universe}, of which {used} of 512 are used",
            fixture.name.value,
            fixture.length()
        );
        let finding = TOO_FEW_SLOTS.finding(what, "hang it, or one of the others, on another universe");
        let finding = finding.at(sheet, fixture.slot.span, "no room");
        // The largest ones are those that moving away helps with.
        let mut largest: Vec<&(u32, u32, &Fixture)> = self.runs.iter().collect();
        largest.sort_by_key(|(first, last, _)| std::cmp::Reverse(last - first));
        largest.iter().take(3).fold(finding, |finding, (first, last, other)| {
            finding.at(sheet, other.slot.span, format!("{} has {first} to {last}", other.name.value))
        })
    }
}
