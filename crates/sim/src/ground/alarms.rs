//! Who wants to be woken, and when: so that a network of thousands does not ask each of them at every step.

use std::collections::{BTreeMap, BTreeSet};
use std::time::Duration;

/// The alarms of parties that are named by `P`.
#[derive(Debug)]
pub(super) struct Alarms<P> {
    of: BTreeMap<P, Duration>,
    queue: BTreeSet<(Duration, P)>,
}

impl<P> Default for Alarms<P> {
    fn default() -> Self {
        Self { of: BTreeMap::new(), queue: BTreeSet::new() }
    }
}

impl<P: Copy + Ord> Alarms<P> {
    /// This party wants to be woken then, or not at all.
    pub(super) fn set(&mut self, party: P, at: Option<Duration>) {
        let before = match at {
            Some(at) => self.of.insert(party, at),
            None => self.of.remove(&party),
        };
        if before == at {
            return;
        }
        if let Some(before) = before {
            self.queue.remove(&(before, party));
        }
        if let Some(at) = at {
            self.queue.insert((at, party));
        }
    }

    /// The first alarm.
    pub(super) fn first(&self) -> Option<Duration> {
        self.queue.first().map(|(at, _)| *at)
    }

    /// Whose alarm is due by now, in the order of parties.
    pub(super) fn due(&self, now: Duration) -> BTreeSet<P> {
        self.queue.iter().take_while(|(at, _)| *at <= now).map(|(_, party)| *party).collect()
    }
}
