//! A sequence: what is said to several devices, side by side or one after the other, each with its own words.

use std::time::Duration;

use super::saying::{SayEvent, SayPlan, SayResult, Saying};
use super::{Conversation, Heard, Outgoing, Vantage};

/// The most connections at a time.
const AT_ONCE: usize = 64;

/// What is told of one of the steps.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TellingEvent {
    /// Of which, from 0.
    pub step: usize,
    /// What.
    pub news: SayEvent,
}

/// The conversation.
#[derive(Debug)]
pub struct Telling {
    plans: Vec<SayPlan>,
    vantage: Vantage,
    together: bool,
    stops: bool,
    next: usize,
    running: Vec<(usize, Duration, Saying)>,
    results: Vec<Option<SayResult>>,
    events: std::collections::VecDeque<TellingEvent>,
    sends: std::collections::VecDeque<Outgoing>,
}

impl SayResult {
    /// Whether it is not what was wanted.
    #[must_use]
    pub const fn is_failure(&self) -> bool {
        !matches!(self, Self::Answered(_))
    }
}

impl Telling {
    /// Takes these steps from there, each of one line: side by side where `together`, and nothing more is begun after a failure where
    /// it `stops`.
    #[must_use]
    pub fn new(plans: Vec<SayPlan>, vantage: Vantage, together: bool, stops: bool) -> Self {
        let results = vec![None; plans.len()];
        let number =
            |(place, plan): (usize, SayPlan)| SayPlan { number: u32::try_from(place).unwrap_or(0), ..plan };
        Self {
            plans: plans.into_iter().enumerate().map(number).collect(),
            vantage,
            together,
            stops,
            next: 0,
            running: Vec::new(),
            results,
            events: std::collections::VecDeque::new(),
            sends: std::collections::VecDeque::new(),
        }
    }

    /// What came of each step; `None` of one that was not begun, or is under way.
    #[must_use]
    pub fn results(&self) -> &[Option<SayResult>] {
        &self.results
    }

    fn may_begin(&self) -> bool {
        let is_stopped = self.stops && self.results.iter().flatten().any(SayResult::is_failure);
        let most = if self.together { AT_ONCE } else { 1 };
        self.next < self.plans.len() && self.running.len() < most && !is_stopped
    }

    fn go_on(&mut self, now: Duration) {
        loop {
            self.collect();
            if !self.may_begin() {
                return;
            }
            let saying = Saying::new(self.plans[self.next].clone(), self.vantage.clone());
            self.running.push((self.next, now, saying));
            self.next += 1;
        }
    }

    /// Takes out what they tell and send, and ends those that are over.
    fn collect(&mut self) {
        for (step, _, saying) in &mut self.running {
            while let Some(news) = saying.next_event() {
                self.events.push_back(TellingEvent { step: *step, news });
            }
            while let Some(outgoing) = saying.next_send() {
                self.sends.push_back(outgoing);
            }
            self.results[*step] = saying.results().last().cloned();
        }
        self.running.retain(|(.., saying)| saying.wake_at().is_some());
    }
}

impl Conversation for Telling {
    type Event = TellingEvent;

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        for (_, since, saying) in &mut self.running {
            saying.hear(now.saturating_sub(*since), heard);
        }
        self.go_on(now);
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.sends.pop_front()
    }

    fn wake_at(&self) -> Option<Duration> {
        let running =
            self.running.iter().filter_map(|(_, since, saying)| Some(since.saturating_add(saying.wake_at()?)));
        running.chain(self.may_begin().then_some(Duration::ZERO)).min()
    }

    fn wake(&mut self, now: Duration) {
        for (_, since, saying) in &mut self.running {
            let own = now.saturating_sub(*since);
            if saying.wake_at().is_some_and(|at| at <= own) {
                saying.wake(own);
            }
        }
        self.go_on(now);
    }

    fn next_event(&mut self) -> Option<TellingEvent> {
        self.events.pop_front()
    }
}
