//! Survey: ask who is there, and listen.
//!
//! A node may wait up to a second before it replies and should have replied within three (Art-Net 4, "ArtPoll").
//! Datagrams get lost, so the question is repeated, at most four times, early enough for every answer to fall
//! within the three seconds. A node of which a page got lost is asked once more by itself. When a sheet says whom to expect, the survey ends as soon as all of them have
//! answered and the first second is over; without one it takes the whole time.

use std::collections::{BTreeMap, VecDeque};
use std::time::Duration;

use lantern_wire::art_net::IpProg;

use super::outbox::Outbox;
use super::{Conversation, Heard, Outgoing, Seat};
use crate::census::{Census, News, Sighting};
use crate::compare::{Match, Matching};
use crate::sheet::{RigSheet, SheetNode};

const POLLS: u32 = 4;
const POLL_EVERY: Duration = Duration::from_millis(600);
const REPLY_TIME: Duration = Duration::from_secs(1);
const WHOLE_TIME: Duration = Duration::from_secs(3);

/// How often to look whether everybody expected has answered.
const LOOK_EVERY: Duration = Duration::from_millis(100);

const ASKS: u32 = 4;
const ASK_EVERY: Duration = Duration::from_millis(400);
/// How long answers about settings are waited for after the survey's own time.
const ASK_GRACE: Duration = Duration::from_secs(1);

/// What a survey is to do.
#[derive(Debug, Clone, Default)]
pub struct SurveyPlan {
    /// Where to ask.
    pub seats: Vec<Seat>,
    /// Whom to expect, to end early.
    pub expected: Option<RigSheet>,
    /// Whether to ask each node for mask and gateway too.
    pub ask_settings: bool,
}

/// What a survey tells while it runs.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SurveyEvent {
    /// Everybody was asked, for the n-th time from 1.
    Asked(u32),
    /// A node answered for the first time; its index in the census.
    Found(usize),
}

/// How far a survey is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Progress {
    /// Nodes found so far.
    pub found: usize,
    /// Longest time it can still take.
    pub left: Duration,
}

/// The survey conversation; [`Survey::into_census`] is its result.
#[derive(Debug)]
pub struct Survey {
    plan: SurveyPlan,
    census: Census,
    outbox: Outbox,
    events: VecDeque<SurveyEvent>,
    polls_sent: u32,
    asked: BTreeMap<usize, Ask>,
    look_at: Duration,
    unreadable: u64,
    over: bool,
}

/// A question to one node that is not answered yet: for its settings, or for pages that got lost.
#[derive(Debug, Clone, Copy)]
struct Ask {
    tries: u32,
    /// When to try again; `None` when given up.
    again_at: Option<Duration>,
}

impl Survey {
    /// A survey that starts at its first [`Conversation::wake`].
    #[must_use]
    pub fn new(plan: SurveyPlan) -> Self {
        Self {
            outbox: Outbox::new(plan.seats.clone()),
            plan,
            census: Census::default(),
            events: VecDeque::new(),
            polls_sent: 0,
            asked: BTreeMap::new(),
            look_at: REPLY_TIME,
            unreadable: 0,
            over: false,
        }
    }

    /// What was found so far.
    #[must_use]
    pub const fn census(&self) -> &Census {
        &self.census
    }

    /// What was found.
    #[must_use]
    pub fn into_census(self) -> Census {
        self.census
    }

    /// How many datagrams could not be read.
    #[must_use]
    pub const fn unreadable(&self) -> u64 {
        self.unreadable
    }

    /// How far it is.
    #[must_use]
    pub fn progress(&self, now: Duration) -> Progress {
        Progress { found: self.census.nodes().len(), left: self.end().saturating_sub(now) }
    }

    fn end(&self) -> Duration {
        if self.is_asking() { WHOLE_TIME + ASK_GRACE } else { WHOLE_TIME }
    }

    fn is_asking(&self) -> bool {
        self.asked.values().any(|ask| ask.again_at.is_some())
    }

    /// Whether the node is to be asked for its settings, and for further pages.
    fn lacks(&self, index: usize) -> (bool, bool) {
        let node = &self.census.nodes()[index];
        if !node.is_node() || !self.outbox.reaches(node.address) {
            return (false, false);
        }
        (self.plan.ask_settings && node.settings.is_none(), !node.is_whole())
    }

    fn consider_asking(&mut self, now: Duration, index: usize) {
        match self.lacks(index) {
            (false, false) => {
                self.asked.remove(&index);
            }
            (settings, _) => {
                // Pages follow each other closely: only what is still missing a little later got lost.
                let again_at = if settings { now } else { now + ASK_EVERY };
                self.asked.entry(index).or_insert(Ask { tries: 0, again_at: Some(again_at) });
            }
        }
    }

    fn send_asks(&mut self, now: Duration) {
        let due = |ask: &Ask| ask.again_at.is_some_and(|at| at <= now);
        let indices: Vec<usize> = self.asked.iter().filter(|(_, ask)| due(ask)).map(|(index, _)| *index).collect();
        for index in indices {
            let (settings, pages) = self.lacks(index);
            let node = &self.census.nodes()[index];
            let (seat, address) = (node.seat, node.address);
            let Some(ask) = self.asked.get_mut(&index) else { continue };
            if ask.tries == ASKS {
                ask.again_at = None;
                continue;
            }
            ask.tries += 1;
            ask.again_at = Some(now + ASK_EVERY);
            let first = ask.tries == 1;
            if settings {
                self.outbox.send(seat, address, IpProg::ASK.to_bytes());
            }
            if pages && !(first && settings) {
                self.outbox.poll(seat, address);
            }
        }
    }

    /// Whether everybody expected has answered with every page and everything asked for.
    fn is_complete(&self) -> bool {
        let Some(sheet) = &self.plan.expected else { return false };
        let answered = |(planned, matched): (&SheetNode, &Match)| match matched {
            Match::Found(index) => {
                let node = &self.census.nodes()[*index];
                node.is_whole() && node.port_count() >= planned.last_port()
            }
            Match::Missing | Match::Ambiguous(_) => false,
        };
        let matching = || Matching::new(sheet, &self.census);
        !self.is_asking() && sheet.nodes.iter().zip(&matching().of_sheet).all(answered)
    }

    fn next_poll(&self) -> Option<Duration> {
        (self.polls_sent < POLLS).then(|| POLL_EVERY * self.polls_sent)
    }
}

impl Conversation for Survey {
    type Event = SurveyEvent;
    type Heard<'a> = Heard<'a>;
    type Outgoing = Outgoing;

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        let sighting = match Sighting::read(now, heard.seat, heard.from, heard.bytes) {
            Ok(Some(sighting)) => sighting,
            Ok(None) => return,
            Err(_) => {
                self.unreadable += 1;
                return;
            }
        };
        match self.census.take(&sighting) {
            News::NewNode(index) => {
                self.events.push_back(SurveyEvent::Found(index));
                self.consider_asking(now, index);
            }
            News::More(index) => self.consider_asking(now, index),
            News::Nothing => return,
        }
        self.send_asks(now);
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.outbox.next()
    }

    fn wake_at(&self) -> Option<Duration> {
        if self.over {
            return None;
        }
        let asks = self.asked.values().filter_map(|ask| ask.again_at);
        let look = self.plan.expected.as_ref().map(|_| self.look_at);
        asks.chain(self.next_poll()).chain(look).chain([self.end()]).min()
    }

    fn wake(&mut self, now: Duration) {
        while self.next_poll().is_some_and(|at| at <= now) {
            self.polls_sent += 1;
            self.outbox.poll_everybody();
            self.events.push_back(SurveyEvent::Asked(self.polls_sent));
        }
        self.send_asks(now);
        if self.look_at <= now {
            self.look_at = now + LOOK_EVERY;
            self.over = self.is_complete();
        }
        self.over |= self.end() <= now;
    }

    fn next_event(&mut self) -> Option<SurveyEvent> {
        self.events.pop_front()
    }
}
