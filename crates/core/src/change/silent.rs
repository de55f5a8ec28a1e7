//! Devices of the rig that do not answer now, and come back with the address they have.

use std::collections::HashMap;
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;

use super::{Change, Untouched};

/// A device that belongs to the rig, and does not answer now, or is on its way somewhere.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Silent {
    /// What it is called.
    pub name: String,
    /// Its MAC address, where it is known.
    pub mac: Option<MacAddress>,
    /// Every address that it may have.
    pub places: Vec<Ipv4Addr>,
    /// Why, as in "which does not answer".
    pub why: &'static str,
}

impl Silent {
    /// It does not answer.
    pub const NO_ANSWER: &'static str = "which does not answer";
    /// It took the order, and is where it was.
    pub const ON_ITS_WAY: &'static str = "which said that it goes there";
}

/// Leaves out the changes that want an address of somebody silent, and then those that want the address of one that stays
/// for that.
pub(super) fn leave_out(changes: Vec<Change>, silent: &[Silent]) -> (Vec<Change>, Vec<Untouched>) {
    let mut wanting: HashMap<Ipv4Addr, Vec<usize>> = HashMap::new();
    for (place, change) in changes.iter().enumerate() {
        let to = change.new_address().filter(|to| *to != change.subject.address());
        to.into_iter().for_each(|to| wanting.entry(to).or_default().push(place));
    }
    let of_one = |one: &Silent| {
        let why = format!("may be held by {}, {}", one.name, one.why);
        one.places.iter().map(|at| (*at, one.mac, why.clone())).collect::<Vec<_>>()
    };
    let mut held: Vec<(Ipv4Addr, Option<MacAddress>, String)> = silent.iter().flat_map(of_one).collect();
    let mut why_left: HashMap<usize, String> = HashMap::new();
    while let Some((address, holder, why)) = held.pop() {
        for place in wanting.get(&address).into_iter().flatten() {
            let subject = &changes[*place].subject;
            let is_own = holder.is_some() && subject.mac() == holder;
            if is_own || why_left.contains_key(place) {
                continue;
            }
            why_left.insert(*place, format!("{address}, which it is to have, {why}"));
            held.push((
                subject.address(),
                subject.mac(),
                format!("is held by {}, which stays there", subject.title()),
            ));
        }
    }
    let (mut left, mut untouched) = (Vec::with_capacity(changes.len()), Vec::new());
    for (place, change) in changes.into_iter().enumerate() {
        match why_left.remove(&place) {
            Some(why) => {
                let name = change.planned_as.unwrap_or_else(|| change.subject.title());
                untouched.push(Untouched { name, why: why.into() });
            }
            None => left.push(change),
        }
    }
    (left, untouched)
}
