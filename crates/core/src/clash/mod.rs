//! Clashes: what cannot both hold.
//!
//! One file per family of rules. Every rule is a pure function from a sheet (or a census) to findings; the
//! catalogue lists them all.

mod addresses;
mod names;
mod universes;
mod world;

use std::collections::HashMap;
use std::hash::Hash;

use crate::finding::{Finding, Rule};
use crate::sheet::RigSheet;

pub use addresses::standing;
pub use world::{shared_addresses, world_clashes};

/// Every rule there is, in the order of their codes.
#[must_use]
pub fn catalogue() -> Vec<&'static Rule> {
    let families = [
        addresses::RULES,
        universes::RULES,
        names::RULES,
        world::RULES,
        crate::compare::RULES,
        crate::change::RULES,
    ];
    let mut rules: Vec<&Rule> = families.concat();
    rules.extend(crate::adapter::rules());
    rules.sort_by_key(|rule| rule.code);
    rules
}

/// Everything in which the sheet contradicts itself, in the order of its lines.
#[must_use]
pub fn sheet_clashes(sheet: &RigSheet) -> Vec<Finding> {
    let mut findings = addresses::clashes(sheet);
    findings.extend(universes::clashes(sheet));
    findings.extend(names::clashes(sheet));
    findings.sort_by_key(|finding| (finding.line(), finding.rule.code));
    findings
}

/// Items that share a key, together, in the order in which each group begins.
fn grouped<T, K: Hash + Eq>(items: impl IntoIterator<Item = T>, key: impl Fn(&T) -> K) -> Vec<Vec<T>> {
    let mut groups: Vec<Vec<T>> = Vec::new();
    let mut places = HashMap::new();
    for item in items {
        let place = *places.entry(key(&item)).or_insert(groups.len());
        if place == groups.len() {
            groups.push(Vec::new());
        }
        groups[place].push(item);
    }
    groups
}

/// The groups of two and more.
fn repeated<T, K: Hash + Eq>(items: impl IntoIterator<Item = T>, key: impl Fn(&T) -> K) -> Vec<Vec<T>> {
    let mut groups = grouped(items, key);
    groups.retain(|group| group.len() > 1);
    groups
}

#[cfg(test)]
mod tests;
