//! Apply: makes a plan's changes, a talk each, several side by side at one pace. A change begins when everything that it waits
//! for is made; a failure holds back what waits for it, and nothing else unless that is asked for.

use std::collections::{HashMap, VecDeque};
use std::net::SocketAddrV4;
use std::time::Duration;

use super::pace::Pace;
use super::schedule::Schedule;
use super::{Conversation, Heard, Outcome, Outgoing, Talk, TalkEvent, Vantage};
use crate::census::{Lane, Subject};
use crate::change::{Change, ChangePlan, Graph, Wait, Why};

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
    /// It is not begun, since this one that it waits for failed or is held back itself.
    HeldBack(usize),
}

/// How to go about a plan's changes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Manner {
    /// How long a device may take to restart, in each step.
    pub restart_time: Duration,
    /// How many are changed at once, 1 at least.
    pub at_once: usize,
    /// Whether nothing more is begun after a failure, whatever waits for what.
    pub stop_on_failure: bool,
}

/// How far the changes of a plan are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct HowFar {
    /// How many there are.
    pub of: usize,
    /// How many have ended, whether well or not.
    pub ended: usize,
    /// How many of those failed.
    pub failed: usize,
    /// How many are not begun, since they wait for one that failed.
    pub held_back: usize,
    /// How many are under way.
    pub under_way: usize,
    /// How long the rest takes if it goes on like that; `None` until the first has ended.
    pub left: Option<Duration>,
}

/// After so many in a row that answered nothing it is their lane: a cable that was unplugged, a gateway without power.
const MANY_SILENT: u32 = 2;

/// The conversation.
pub struct Apply {
    changes: Vec<Change>,
    graph: Graph,
    vantage: Vantage,
    manner: Manner,
    schedule: Schedule,
    running: Vec<Running>,
    made: Vec<Option<Made>>,
    pace: Pace,
    waiting: VecDeque<Outgoing>,
    sent: VecDeque<Outgoing>,
    asked_lately: AskedLately,
    events: VecDeque<ApplyEvent>,
    /// How many in a row answered nothing, of each lane.
    silent: HashMap<Lane, u32>,
    /// How long those took that have ended, all together.
    spent: Duration,
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
    /// Makes a plan's changes from there.
    #[must_use]
    pub fn new(plan: &ChangePlan, vantage: Vantage, manner: Manner) -> Self {
        let count = plan.changes.len();
        let lanes = plan.changes.iter().map(|change| change.subject.lane());
        let schedule = Schedule::new(&plan.graph, count, manner.at_once, manner.stop_on_failure).on_lanes(lanes);
        Self {
            changes: plan.changes.clone(),
            graph: plan.graph.clone(),
            vantage,
            manner,
            schedule,
            running: Vec::new(),
            made: vec![None; count],
            pace: Pace::new(Pace::USUAL),
            waiting: VecDeque::new(),
            sent: VecDeque::new(),
            asked_lately: AskedLately::default(),
            events: VecDeque::new(),
            silent: HashMap::new(),
            spent: Duration::ZERO,
        }
    }

    /// What became of each change; `None` for one that was not begun, or is under way.
    #[must_use]
    pub fn made(&self) -> &[Option<Made>] {
        &self.made
    }

    /// How far it is.
    #[must_use]
    pub fn how_far(&self) -> HowFar {
        let of = self.changes.len();
        let ended = self.made.iter().flatten().count();
        let (failed, held_back) = self.schedule.lost();
        let rounds = (of - ended - held_back).div_ceil(self.manner.at_once.max(1));
        let mean = u32::try_from(ended).ok().and_then(|ended| self.spent.checked_div(ended));
        let left = mean.map(|mean| mean.saturating_mul(u32::try_from(rounds).unwrap_or(u32::MAX)));
        HowFar { of, ended, failed, held_back, under_way: self.running.len(), left }
    }

    fn tell(&mut self, change: usize, news: ApplyNews) {
        self.events.push_back(ApplyEvent { change, news });
    }

    fn begin(&mut self, now: Duration) {
        while let Some(change) = self.schedule.begin() {
            let mut talk = self.changes[change].talk(self.vantage.clone(), self.manner.restart_time);
            let lane = self.changes[change].subject.lane();
            if lane.and_then(|lane| self.silent.get(&lane)).is_some_and(|silent| *silent >= MANY_SILENT) {
                talk.hurry();
            }
            self.tell(change, ApplyNews::Begun);
            talk.wake(Duration::ZERO);
            self.running.push(Running { change, since: now, talk });
            self.collect(now);
        }
    }

    /// Takes out of the talks what they tell and send, and ends those that are over.
    fn collect(&mut self, now: Duration) {
        for index in 0..self.running.len() {
            let change = self.running[index].change;
            while let Some(event) = self.running[index].talk.next_event() {
                self.tell(change, ApplyNews::Talk(event));
            }
            while let Some(outgoing) = self.running[index].talk.next_send() {
                // A web server answers one question after the other: it paces itself.
                let is_paced = !matches!(outgoing, Outgoing::Fetch { .. });
                if is_paced { self.waiting.push_back(outgoing) } else { self.sent.push_back(outgoing) }
            }
        }
        let (over, running): (Vec<Running>, Vec<Running>) =
            std::mem::take(&mut self.running).into_iter().partition(|running| running.talk.wake_at().is_none());
        self.running = running;
        for Running { change, talk, since } in over {
            self.spent += now.saturating_sub(since);
            let outcome = talk.outcome().cloned().unwrap_or(Outcome::Silent { written: true });
            let is_failure = outcome.is_failure();
            if let Some(lane) = self.changes[change].subject.lane() {
                let silent = self.silent.entry(lane).or_default();
                *silent = if matches!(outcome, Outcome::Silent { .. }) { *silent + 1 } else { 0 };
            }
            let made = Made { outcome, subject: talk.subject() };
            self.made[change] = Some(made.clone());
            self.tell(change, ApplyNews::Made(made.clone()));
            if is_failure {
                for (behind, on) in self.schedule.failed(change) {
                    self.tell(behind, ApplyNews::HeldBack(on));
                }
                continue;
            }
            for behind in self.schedule.made(change).to_vec() {
                let is_same = |wait: &Wait| wait.on == change && matches!(wait.why, Why::Parked(_));
                if self.graph.waits(behind).iter().any(is_same) {
                    self.changes[behind].subject = made.subject.clone();
                }
            }
        }
    }

    /// Goes on after something has happened.
    fn go_on(&mut self, now: Duration) {
        self.collect(now);
        self.begin(now);
        while !self.waiting.is_empty() && self.pace.lets_pass(now) {
            let next = self.waiting.pop_front();
            self.sent.extend(next.filter(|outgoing| !self.asked_lately.has(now, outgoing, &self.vantage)));
        }
        self.ask_singles(now);
    }

    /// Lets talks ask whose turn it is, whoever waits longest first.
    fn ask_singles(&mut self, now: Duration) {
        while self.waiting.is_empty() {
            let due = |(place, running): (usize, &Running)| Some((running.next_single()?, place));
            let next = self.running.iter().enumerate().filter_map(due).min();
            let Some((_, place)) = next.filter(|(at, _)| *at <= now) else { return };
            if !self.pace.lets_pass(now) {
                return;
            }
            let running = &mut self.running[place];
            let asked = running.talk.ask_single(now.saturating_sub(running.since));
            self.sent.extend(asked);
            self.collect(now);
            self.begin(now);
        }
    }
}

impl Running {
    /// When it has a question that waits for its turn.
    fn next_single(&self) -> Option<Duration> {
        self.talk.next_single().map(|at| self.since + at)
    }
}

/// What everybody was asked lately. All talks hear every answer: a question that another one has just asked is not asked anew.
#[derive(Debug, Default)]
struct AskedLately(Vec<(usize, SocketAddrV4, Vec<u8>, Duration)>);

impl AskedLately {
    /// How soon the same question may go to everybody again.
    const AGAIN: Duration = Duration::from_secs(1);

    /// Whether everybody was just asked this; takes note of it where not.
    fn has(&mut self, now: Duration, outgoing: &Outgoing, vantage: &Vantage) -> bool {
        let Some((seat, to, bytes)) = outgoing.as_datagram() else { return false };
        let is_everybody = |seat: &super::Seat| seat.subnet.broadcast() == *to.ip();
        if !(to.ip().is_broadcast() || vantage.seats.iter().any(is_everybody)) {
            return false;
        }
        self.0.retain(|(.., at)| now < *at + Self::AGAIN);
        let is_same =
            |one: &(usize, SocketAddrV4, Vec<u8>, Duration)| (one.0, one.1, &one.2[..]) == (seat, to, bytes);
        let was_asked = self.0.iter().any(is_same);
        if !was_asked {
            self.0.push((seat, to, bytes.to_vec(), now));
        }
        was_asked
    }
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
        self.sent.pop_front()
    }

    fn wake_at(&self) -> Option<Duration> {
        let talks = self.running.iter().filter_map(|running| Some(running.since + running.talk.wake_at()?));
        let paced = (!self.waiting.is_empty()).then(|| self.pace.next());
        let single = self.running.iter().filter_map(Running::next_single).min().map(|at| at.max(self.pace.next()));
        let begins = self.schedule.next().map(|_| Duration::ZERO);
        talks.chain(paced).chain(single).chain(begins).min()
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
