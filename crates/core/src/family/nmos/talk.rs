//! One change of a sender, a receiver, or an output of a channel map.
//!
//! 1. *Greeting*: its node says who it is, and the point what it is set to. Another node at its address is told nothing.
//! 2. Where a receiver gets a sender, that one's description is *fetched*, since many take a sender only with it.
//! 3. The step is *ordered* in one request. One that is locked, or breaks, is asked what it is, and told again.
//! 4. What is active is read until it is as wanted or its time is over, and once more at the end.

use std::collections::VecDeque;
use std::time::Duration;

use lantern_wire::Place;
use lantern_wire::nmos::{Connection, Fault, Io, Node, Order, Taken};

use super::caller::Caller;
use super::{orders, place, point};
use crate::Said;
use crate::census::{PatchPoint, PatchSort, Sighting, Subject};
use crate::change::{Change, StepMessage};
use crate::conversation::{
    self, Ahead, Conversation, Course, Following, Heard, Judged, LinkEnd, LinkId, Other, Outcome, Outgoing,
    Response, TalkEvent, Vantage, Write, sightings,
};
use crate::facts::{Difference, Facts, Field, Patched, Value};

/// How long it may take for each answer.
const ANSWER_TIME: Duration = Duration::from_secs(4);
/// How often a question is asked that was not answered.
const ASKS: u32 = 3;
/// How often it is read while it takes what it was told.
const FOLLOW_EVERY: Duration = Duration::from_millis(400);
/// The longest description of a sender that is handed on, in bytes.
const LONGEST_FILE: usize = 16 * 1024;

/// The conversation.
#[derive(Debug)]
pub(in crate::family) struct Talk {
    course: Course,
    point: PatchPoint,
    /// Where the point is told things.
    place: Option<Place>,
    /// Where the sender of each step describes itself.
    described_at: Vec<Option<Place>>,
    file: Option<String>,
    /// Whether it was told without the description, since it would not take that.
    without_file: bool,
    /// Why it said last that it does not take it.
    declined: Option<Said>,
    caller: Caller,
    asks: u32,
    phase: Phase,
    ready: Vec<Outgoing>,
    sends: VecDeque<Outgoing>,
}

#[derive(Debug, Clone, Copy)]
enum Phase {
    /// Its node says who it is.
    Greeting,
    /// It is read for the first time.
    Beginning,
    /// What the sender says of itself is fetched.
    Fetching(Write),
    Ordering(Write),
    /// It is read again from then on.
    Following(Following, Duration),
    /// It is read for the last time.
    Proving,
}

impl Talk {
    /// A talk that makes `change` of this point from there, and gives it `restart_time` to take the step.
    pub(in crate::family) fn new(
        point: &PatchPoint,
        change: &Change,
        vantage: Vantage,
        restart_time: Duration,
    ) -> Self {
        let seed = LinkId::seed(vantage.mark.into(), point.unit.identity.raw().as_bytes());
        let described_at = |step: &crate::change::Step| match &step.message {
            StepMessage::Patched { described_at } => described_at.clone(),
            _ => None,
        };
        let mut talk = Self {
            course: Course::new(&point.unit, change, vantage, restart_time),
            place: place(point),
            described_at: change.steps.iter().map(described_at).collect(),
            file: None,
            without_file: false,
            declined: None,
            point: point.clone(),
            caller: Caller::new(seed, ANSWER_TIME),
            asks: 0,
            phase: Phase::Greeting,
            ready: Vec::new(),
            sends: VecDeque::new(),
        };
        if talk.place.is_none() && !talk.course.is_over() {
            talk.course.end_silent();
        }
        talk
    }

    /// What the current phase asks.
    fn ask(&mut self, now: Duration) {
        let Some(place) = self.place.clone() else { return };
        self.asks += 1;
        let out = &mut self.ready;
        match self.phase {
            Phase::Greeting => {
                let own = self.course.unit.address;
                match Place::parse(&format!("http://{own}{}self", self.point.of_handle)) {
                    Some(node) => self.caller.get(now, node.at, &node.path, out),
                    None => self.course.end_silent(),
                }
            }
            Phase::Fetching(_) => {
                let from = self.described_at.get(self.course.current()).and_then(Option::as_ref);
                from.into_iter().for_each(|from| self.caller.get(now, from.at, &from.path, out));
            }
            Phase::Ordering(_) => {
                let (sort, unit) = (self.point.sort, &self.course.unit);
                let file = self.file.as_deref().filter(|_| !self.without_file);
                let told = orders::of(sort, unit.identity.raw(), &unit.facts, &self.course.open_step(), file);
                match told {
                    Some(told) => {
                        let path = format!("{}{}", place.path, told.rest);
                        self.caller.order(now, told.method, place.at, &path, told.body, out);
                    }
                    None => self.decline(now, "there is no word for it"),
                }
            }
            Phase::Beginning | Phase::Following(..) | Phase::Proving => {
                let rest = if self.point.sort == PatchSort::Output { "map/active" } else { "active" };
                self.caller.get(now, place.at, &format!("{}{rest}", place.path), out);
            }
        }
    }

    fn enter(&mut self, now: Duration, phase: Phase) {
        (self.phase, self.asks) = (phase, 0);
        self.ask(now);
    }

    /// Lets what is due happen.
    fn work(&mut self, now: Duration) {
        if self.course.is_over() {
            return;
        }
        if self.caller.is_late(now) {
            return self.unanswered(now, LinkEnd::Silent);
        }
        if self.caller.until().is_some() {
            return;
        }
        match self.phase {
            Phase::Greeting if self.asks == 0 => {
                // Who else has its address says so.
                self.ready.extend(self.course.vantage.who_has(self.course.unit.address));
                self.ask(now);
            }
            Phase::Following(follow, _) if self.course.is_too_late(now, &follow) => self.course.give_up(&follow),
            Phase::Following(_, again_at) if again_at <= now => self.ask(now),
            _ => {}
        }
    }

    fn unanswered(&mut self, now: Duration, end: LinkEnd) {
        // One that nobody takes is not taken a moment later either, unless its node starts anew.
        let may_again = self.asks < ASKS && end != LinkEnd::Refused;
        match self.phase {
            Phase::Greeting | Phase::Beginning | Phase::Proving if may_again => self.ask(now),
            Phase::Greeting | Phase::Beginning => self.course.end_silent(),
            Phase::Fetching(write) => self.enter(now, Phase::Ordering(write)),
            Phase::Ordering(write) => self.follow(now, write, false),
            Phase::Following(follow, _) => self.phase = Phase::Following(follow, now + FOLLOW_EVERY),
            Phase::Proving => self.judge(now, false),
        }
    }

    fn answered(&mut self, now: Duration, page: &Response) {
        match self.phase {
            Phase::Greeting => match Node::parse(&page.body).ok().filter(|_| page.status == 200) {
                Some(node) if node.id.as_str() == self.point.of.raw() => self.enter(now, Phase::Beginning),
                Some(node) => {
                    let mac = node.macs.first().copied();
                    self.course.end(Outcome::Stranger(Other { mac, name: node.label.as_str().into() }));
                }
                None => self.unanswered(now, LinkEnd::Torn),
            },
            Phase::Beginning => match self.learn(page) {
                true if self.course.greet() => self.begin(now),
                true => {}
                false => self.unanswered(now, LinkEnd::Torn),
            },
            Phase::Fetching(write) => {
                let text = String::from_utf8(page.body.clone()).ok();
                let is_description = |text: &String| text.starts_with("v=") && text.len() <= LONGEST_FILE;
                self.file = text.filter(|text| page.status == 200 && is_description(text));
                self.enter(now, Phase::Ordering(write));
            }
            Phase::Ordering(write) => self.ordered(now, write, page),
            Phase::Following(follow, _) => self.followed(now, follow, page),
            Phase::Proving => {
                let is_heard = self.learn(page);
                self.judge(now, is_heard);
            }
        }
    }

    /// Begins the current step, or the last reading.
    fn begin(&mut self, now: Duration) {
        match self.course.ahead() {
            // Its address is another change's.
            Ahead::Probe(_) | Ahead::Order => self.order(now, Write::first(now)),
            Ahead::Prove => self.prove(now),
        }
    }

    fn order(&mut self, now: Duration, write: Write) {
        let gets_sender =
            |one: &Difference| one.field == Field::Sender && matches!(one.planned, Value::Patched(_));
        let is_described = self.described_at.get(self.course.current()).is_some_and(Option::is_some);
        self.file = None;
        if is_described && !self.without_file && self.course.open_step().iter().any(gets_sender) {
            self.course.order(write);
            return self.enter(now, Phase::Fetching(write));
        }
        self.course.order(write);
        self.enter(now, Phase::Ordering(write));
    }

    fn ordered(&mut self, now: Duration, write: Write, page: &Response) {
        match Order::taken(page.status) {
            Some(Taken::Now) => self.follow(now, write, true),
            Some(Taken::Later) => {
                self.course.tell(TalkEvent::Remarked("it takes that at a later time".into()));
                self.follow(now, write, true);
            }
            None => {
                let says = Fault::read(&page.body).says;
                if page.status == 400 && self.file.is_some() && !self.without_file {
                    self.course.tell(TalkEvent::Remarked("it does not take the sender's description".into()));
                    self.without_file = true;
                    return self.enter(now, Phase::Ordering(write));
                }
                let what = match page.status {
                    423 => "it is locked".to_owned(),
                    status => format!("it answers with {status}"),
                };
                let why = if says.is_empty() { what } else { format!("{what}: {says}") };
                // What is wrong with the order stays wrong; a lock opens, and what broke may have been taken.
                if matches!(page.status, 423 | 500..=599) && !write.is_last() {
                    self.course.tell(TalkEvent::Remarked(why.as_str().into()));
                    return self.follow(now, write, false);
                }
                self.decline(now, &why);
            }
        }
    }

    /// It says that it does not take it. What it is, it says too.
    fn decline(&mut self, now: Duration, why: &str) {
        let why = Said::from(why);
        if self.declined.as_ref() != Some(&why) {
            self.course.tell(TalkEvent::Declined(self.course.current(), why.clone()));
            self.declined = Some(why);
        }
        self.prove(now);
    }

    fn follow(&mut self, now: Duration, write: Write, acknowledged: bool) {
        self.enter(now, Phase::Following(Following::new(now, write, acknowledged), now));
    }

    fn followed(&mut self, now: Duration, mut follow: Following, page: &Response) {
        if self.learn(page) {
            follow.heard_at = Some(now);
            if self.course.is_taken(now, &mut follow) {
                return self.begin(now);
            }
            if let Some(write) = self.course.again(now, &follow) {
                return self.order(now, write);
            }
        }
        self.phase = Phase::Following(follow, now + FOLLOW_EVERY);
    }

    /// Reads it for the last time.
    fn prove(&mut self, now: Duration) {
        self.ready.extend(self.course.prove());
        self.enter(now, Phase::Proving);
    }

    fn judge(&mut self, now: Duration, is_heard: bool) {
        match self.course.judge(is_heard) {
            Judged::Over => {}
            Judged::BeginAgain => self.begin(now),
            Judged::ProveAgain => self.prove(now),
        }
    }

    /// Takes over what it says that it is set to; gives whether it says that.
    fn learn(&mut self, page: &Response) -> bool {
        if page.status != 200 {
            return false;
        }
        let mut facts = self.point.unit.facts.clone();
        let patched: Vec<Field> =
            facts.told().map(|(field, _)| field).filter(|field| is_patched(*field)).collect();
        patched.into_iter().for_each(|field| facts.forget_one(field));
        match self.point.sort {
            PatchSort::Output => {
                let Ok(active) = Io::active(&page.body) else { return false };
                point::learn_map(&self.point, &mut facts, &active);
            }
            sort => match Connection::parse(&page.body) {
                Ok(active) => point::learn_connection(&mut facts, sort, &active),
                Err(_) => return false,
            },
        }
        self.course.unit.facts = self.relabelled(facts);
        true
    }

    /// The same facts; what was called by a name before is called so again.
    fn relabelled(&self, mut facts: Facts) -> Facts {
        let before = self.point.unit.facts.told().map(|(_, value)| value);
        let known: Vec<&Patched> = before.chain(self.course.planned()).filter_map(as_patched).collect();
        let label = |told: &Patched| known.iter().find(|one| one.is_same(told)).map(|one| (*one).clone());
        let named: Vec<(Field, Patched)> =
            facts.told().filter_map(|(field, value)| Some((field, label(as_patched(value)?)?))).collect();
        named.into_iter().for_each(|(field, value)| facts.learn(field, Value::Patched(Box::new(value))));
        facts
    }

    fn hear_page(&mut self, now: Duration, link: LinkId, page: Result<&Response, LinkEnd>) {
        match self.caller.hear(link, page) {
            Some(Ok(page)) => self.answered(now, page),
            Some(Err(end)) => self.unanswered(now, end),
            None => {}
        }
    }

    /// Somebody else speaks from its address.
    fn hear_other(&mut self, sighting: &Sighting) {
        if self.course.is_over() {
            return;
        }
        match self.phase {
            Phase::Greeting | Phase::Beginning => self.course.hear_stranger(sighting),
            Phase::Proving => self.course.hear_beside(sighting),
            Phase::Fetching(_) | Phase::Ordering(_) | Phase::Following(..) => {}
        }
    }
}

fn as_patched(value: &Value) -> Option<&Patched> {
    match value {
        Value::Patched(patched) => Some(patched),
        _ => None,
    }
}

/// What a point is set to, and not only what it is.
const fn is_patched(field: Field) -> bool {
    matches!(field, Field::Enabled | Field::Sender | Field::Group | Field::SecondGroup | Field::Channel(_))
}

impl conversation::Talk for Talk {
    fn outcome(&self) -> Option<&Outcome> {
        self.course.outcome()
    }

    fn subject(&self) -> Subject {
        Subject::of_patch_point(&PatchPoint { unit: self.course.unit.clone(), ..self.point.clone() })
    }
}

impl Conversation for Talk {
    type Event = TalkEvent;

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        if self.course.is_over() {
            return;
        }
        if let Heard::Page(link, page) = heard {
            self.hear_page(now, *link, *page);
        } else {
            let (_, seen) = sightings(&self.course.vantage, now, heard);
            seen.iter().for_each(|sighting| self.hear_other(sighting));
        }
        self.work(now);
        self.sends.extend(self.ready.drain(..));
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.sends.pop_front()
    }

    fn wake_at(&self) -> Option<Duration> {
        if self.course.is_over() {
            return None;
        }
        let waits = self.caller.until();
        Some(match self.phase {
            Phase::Following(follow, again_at) => {
                waits.unwrap_or(again_at).min(follow.since + self.course.restart_time)
            }
            _ => waits.unwrap_or(Duration::ZERO),
        })
    }

    fn wake(&mut self, now: Duration) {
        self.work(now);
        self.sends.extend(self.ready.drain(..));
    }

    fn next_event(&mut self) -> Option<TalkEvent> {
        self.course.next_event()
    }
}
