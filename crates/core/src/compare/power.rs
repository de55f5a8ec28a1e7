//! What devices have lost when their power was gone: told before, and told after.

use crate::census::{Again, Census, Subject, Unit};
use crate::conversation::{Shift, shifts};
use crate::facts::{Field, Value};

/// What became of one device.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AfterPower {
    /// What it was called before.
    pub name: String,
    /// What came of it.
    pub kept: Kept,
}

/// Whether a device has what it had.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Kept {
    /// All of it.
    All,
    /// These are otherwise.
    Not(Vec<Shift>),
    /// It does not answer.
    Silent,
}

/// What became of everybody who answered before and can be set.
#[must_use]
pub fn after_power(before: &Census, after: &Census) -> Vec<AfterPower> {
    let nodes = before.nodes().iter().filter(|node| node.is_node()).map(Subject::of_node);
    let units = before.units();
    let settable = units.iter().filter(|unit| {
        unit.is_settable() && !before.nodes().iter().any(|node| node.mac.is_some() && node.mac == unit.mac)
    });
    let devices = Unit::one_of_each(settable);
    let units = devices.into_iter().map(|unit| before.completed(&Subject::of_unit(unit)));
    let mut all: Vec<AfterPower> = nodes.chain(units).map(|was| of(&was, after)).collect();
    all.sort_by(|a, b| a.name.cmp(&b.name));
    all
}

fn of(was: &Subject, after: &Census) -> AfterPower {
    let kept = match after.again(&was.node_name()) {
        Again::Is(now) => match shifts(&told(was), &told(&after.completed(&now)), &[]) {
            none if none.is_empty() => Kept::All,
            some => Kept::Not(some),
        },
        Again::Nobody | Again::Several => Kept::Silent,
    };
    AfterPower { name: was.title(), kept }
}

fn told(subject: &Subject) -> Vec<(Field, Value)> {
    let facts = subject.told_facts();
    let settings = facts.told().filter(|(field, _)| !matches!(field, Field::Indicators));
    settings.map(|(field, value)| (field, value.clone())).collect()
}
