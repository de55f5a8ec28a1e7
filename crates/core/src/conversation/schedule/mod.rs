//! Which change of a plan is begun when: at once as many as are allowed, none before those that it waits for are made.

use std::collections::BTreeSet;

use crate::change::Graph;

/// The order in which a plan's changes are begun, as it shows while they are made.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(crate) struct Schedule {
    at_once: usize,
    stop_on_failure: bool,
    /// For each change those that wait for it.
    behind: Vec<Vec<usize>>,
    /// For each change how many of those that it waits for are not made yet.
    missing: Vec<usize>,
    ready: BTreeSet<usize>,
    held_back: BTreeSet<usize>,
    running: usize,
    failed: usize,
}

impl Schedule {
    /// Nothing begun yet of so many changes.
    pub(crate) fn new(graph: &Graph, count: usize, at_once: usize, stop_on_failure: bool) -> Self {
        let mut behind = vec![Vec::new(); count];
        for change in 0..count {
            graph.waits(change).iter().for_each(|wait| behind[wait.on].push(change));
        }
        let missing: Vec<usize> = (0..count).map(|change| graph.waits(change).len()).collect();
        Self {
            at_once: at_once.max(1),
            stop_on_failure,
            behind,
            ready: (0..count).filter(|change| missing[*change] == 0).collect(),
            missing,
            held_back: BTreeSet::new(),
            running: 0,
            failed: 0,
        }
    }

    /// The change that is to be begun now, if there is one.
    pub(crate) fn next(&self) -> Option<usize> {
        let is_stopped = self.failed > 0 && self.stop_on_failure;
        self.ready.first().copied().filter(|_| self.running < self.at_once && !is_stopped)
    }

    /// Begins it.
    pub(crate) fn begin(&mut self) -> Option<usize> {
        let next = self.next()?;
        self.ready.remove(&next);
        self.running += 1;
        Some(next)
    }

    /// A change is made: whoever waited only for it may begin. Gives those that waited for it.
    pub(crate) fn made(&mut self, change: usize) -> &[usize] {
        self.running = self.running.saturating_sub(1);
        for behind in &self.behind[change] {
            self.missing[*behind] -= 1;
            if self.missing[*behind] == 0 && !self.held_back.contains(behind) {
                self.ready.insert(*behind);
            }
        }
        &self.behind[change]
    }

    /// A change failed: whoever waits for it, or for one that does, is not begun. Gives them, each with whom it waits for.
    pub(crate) fn failed(&mut self, change: usize) -> Vec<(usize, usize)> {
        self.running = self.running.saturating_sub(1);
        self.failed += 1;
        let (mut left, mut held) = (vec![change], Vec::new());
        while let Some(on) = left.pop() {
            for behind in &self.behind[on] {
                if self.held_back.insert(*behind) {
                    held.push((*behind, on));
                    left.push(*behind);
                }
            }
        }
        held
    }

    /// How many failed, and how many are held back for that.
    pub(crate) fn lost(&self) -> (usize, usize) {
        (self.failed, self.held_back.len())
    }
}

#[cfg(test)]
mod tests;
