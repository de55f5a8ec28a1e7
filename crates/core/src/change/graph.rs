//! What changes wait for: whoever holds an address that another wants leaves it first. Where addresses go round in a ring,
//! one of the ring waits at a free address until its place is left.
//!
//! Every change wants at most one address, so apart from those that share one, whom a change waits for is a single chain,
//! and a ring is found by following it once. All together takes time that grows as the changes do.

use std::cmp::Reverse;
use std::collections::{BinaryHeap, HashMap};
use std::net::Ipv4Addr;

use serde::Serialize;

use super::Change;

/// What one change waits for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct Wait {
    /// The change that must be made before, by its place in the plan.
    pub on: usize,
    /// Why.
    #[serde(flatten)]
    pub why: Why,
}

/// Why a change waits for another.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(tag = "until", content = "address", rename_all = "kebab-case")]
pub enum Why {
    /// Until that one's device has left this address.
    Left(Ipv4Addr),
    /// Until the same device is parked at this address.
    Parked(Ipv4Addr),
    /// Until its gateway is set, which is reached here then.
    Gateway(Ipv4Addr),
    /// Until the same device, which is here now, has its address.
    Settled(Ipv4Addr),
    /// Until its sender sends as it is to.
    Sends,
}

/// For each change of a plan what it waits for.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Graph(Vec<Vec<Wait>>);

impl Graph {
    /// What this change waits for; each of them stands before it in the plan.
    #[must_use]
    pub fn waits(&self, change: usize) -> &[Wait] {
        self.0.get(change).map_or(&[], Vec::as_slice)
    }

    /// One more change, behind all others.
    pub(super) fn push(&mut self, waits: Vec<Wait>) {
        self.0.push(waits);
    }

    /// Whether this change only parks its device, for another change to bring it to its place.
    #[must_use]
    pub fn is_parking(&self, change: usize) -> bool {
        self.0.iter().flatten().any(|wait| wait.on == change && matches!(wait.why, Why::Parked(_)))
    }

    /// How many changes there are one after the other at most: a plan takes as long as that, however many are made at once.
    #[must_use]
    pub fn depth(&self) -> usize {
        let mut depths = vec![0; self.0.len()];
        for (change, waits) in self.0.iter().enumerate() {
            depths[change] = 1 + waits.iter().map(|wait| depths[wait.on]).max().unwrap_or(0);
        }
        depths.into_iter().max().unwrap_or(0)
    }
}

/// A change cut in two: to a free address, and from there to where it was meant to go.
pub(super) struct Detour {
    pub(super) parking: Change,
    pub(super) rest: Change,
}

/// The same changes in an order in which every wanted address is free when its turn comes, those that `go_last` as late as
/// the others allow. `detour` cuts a change in two where a ring has to be opened.
///
/// # Errors
/// When a ring cannot be opened: its members.
pub(super) fn arrange(
    changes: Vec<Change>,
    go_last: impl Fn(&Change) -> bool,
    mut detour: impl FnMut(&Change) -> Option<Detour>,
) -> Result<(Vec<Change>, Graph), Vec<Change>> {
    let mut open = Open::new(changes, &go_last);
    let mut order = Vec::with_capacity(open.changes.len());
    // Everything before the one is done, or goes last; everything before the other is done.
    let (mut first_left, mut last_left) = (0, 0);
    loop {
        while let Some(next) = open.next_ready(false) {
            order.push(next);
        }
        while first_left < open.done.len() && (open.done[first_left] || open.last[first_left]) {
            first_left += 1;
        }
        let mut stuck = first_left;
        if stuck == open.done.len() {
            while let Some(next) = open.next_ready(true) {
                order.push(next);
            }
            while last_left < open.done.len() && open.done[last_left] {
                last_left += 1;
            }
            stuck = last_left;
        }
        if stuck == open.done.len() {
            break;
        }
        let ring = match open.follow(stuck) {
            // It waits, at the end of all, for one that goes last.
            Chain::Ends(last) => {
                order.push(open.take(last));
                continue;
            }
            Chain::Ring(ring) => ring,
        };
        let opened = ring.iter().copied().min().and_then(|one| Some((one, detour(&open.changes[one])?)));
        match opened {
            Some((one, detour)) => open.park(one, detour),
            None => return Err(ring.into_iter().map(|one| open.changes[one].clone()).collect()),
        }
    }
    Ok(open.in_order(&order))
}

/// Where a chain of changes leads, each of which waits for the next.
enum Chain {
    /// To one that waits for nobody.
    Ends(usize),
    /// Round in a ring.
    Ring(Vec<usize>),
}

/// The changes that are not in order yet.
struct Open {
    changes: Vec<Change>,
    waits: Vec<Vec<Wait>>,
    /// For each change those that wait for it.
    behind: Vec<Vec<usize>>,
    /// For each change how many of those that it waits for are not in order yet.
    missing: Vec<usize>,
    last: Vec<bool>,
    done: Vec<bool>,
    ready: BinaryHeap<Reverse<(bool, usize)>>,
}

impl Open {
    fn new(changes: Vec<Change>, go_last: &impl Fn(&Change) -> bool) -> Self {
        let mut leaving: HashMap<Ipv4Addr, Vec<usize>> = HashMap::new();
        for (place, change) in changes.iter().enumerate() {
            let from = change.subject.address();
            if change.new_address().is_some_and(|to| to != from) {
                leaving.entry(from).or_default().push(place);
            }
        }
        let waits_of = |(place, change): (usize, &Change)| {
            let wanted = change.new_address().filter(|wanted| *wanted != change.subject.address());
            let holders = wanted.and_then(|wanted| Some((wanted, leaving.get(&wanted)?)));
            holders.map_or_else(Vec::new, |(wanted, holders)| {
                let others = holders.iter().filter(|on| **on != place);
                others.map(|on| Wait { on: *on, why: Why::Left(wanted) }).collect()
            })
        };
        let waits: Vec<Vec<Wait>> = changes.iter().enumerate().map(waits_of).collect();
        let mut behind = vec![Vec::new(); changes.len()];
        for (place, waits) in waits.iter().enumerate() {
            waits.iter().for_each(|wait| behind[wait.on].push(place));
        }
        let last: Vec<bool> = changes.iter().map(go_last).collect();
        let missing: Vec<usize> = waits.iter().map(Vec::len).collect();
        let is_ready = |place: &usize| missing[*place] == 0;
        let ready = (0..changes.len()).filter(is_ready).map(|place| Reverse((last[place], place))).collect();
        let done = vec![false; changes.len()];
        Self { changes, waits, behind, missing, last, done, ready }
    }

    /// The next one that waits for nobody; those that go last only where they are `meant`.
    fn next_ready(&mut self, meant: bool) -> Option<usize> {
        while let Some(Reverse((last, next))) = self.ready.peek().copied() {
            if last && !meant {
                return None;
            }
            self.ready.pop();
            if !self.done[next] {
                return Some(self.take(next));
            }
        }
        None
    }

    /// It is in order now; whoever waited for it only is ready.
    fn take(&mut self, next: usize) -> usize {
        self.done[next] = true;
        for place in std::mem::take(&mut self.behind[next]) {
            self.missing[place] -= 1;
            if self.missing[place] == 0 {
                self.ready.push(Reverse((self.last[place], place)));
            }
        }
        next
    }

    /// Follows whom a change waits for, and whom that one waits for.
    fn follow(&self, from: usize) -> Chain {
        let mut path = vec![from];
        let mut seen: HashMap<usize, usize> = HashMap::from([(from, 0)]);
        let mut at = from;
        while let Some(wait) = self.waits[at].iter().find(|wait| !self.done[wait.on]) {
            at = wait.on;
            if let Some(begin) = seen.insert(at, path.len()) {
                return Chain::Ring(path.split_off(begin));
            }
            path.push(at);
        }
        Chain::Ends(at)
    }

    /// Whoever waits for the address of this change's device waits for its parking only.
    fn park(&mut self, one: usize, detour: Detour) {
        let Detour { parking, rest } = detour;
        let place = self.changes.len();
        let address = parking.new_address().unwrap_or(Ipv4Addr::UNSPECIFIED);
        let waiting = std::mem::take(&mut self.behind[one]);
        for behind in &waiting {
            self.waits[*behind].iter_mut().filter(|wait| wait.on == one).for_each(|wait| wait.on = place);
        }
        self.waits[one].push(Wait { on: place, why: Why::Parked(address) });
        self.missing[one] += 1;
        self.changes[one] = rest;
        self.changes.push(parking);
        self.waits.push(Vec::new());
        self.behind.push(waiting.into_iter().chain([one]).collect());
        self.missing.push(0);
        self.last.push(self.last[one]);
        self.done.push(false);
        self.ready.push(Reverse((false, place)));
    }

    fn in_order(self, order: &[usize]) -> (Vec<Change>, Graph) {
        let mut place_of = vec![0; order.len()];
        order.iter().enumerate().for_each(|(place, one)| place_of[*one] = place);
        let mut changes: Vec<Option<Change>> = self.changes.into_iter().map(Some).collect();
        let mut waits: Vec<Vec<Wait>> = self.waits;
        let (mut ordered, mut graph) = (Vec::with_capacity(order.len()), Vec::with_capacity(order.len()));
        for one in order {
            ordered.extend(changes[*one].take());
            let moved = std::mem::take(&mut waits[*one]).into_iter();
            graph.push(moved.map(|wait| Wait { on: place_of[wait.on], ..wait }).collect());
        }
        (ordered, Graph(graph))
    }
}
