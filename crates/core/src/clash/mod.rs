//! Clashes: what cannot both hold.
//!
//! One file per family of rules. Every rule is a pure function from a sheet (or a census) to findings.

mod addresses;
mod clocks;
mod factory;
mod fixtures;
mod load;
mod names;
mod networks;
mod patched;
pub(crate) mod senders;
mod splits;
mod streams;
mod universes;
mod world;

use std::collections::HashMap;
use std::hash::Hash;
use std::thread;

use crate::finding::{Finding, Rule};
use crate::sheet::{RigSheet, Span};

pub use addresses::standing;
pub use factory::{factory_passwords, factory_secrets};
pub use load::{Link, LinkEnd, Loads, SwitchLoad};
pub use world::{is_same_name, own_address_held, shared_addresses, world_clashes};
pub(crate) use world::{mask_remedy, subnet_of_broadcast};

/// The rules about sheets and about what is seen, family by family.
pub(crate) static RULES: [&[&Rule]; 12] = [
    addresses::RULES,
    networks::RULES,
    universes::RULES,
    senders::RULES,
    fixtures::RULES,
    streams::RULES,
    names::RULES,
    load::RULES,
    world::RULES,
    clocks::RULES,
    patched::RULES,
    factory::RULES,
];

/// One family of rules: a sheet to findings.
type Family = fn(&RigSheet) -> Vec<Finding>;

/// The families about the sheet alone, in two halves of about equal work.
const FAMILIES: [&[Family]; 2] = [
    &[addresses::clashes, networks::clashes, universes::clashes, senders::clashes],
    &[fixtures::clashes, streams::clashes, names::clashes, load::clashes],
];
/// From so many bytes of text on, another thread is worth its start.
const WORTH_A_THREAD: usize = 256 << 10;

/// Everything in which the sheet contradicts itself, in the order of its lines.
#[must_use]
pub fn sheet_clashes(sheet: &RigSheet) -> Vec<Finding> {
    let judge = |half: &[Family]| half.iter().flat_map(|family| family(sheet)).collect::<Vec<Finding>>();
    let [first, second] = FAMILIES;
    let mut findings = if sheet.text().len() < WORTH_A_THREAD {
        [judge(first), judge(second)].concat()
    } else {
        thread::scope(|scope| {
            let other = scope.spawn(|| judge(second));
            let mut findings = judge(first);
            findings.extend(other.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic)));
            findings
        })
    };
    findings.sort_by_key(|finding| (finding.line(), finding.rule.code));
    findings
}

/// Items that share a key with another, together, in the order in which each group begins.
fn repeated<T, K: Hash + Eq>(items: impl IntoIterator<Item = T>, key: impl Fn(&T) -> K) -> Vec<Vec<T>> {
    let items: Vec<T> = items.into_iter().collect();
    let mut groups: HashMap<K, Group> = HashMap::with_capacity(items.len());
    for item in &items {
        groups.entry(key(item)).or_default().size += 1;
    }
    // Most items stand alone: only the others are gathered.
    let mut all: Vec<Vec<T>> = Vec::new();
    for item in items {
        let Some(group) = groups.get_mut(&key(&item)).filter(|group| group.size > 1) else { continue };
        match group.place {
            Some(place) => all[place].push(item),
            None => {
                group.place = Some(all.len());
                all.push(vec![item]);
            }
        }
    }
    all
}

/// How many items share a key, and where they are gathered.
#[derive(Default)]
struct Group {
    size: usize,
    place: Option<usize>,
}

/// A list for people: the first few, and how many more there are.
pub(crate) fn named<S: AsRef<str>>(all: impl IntoIterator<Item = S>, between: &str) -> String {
    let all: Vec<S> = all.into_iter().collect();
    let more = all.len().saturating_sub(MOST_NAMED);
    let shown: Vec<&str> = all.iter().take(MOST_NAMED).map(AsRef::as_ref).collect();
    let more = if more > 0 { format!("{between}{more} more") } else { String::new() };
    shown.join(between) + &more
}

/// One finding for everything of one sort that is still to be filled in: each by itself would drown the rest.
fn open(sheet: &RigSheet, rule: &'static Rule, what: &str, open: &[(String, Span)]) -> Option<Finding> {
    let names = named(open.iter().map(|(name, _)| name), ", ");
    let said = match open {
        [] => return None,
        [(name, _)] => format!("{name} has no {what} yet"),
        several => format!("{} have no {what} yet: {names}", several.len()),
    };
    let finding = rule.finding(said, "write it down, or let it be filled in").mended_by("sheet fill");
    Some(open.iter().fold(finding, |finding, (name, span)| finding.at(sheet, *span, name.clone())))
}

/// The most things named in one finding.
const MOST_NAMED: usize = 12;

#[cfg(test)]
mod tests;
