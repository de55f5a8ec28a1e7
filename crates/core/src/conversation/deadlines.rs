//! When it is whose turn: the next one is known without looking at all the others.

use std::collections::{BTreeMap, BTreeSet};
use std::time::Duration;

/// One time for each of many.
#[derive(Debug)]
pub(crate) struct Deadlines<K> {
    of: BTreeMap<K, Duration>,
    due: BTreeSet<(Duration, K)>,
}

impl<K> Default for Deadlines<K> {
    fn default() -> Self {
        Self { of: BTreeMap::new(), due: BTreeSet::new() }
    }
}

impl<K: Copy + Ord> Deadlines<K> {
    /// From now on its time is this one, or none.
    pub(crate) fn set(&mut self, whom: K, at: Option<Duration>) {
        let before = match at {
            Some(at) => self.of.insert(whom, at),
            None => self.of.remove(&whom),
        };
        if let Some(before) = before {
            self.due.remove(&(before, whom));
        }
        self.due.extend(at.map(|at| (at, whom)));
    }

    /// The first time of all, and whose it is.
    pub(crate) fn first(&self) -> Option<(Duration, K)> {
        self.due.first().copied()
    }

    /// The last time of all.
    pub(crate) fn last_at(&self) -> Option<Duration> {
        self.due.last().map(|(at, _)| *at)
    }
}
