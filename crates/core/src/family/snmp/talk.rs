//! One change of an agent.
//!
//! 1. *Greeting*: it is read where it stands. It is the one that is meant when one of its interfaces has the same MAC address as before;
//!    where it tells none, when it still says the same of what it is, and at first of what it is called. Somebody else is told nothing.
//! 2. Each step is *ordered* in one request, which is taken whole or not at all.
//! 3. It is *followed*: read until it is as wanted, or its time is over.
//! 4. At the end it is read once more.

use std::collections::VecDeque;
use std::net::SocketAddrV4;
use std::time::Duration;

use lantern_wire::snmp::{Oid, PORT, Value as Told};

use super::caller::{Caller, Reply, Request};
use super::reading::{Extent, Reading};
use super::{object, readings};
use crate::Said;
use crate::census::{Subject, Unit, Way};
use crate::change::Change;
use crate::conversation::{
    self, Ahead, Conversation, Course, Following, Heard, Judged, LinkId, LinkNews, Other, Outcome, Outgoing,
    TalkEvent, Vantage, Write, sightings,
};
use crate::facts::{Difference, Facts, Field, Value};
use crate::{Access, facts::ReadingName};

/// How often it is read at the beginning, where it does not answer.
const GREETINGS: u32 = 3;
/// How long it may take for each answer.
const ANSWER_TIME: Duration = Duration::from_millis(1500);
/// How often it is read while it takes its settings.
const FOLLOW_EVERY: Duration = Duration::from_millis(600);

/// The conversation.
#[derive(Debug)]
pub(in crate::family) struct Talk {
    course: Course,
    /// What it told when it was found.
    found: Facts,
    reading: Reading,
    phase: Phase,
    ready: Vec<Outgoing>,
    sends: VecDeque<Outgoing>,
}

#[derive(Debug)]
enum Phase {
    /// It is read for the first time.
    Greeting(u32),
    Ordering(Write),
    /// It is read until it is as wanted; when next, while it is not.
    Following(Following, Option<Duration>),
    /// It is read for the last time.
    Reading,
}

impl Talk {
    /// A talk that makes `change` of this agent from there, and gives it `restart_time` to take each step.
    pub(in crate::family) fn new(unit: &Unit, change: &Change, vantage: Vantage, restart_time: Duration) -> Self {
        let login = vantage.secrets.of(Way::Snmp, unit.mac, unit.address).cloned();
        let seed = LinkId::seed(vantage.mark.into(), unit.identity.raw().as_bytes());
        let caller = Caller::new(SocketAddrV4::new(unit.address, PORT), login, seed, ANSWER_TIME);
        // Of what changes by itself only what is meant is read.
        let is_meant = |name: ReadingName| change.differences.iter().any(|one| one.field == Field::Reading(name));
        let readings: Vec<(ReadingName, Oid)> =
            readings(unit).into_iter().filter(|(name, _)| is_meant(*name)).collect();
        Self {
            course: Course::new(unit, change, vantage, restart_time),
            found: unit.facts.clone(),
            reading: Reading::new(caller, &readings, Extent::Settings),
            phase: Phase::Greeting(1),
            ready: Vec::new(),
            sends: VecDeque::new(),
        }
    }

    /// Reads it anew.
    fn read(&mut self, now: Duration) {
        self.reading.begin();
        self.reading.work(now, &mut self.ready);
    }

    /// Whether what was read is of the one that is meant.
    fn is_meant(&self) -> bool {
        if !self.reading.macs.is_empty() && self.course.unit.mac.is_some() {
            return self.reading.macs.iter().any(|mac| self.course.is_own_mac(*mac));
        }
        let what = |facts: &Facts| facts.get(Field::Description).cloned();
        what(&self.found) == what(&self.reading.facts)
    }

    /// Whether it is still called as it was, where nothing surer tells it from others of its model.
    fn is_called_as_found(&self) -> bool {
        let name = |facts: &Facts| facts.get(Field::Name).cloned();
        let is_surer = !self.reading.macs.is_empty() && self.course.unit.mac.is_some();
        is_surer || name(&self.found) == name(&self.reading.facts)
    }

    /// Takes over what was read, where it is of the one that is meant; gives whether it is.
    fn learn(&mut self) -> bool {
        let is_heard =
            self.reading.is_heard() && self.reading.told.contains_key(&Field::Description) && self.is_meant();
        if is_heard {
            self.course.unit.facts = self.reading.facts.clone();
        }
        is_heard
    }

    fn hear_link(&mut self, now: Duration, link: LinkId, news: LinkNews<'_>) {
        if self.course.is_over() || link != self.reading.link() {
            return;
        }
        let Phase::Ordering(write) = self.phase else {
            return self.reading.hear(now, news, &mut self.ready);
        };
        let caller = self.reading.caller_mut();
        let answered = match news {
            LinkNews::Opened => None,
            LinkNews::Bytes(bytes) => caller.hear(now, bytes, &mut self.ready),
            LinkNews::Closed(end) => caller.hear_end(end),
        };
        if let Some((_, reply)) = answered {
            self.ordered(now, write, &reply);
        }
    }

    /// Lets what is due happen.
    fn work(&mut self, now: Duration) {
        if self.course.is_over() {
            return;
        }
        match self.phase {
            Phase::Greeting(nth) => self.greet(now, nth),
            Phase::Ordering(write) => {
                if let Some((_, reply)) = self.reading.caller_mut().late(now, &mut self.ready) {
                    self.ordered(now, write, &reply);
                }
            }
            Phase::Following(follow, again_at) => self.follow_on(now, follow, again_at),
            Phase::Reading => self.judge(now),
        }
    }

    fn greet(&mut self, now: Duration, nth: u32) {
        self.reading.work(now, &mut self.ready);
        if !self.reading.is_over() {
            return;
        }
        if self.is_called_as_found() && self.learn() {
            if self.course.greet() {
                self.begin(now);
            }
        } else if let Some(Value::Access(Access::Refused)) = self.reading.facts.get(Field::Access) {
            self.decline("it does not let in who asks");
            self.course.end(Outcome::Refused(self.course.open_step()));
        } else if self.reading.is_heard() {
            let name = match self.reading.facts.get(Field::Name) {
                Some(Value::Text(name)) => name.clone(),
                _ => Said::default(),
            };
            self.course.end(Outcome::Stranger(Other { mac: self.reading.macs.first().copied(), name }));
        } else if nth >= GREETINGS {
            self.course.end_silent();
        } else {
            self.phase = Phase::Greeting(nth + 1);
            self.read(now);
        }
    }

    fn decline(&mut self, why: &str) {
        self.course.tell(TalkEvent::Declined(self.course.current(), Said::from(why)));
    }

    /// Begins the current step, or the last reading.
    fn begin(&mut self, now: Duration) {
        match self.course.ahead() {
            // No message of it gives an address.
            Ahead::Probe(_) | Ahead::Order => self.order(now, Write::first(now)),
            Ahead::Prove => self.prove(now),
        }
    }

    fn order(&mut self, now: Duration, write: Write) {
        self.course.order(write);
        let values: Result<Vec<(Oid, Told)>, String> =
            self.course.open_step().iter().map(|difference| self.value(difference)).collect();
        match values {
            Ok(values) => {
                self.phase = Phase::Ordering(write);
                self.reading.caller_mut().ask(now, Request::Set(values), &mut self.ready);
            }
            Err(why) => {
                self.decline(&why);
                self.prove(now);
            }
        }
    }

    /// What is set, in the form in which it was told.
    fn value(&self, difference: &Difference) -> Result<(Oid, Told), String> {
        let Value::Text(text) = &difference.planned else { return Err(format!("{difference} is no text")) };
        let like = |told: &Told| told.like(text.raw()).ok_or_else(|| format!("{text:?} is no value of its kind"));
        match (self.reading.told.get(&difference.field), object(difference.field)) {
            (Some((object, told)), _) => Ok((object.clone(), like(told)?)),
            (None, Some(object)) => Ok((object, Told::Bytes(text.raw().as_bytes().to_vec()))),
            (None, None) => {
                Err(format!("it does not tell its {}, so nobody knows what it takes", difference.field))
            }
        }
    }

    fn ordered(&mut self, now: Duration, write: Write, reply: &Reply) {
        let is_taken = match reply {
            Reply::Values(_) => true,
            // It may have taken it all the same: what it tells of itself decides.
            Reply::Gone => false,
            Reply::Failed(failed) => {
                let open = self.course.open_step();
                let which = usize::try_from(failed.index).ok().and_then(|index| open.get(index.checked_sub(1)?));
                self.decline(&which.map_or_else(|| failed.to_string(), |one| format!("{}: {failed}", one.field)));
                return self.prove(now);
            }
            Reply::Refused => {
                self.decline("it does not let in who asks");
                return self.prove(now);
            }
        };
        self.phase = Phase::Following(Following::new(now, write, is_taken), None);
        self.read(now);
        self.work(now);
    }

    /// Reads it again and again until it is as wanted.
    fn follow_on(&mut self, now: Duration, mut follow: Following, again_at: Option<Duration>) {
        if again_at.is_some_and(|at| at <= now) {
            self.phase = Phase::Following(follow, None);
            return self.read(now);
        }
        self.reading.work(now, &mut self.ready);
        let mut again_at = again_at;
        if self.reading.is_over() && again_at.is_none() {
            again_at = Some(now + FOLLOW_EVERY);
            if self.learn() {
                follow.heard_at = Some(now);
                if self.course.is_taken(now, &mut follow) {
                    return self.begin(now);
                }
                if let Some(write) = self.course.again(now, &follow) {
                    return self.order(now, write);
                }
            }
        }
        if self.course.is_too_late(now, &follow) {
            return self.course.give_up(&follow);
        }
        self.phase = Phase::Following(follow, again_at);
    }

    /// Reads it for the last time.
    fn prove(&mut self, now: Duration) {
        self.ready.extend(self.course.prove());
        self.phase = Phase::Reading;
        self.read(now);
    }

    fn judge(&mut self, now: Duration) {
        self.reading.work(now, &mut self.ready);
        if !self.reading.is_over() {
            return;
        }
        let is_heard = self.learn();
        match self.course.judge(is_heard) {
            Judged::Over => {}
            Judged::BeginAgain => self.begin(now),
            Judged::ProveAgain => self.prove(now),
        }
    }

    fn hand_over(&mut self) {
        if self.course.is_over() {
            self.reading.caller_mut().close(&mut self.ready);
        }
        self.sends.extend(self.ready.drain(..));
    }
}

impl conversation::Talk for Talk {
    fn outcome(&self) -> Option<&Outcome> {
        self.course.outcome()
    }

    fn subject(&self) -> Subject {
        Subject::of_unit(&self.course.unit)
    }
}

impl Conversation for Talk {
    type Event = TalkEvent;

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        if let Heard::Link(link, news) = heard {
            self.hear_link(now, *link, *news);
        }
        if matches!(self.phase, Phase::Reading) {
            for sighting in &sightings(&self.course.vantage, now, heard).1 {
                self.course.hear_beside(sighting);
            }
        }
        self.work(now);
        self.hand_over();
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.sends.pop_front()
    }

    fn wake_at(&self) -> Option<Duration> {
        if self.course.is_over() {
            return None;
        }
        let reads = self.reading.next_at();
        Some(match &self.phase {
            Phase::Greeting(_) | Phase::Reading => reads.unwrap_or(Duration::ZERO),
            Phase::Ordering(_) => self.reading.caller().until().unwrap_or(Duration::ZERO),
            Phase::Following(follow, again_at) => {
                again_at.or(reads).unwrap_or(Duration::ZERO).min(follow.since + self.course.restart_time)
            }
        })
    }

    fn wake(&mut self, now: Duration) {
        self.work(now);
        self.hand_over();
    }

    fn next_event(&mut self) -> Option<TalkEvent> {
        self.course.next_event()
    }
}
