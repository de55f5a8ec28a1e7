//! Apply: makes a plan's changes, a talk each, several side by side at one pace. Who waits for whose address begins when that
//! one has left it; after a failure nothing more is begun.

use std::collections::VecDeque;
use std::time::Duration;

use super::pace::Pace;
use super::{Conversation, Heard, Outcome, Outgoing, Talk, TalkEvent, Vantage};
use crate::census::Subject;
use crate::change::Change;

/// A change that was begun: what became of it, and whom it is about as last heard.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Made {
    /// What became of it.
    pub outcome: Outcome,
    /// Whom it is about.
    pub subject: Subject,
}

/// What is told of one of the changes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ApplyEvent {
    /// Of which, from 0.
    pub change: usize,
    /// What.
    pub news: ApplyNews,
}

/// What is told of a change.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum ApplyNews {
    /// It is begun.
    Begun,
    /// Its talk says so.
    Talk(TalkEvent),
    /// It has ended so.
    Made(Made),
}

/// The conversation.
pub struct Apply {
    changes: Vec<Change>,
    vantage: Vantage,
    restart_time: Duration,
    at_once: usize,
    /// For each change those that must be made before.
    after: Vec<Vec<usize>>,
    running: Vec<Running>,
    made: Vec<Option<Made>>,
    begun: Vec<bool>,
    pace: Pace,
    waiting: VecDeque<Outgoing>,
    ready: VecDeque<Outgoing>,
    events: VecDeque<ApplyEvent>,
    failed: bool,
}

/// A talk under way.
struct Running {
    change: usize,
    since: Duration,
    talk: Box<dyn Talk>,
}

impl std::fmt::Debug for Apply {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Apply")
            .field("changes", &self.changes.len())
            .field("made", &self.made)
            .finish_non_exhaustive()
    }
}

impl Apply {
    /// Makes these changes from there, at most so many at once, in their order as far as they wait for each other. Each
    /// device has `restart_time` to take a step.
    #[must_use]
    pub fn new(changes: Vec<Change>, vantage: Vantage, restart_time: Duration, at_once: usize) -> Self {
        let count = changes.len();
        Self {
            after: waits_for(&changes),
            changes,
            vantage,
            restart_time,
            at_once: at_once.max(1),
            running: Vec::new(),
            made: vec![None; count],
            begun: vec![false; count],
            pace: Pace::new(Pace::USUAL),
            waiting: VecDeque::new(),
            ready: VecDeque::new(),
            events: VecDeque::new(),
            failed: false,
        }
    }

    /// What became of each change; `None` for one that was not begun, or is under way.
    #[must_use]
    pub fn made(&self) -> &[Option<Made>] {
        &self.made
    }

    fn tell(&mut self, change: usize, news: ApplyNews) {
        self.events.push_back(ApplyEvent { change, news });
    }

    /// The next change that waits for nobody.
    fn next_change(&self) -> Option<usize> {
        if self.failed || self.running.len() >= self.at_once {
            return None;
        }
        let is_made = |before: &usize| self.made[*before].is_some();
        (0..self.changes.len()).find(|change| !self.begun[*change] && self.after[*change].iter().all(is_made))
    }

    fn begin(&mut self, now: Duration) {
        while let Some(change) = self.next_change() {
            let mut talk = self.changes[change].talk(self.vantage.clone(), self.restart_time);
            self.begun[change] = true;
            self.tell(change, ApplyNews::Begun);
            talk.wake(Duration::ZERO);
            self.running.push(Running { change, since: now, talk });
            self.collect();
        }
    }

    /// Takes out of the talks what they tell and send, and ends those that are over.
    fn collect(&mut self) {
        for index in 0..self.running.len() {
            let change = self.running[index].change;
            while let Some(event) = self.running[index].talk.next_event() {
                self.tell(change, ApplyNews::Talk(event));
            }
            while let Some(outgoing) = self.running[index].talk.next_send() {
                self.waiting.push_back(outgoing);
            }
        }
        let (over, running): (Vec<Running>, Vec<Running>) =
            std::mem::take(&mut self.running).into_iter().partition(|running| running.talk.wake_at().is_none());
        self.running = running;
        for Running { change, talk, .. } in over {
            let outcome = talk.outcome().cloned().unwrap_or(Outcome::Silent { written: true });
            self.failed |= outcome.is_failure();
            let made = Made { outcome, subject: talk.subject() };
            self.made[change] = Some(made.clone());
            self.tell(change, ApplyNews::Made(made));
        }
    }

    /// Goes on after something has happened.
    fn go_on(&mut self, now: Duration) {
        self.collect();
        self.begin(now);
        while !self.waiting.is_empty() && self.pace.lets_pass(now) {
            self.ready.extend(self.waiting.pop_front());
        }
    }
}

/// For each change those before it whose device has the address that it wants.
fn waits_for(changes: &[Change]) -> Vec<Vec<usize>> {
    let before = |(index, change): (usize, &Change)| {
        let wanted = change.new_address();
        let holds = |before: &usize| wanted.is_some() && wanted == Some(changes[*before].subject.address());
        (0..index).filter(holds).collect()
    };
    changes.iter().enumerate().map(before).collect()
}

impl Conversation for Apply {
    type Event = ApplyEvent;

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        for running in &mut self.running {
            running.talk.hear(now.saturating_sub(running.since), heard);
        }
        self.go_on(now);
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.ready.pop_front()
    }

    fn wake_at(&self) -> Option<Duration> {
        let talks = self.running.iter().filter_map(|running| Some(running.since + running.talk.wake_at()?));
        let paced = (!self.waiting.is_empty()).then(|| self.pace.next());
        let begins = self.next_change().map(|_| Duration::ZERO);
        talks.chain(paced).chain(begins).min()
    }

    fn wake(&mut self, now: Duration) {
        for running in &mut self.running {
            let own = now.saturating_sub(running.since);
            if running.talk.wake_at().is_some_and(|at| at <= own) {
                running.talk.wake(own);
            }
        }
        self.go_on(now);
    }

    fn next_event(&mut self) -> Option<ApplyEvent> {
        self.events.pop_front()
    }
}
