//! Which change of a plan is begun when: at once as many as are allowed, none before those that it waits for are made. Of
//! those in one lane, as units on one cable are, one at a time; all lanes go on side by side, however many are allowed.

use std::collections::{BTreeMap, BTreeSet, VecDeque};

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
    /// For each change its lane, where it is in one.
    lane_of: Vec<Option<usize>>,
    /// Those of a lane whose turn it is: one of each lane.
    next_of_lane: BTreeSet<usize>,
    lanes: Vec<Lane>,
    held_back: BTreeSet<usize>,
    running: usize,
    failed: usize,
}

/// What is begun one after the other.
#[derive(Debug, Clone, Default, PartialEq, Eq, Hash)]
struct Lane {
    /// Whether one is under way, or next.
    is_taken: bool,
    /// Those that are ready behind it.
    waiting: VecDeque<usize>,
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
            lane_of: vec![None; count],
            next_of_lane: BTreeSet::new(),
            lanes: Vec::new(),
            held_back: BTreeSet::new(),
            running: 0,
            failed: 0,
        }
    }

    /// The same, with a lane for each change that is in one.
    pub(crate) fn on_lanes<L: Ord>(mut self, of_changes: impl IntoIterator<Item = Option<L>>) -> Self {
        let mut numbers: BTreeMap<L, usize> = BTreeMap::new();
        for (change, lane) in of_changes.into_iter().enumerate() {
            let Some(lane) = lane else { continue };
            let next = numbers.len();
            self.lane_of[change] = Some(*numbers.entry(lane).or_insert(next));
        }
        self.lanes = vec![Lane::default(); numbers.len()];
        for change in std::mem::take(&mut self.ready) {
            self.be_ready(change);
        }
        self
    }

    /// It waits for nobody any more, but perhaps for its lane.
    fn be_ready(&mut self, change: usize) {
        match self.lane_of[change] {
            None => {
                self.ready.insert(change);
            }
            Some(lane) if self.lanes[lane].is_taken => self.lanes[lane].waiting.push_back(change),
            Some(lane) => {
                self.lanes[lane].is_taken = true;
                self.next_of_lane.insert(change);
            }
        }
    }

    /// It has ended, well or not.
    fn end(&mut self, change: usize) {
        let Some(lane) = self.lane_of[change] else {
            self.running = self.running.saturating_sub(1);
            return;
        };
        match self.lanes[lane].waiting.pop_front() {
            Some(next) => {
                self.next_of_lane.insert(next);
            }
            None => self.lanes[lane].is_taken = false,
        }
    }

    /// The change that is to be begun now, if there is one.
    pub(crate) fn next(&self) -> Option<usize> {
        let is_stopped = self.failed > 0 && self.stop_on_failure;
        let free = self.ready.first().filter(|_| self.running < self.at_once);
        free.or_else(|| self.next_of_lane.first()).copied().filter(|_| !is_stopped)
    }

    /// Begins it.
    pub(crate) fn begin(&mut self) -> Option<usize> {
        let next = self.next()?;
        if self.ready.remove(&next) {
            self.running += 1;
        }
        self.next_of_lane.remove(&next);
        Some(next)
    }

    /// A change is made: whoever waited only for it may begin. Gives those that waited for it.
    pub(crate) fn made(&mut self, change: usize) -> &[usize] {
        self.end(change);
        for place in 0..self.behind[change].len() {
            let behind = self.behind[change][place];
            self.missing[behind] -= 1;
            if self.missing[behind] == 0 && !self.held_back.contains(&behind) {
                self.be_ready(behind);
            }
        }
        &self.behind[change]
    }

    /// A change failed: whoever waits for it, or for one that does, is not begun. Gives them, each with whom it waits for.
    pub(crate) fn failed(&mut self, change: usize) -> Vec<(usize, usize)> {
        self.end(change);
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
