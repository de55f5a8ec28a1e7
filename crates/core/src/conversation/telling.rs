//! A sequence: what is said to several devices, side by side or one after the other, each with its own words.

use std::collections::VecDeque;
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::pjlink::PORT as SCREEN_PORT;

use super::saying::{SayEvent, SayPlan, SayResult, Saying};
use super::{Conversation, Heard, Outgoing, Vantage};
use crate::census::Way;
use crate::family::pjlink;
use crate::sheet::ScreenOrder;

/// The most connections at a time.
const AT_ONCE: usize = 64;

/// One step.
#[derive(Debug, Clone)]
pub enum TellingStep {
    /// Lines are said.
    Lines(SayPlan),
    /// A projector or screen is told something by PJLink.
    Screen {
        /// Where it stands.
        to: Ipv4Addr,
        /// Its MAC address, where that is known: by it its password is kept.
        mac: Option<MacAddress>,
        /// What it is told.
        order: ScreenOrder,
        /// How long it may take until it tells that it is so.
        wait: Duration,
    },
}

impl TellingStep {
    /// To which address and port.
    #[must_use]
    pub const fn to(&self) -> SocketAddrV4 {
        match self {
            Self::Lines(plan) => plan.to,
            Self::Screen { to, .. } => SocketAddrV4::new(*to, SCREEN_PORT),
        }
    }

    fn begin(&self, number: usize, vantage: &Vantage) -> Box<dyn Uttering> {
        let number = u32::try_from(number).unwrap_or(u32::MAX);
        match self {
            Self::Lines(plan) => Box::new(Saying::new(SayPlan { number, ..plan.clone() }, vantage.clone())),
            Self::Screen { to, mac, order, wait } => {
                let login = vantage.secrets.of(Way::Pjlink, *mac, *to);
                let secret = login.map(|login| login.password.clone());
                Box::new(pjlink::Order::new(*to, order.0.clone(), secret, *wait, number))
            }
        }
    }
}

/// A step under way.
trait Uttering: Conversation<Event = SayEvent> + std::fmt::Debug {
    /// What came of it; `None` while it is under way.
    fn result(&self) -> Option<SayResult>;
}

impl Uttering for Saying {
    fn result(&self) -> Option<SayResult> {
        self.results().last().cloned()
    }
}

impl Uttering for pjlink::Order {
    fn result(&self) -> Option<SayResult> {
        self.result.clone()
    }
}

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
    steps: Vec<TellingStep>,
    vantage: Vantage,
    together: bool,
    stops: bool,
    next: usize,
    running: Vec<(usize, Duration, Box<dyn Uttering>)>,
    results: Vec<Option<SayResult>>,
    events: VecDeque<TellingEvent>,
    sends: VecDeque<Outgoing>,
}

impl Telling {
    /// Takes these steps from there: side by side where `together`, and nothing more is begun after a failure where it `stops`.
    #[must_use]
    pub fn new(steps: Vec<TellingStep>, vantage: Vantage, together: bool, stops: bool) -> Self {
        Self {
            results: vec![None; steps.len()],
            steps,
            vantage,
            together,
            stops,
            next: 0,
            running: Vec::new(),
            events: VecDeque::new(),
            sends: VecDeque::new(),
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
        self.next < self.steps.len() && self.running.len() < most && !is_stopped
    }

    fn go_on(&mut self, now: Duration) {
        loop {
            self.collect();
            if !self.may_begin() {
                return;
            }
            let teller = self.steps[self.next].begin(self.next, &self.vantage);
            self.running.push((self.next, now, teller));
            self.next += 1;
        }
    }

    /// Takes out what they tell and send, and ends those that are over.
    fn collect(&mut self) {
        for (step, _, teller) in &mut self.running {
            while let Some(news) = teller.next_event() {
                self.events.push_back(TellingEvent { step: *step, news });
            }
            while let Some(outgoing) = teller.next_send() {
                self.sends.push_back(outgoing);
            }
            self.results[*step] = teller.result();
        }
        self.running.retain(|(.., teller)| teller.wake_at().is_some());
    }
}

impl Conversation for Telling {
    type Event = TellingEvent;

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        for (_, since, teller) in &mut self.running {
            teller.hear(now.saturating_sub(*since), heard);
        }
        self.go_on(now);
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.sends.pop_front()
    }

    fn wake_at(&self) -> Option<Duration> {
        let running =
            self.running.iter().filter_map(|(_, since, teller)| Some(since.saturating_add(teller.wake_at()?)));
        running.chain(self.may_begin().then_some(Duration::ZERO)).min()
    }

    fn wake(&mut self, now: Duration) {
        for (_, since, teller) in &mut self.running {
            let own = now.saturating_sub(*since);
            if teller.wake_at().is_some_and(|at| at <= own) {
                teller.wake(own);
            }
        }
        self.go_on(now);
    }

    fn next_event(&mut self) -> Option<TellingEvent> {
        self.events.pop_front()
    }
}
