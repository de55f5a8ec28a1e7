//! One change of a device.
//!
//! 1. *Greeting*: it is searched for, and read where it stands. It is the one that is meant when it states the same MAC address as
//!    before, or else the same serial number, or tells neither and answers the search; somebody else is told nothing.
//! 2. Each step is *ordered*. Before an address is given, it is *probed*: whether anybody holds it.
//! 3. What was ordered is *followed*: it is searched for and read, where it should be and where it was, until it is as wanted or its
//!    time is over.
//! 4. At the end it is read whole once more.

use std::collections::VecDeque;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::onvif::{Discovery, GROUP, PORT};

use super::caller::Caller;
use super::orders::{End, Orders};
use super::reading::Reading;
use super::{join, place, search};
use crate::census::{Sighting, Subject, Told, Unit, Way};
use crate::change::Change;
use crate::conversation::{
    self, Ahead, Conversation, Course, Following, Heard, Judged, LinkEnd, LinkId, Other, Outcome, Outgoing, Probe,
    Response, TalkEvent, Vantage, Write, sightings,
};
use crate::facts::{Facts, Field, Value};
use crate::{Access, Said};

/// How often it is searched for at the beginning.
const GREETINGS: u32 = 3;
/// How long after a search it may answer.
const SEARCH_TIME: Duration = Duration::from_millis(1200);
/// How long it may take for each answer; while it is followed it may not be there at all.
const ANSWER_TIME: Duration = Duration::from_secs(5);
const FOLLOWED_ANSWER_TIME: Duration = Duration::from_millis(1500);
/// How often it is read while it takes its settings.
const FOLLOW_EVERY: Duration = Duration::from_millis(600);

/// The conversation.
#[derive(Debug)]
pub(in crate::family) struct Talk {
    course: Course,
    /// What it told when it was found.
    found: Facts,
    /// How its family knows it again.
    endpoint: Said,
    /// Where it was heard last under that name.
    endpoint_at: Option<Ipv4Addr>,
    reading: Reading,
    messages: u16,
    phase: Phase,
    ready: Vec<Outgoing>,
    sends: VecDeque<Outgoing>,
}

#[derive(Debug)]
enum Phase {
    /// It is read for the first time; how often it was searched for, and until when it may answer that.
    Greeting {
        nth: u32,
        searched_until: Duration,
    },
    Probing(Probe),
    Ordering(Orders, Write),
    Following(Following, Hunt),
    /// It is read for the last time.
    Reading,
}

/// Where it is looked for while it is followed.
#[derive(Debug, Clone, Copy)]
struct Hunt {
    /// Whether it is being read.
    reads: bool,
    again_at: Duration,
    /// Where it said that it is, since.
    heard_from: Option<Ipv4Addr>,
    nth: u32,
}

impl Talk {
    /// A talk that makes `change` of this device from there, and gives it `restart_time` to take each step.
    pub(in crate::family) fn new(unit: &Unit, change: &Change, vantage: Vantage, restart_time: Duration) -> Self {
        let login = vantage.secrets.of(Way::Onvif, unit.mac, unit.address).cloned();
        let seed = LinkId::seed(vantage.mark.into(), unit.identity.raw().as_bytes());
        let caller = Caller::new(place(unit, unit.address), login, seed, ANSWER_TIME);
        let mut talk = Self {
            course: Course::new(unit, change, vantage, restart_time),
            found: unit.facts.clone(),
            endpoint: unit.identity.clone(),
            endpoint_at: None,
            reading: Reading::new(caller),
            messages: 0,
            phase: Phase::Greeting { nth: 1, searched_until: SEARCH_TIME },
            ready: Vec::new(),
            sends: VecDeque::new(),
        };
        let seats = talk.course.vantage.seats.len();
        join(seats, GROUP, PORT, &mut talk.ready);
        talk.search();
        talk
    }

    fn search(&mut self) {
        search(&self.course.vantage, &mut self.messages, &mut self.ready);
    }

    /// Reads it anew, at this address.
    fn read_at(&mut self, now: Duration, address: Ipv4Addr, patience: Duration) {
        let place = place(&self.course.unit, address);
        self.reading = Reading::new(self.reading.caller.at(place, patience));
        self.reading.work(now, &mut self.ready);
    }

    /// Whether what was read is of the one that is meant: its MAC address says so, or else its serial number; of one that tells neither,
    /// that it answered a search from there as the one that is meant.
    fn is_meant(&self) -> bool {
        let serial = |facts: &Facts| facts.get(Field::Serial).cloned();
        let is_same_serial = match (serial(&self.found), serial(&self.reading.facts)) {
            (Some(before), Some(now)) => Some(before == now),
            _ => None,
        };
        match self.reading.mac() {
            Some(mac) if self.course.is_own_mac(mac) => true,
            Some(_) => is_same_serial == Some(true),
            None => is_same_serial.unwrap_or(self.endpoint_at == Some(self.reading.address())),
        }
    }

    /// Takes over what was read, where it is of the one that is meant; gives whether it is.
    fn learn(&mut self) -> bool {
        let is_heard = self.reading.is_heard() && self.reading.interface().is_some() && self.is_meant();
        if is_heard {
            self.course.unit.facts = self.reading.facts.clone();
            self.course.unit.address = self.reading.address();
        }
        is_heard
    }

    fn take(&mut self, now: Duration, sighting: &Sighting) {
        if self.course.is_over() {
            return;
        }
        let own = self.hear_search(now, sighting);
        match &self.phase {
            Phase::Probing(probe) => self.course.hear_probed(probe.address, sighting, own),
            Phase::Reading => self.course.hear_beside(sighting),
            Phase::Greeting { .. } | Phase::Ordering(..) | Phase::Following(..) => {}
        }
    }

    /// Takes in an answer to a search; gives whether it came from the device.
    fn hear_search(&mut self, now: Duration, sighting: &Sighting) -> bool {
        let Told::Spoke { family: Way::Onvif, bytes, .. } = &sighting.told else { return false };
        let Ok(Discovery::Present(all)) = Discovery::parse(bytes) else { return false };
        let Some(present) = all.iter().find(|one| one.endpoint == self.endpoint.raw()) else { return false };
        let from = sighting.from;
        if !sighting.mac.is_none_or(|mac| self.course.is_own_mac(mac)) || self.course.vantage.is_own(from) {
            return false;
        }
        self.endpoint_at = Some(from);
        self.course.unit.handle = super::handle(&present.service(from));
        match &mut self.phase {
            Phase::Greeting { .. } if self.reading.address() != from && !self.reading.is_heard() => {
                self.read_at(now, from, ANSWER_TIME);
            }
            Phase::Following(_, hunt) => {
                hunt.heard_from = Some(from);
                if self.reading.address() != from && !self.reading.is_over() {
                    self.read_at(now, from, FOLLOWED_ANSWER_TIME);
                }
            }
            _ => {}
        }
        true
    }

    fn hear_page(&mut self, now: Duration, link: LinkId, page: Result<&Response, LinkEnd>) {
        if self.course.is_over() || link.family != Way::Onvif {
            return;
        }
        match &mut self.phase {
            Phase::Ordering(orders, _) => orders.hear(now, (link, page), &mut self.reading, &mut self.ready),
            _ => self.reading.hear(now, link, page, &mut self.ready),
        }
    }

    /// Lets what is due happen.
    fn work(&mut self, now: Duration) {
        if self.course.is_over() {
            return;
        }
        match &mut self.phase {
            Phase::Greeting { .. } => self.greet(now),
            Phase::Probing(probe) if probe.is_over(now) => self.order(now, Write::first(now)),
            Phase::Probing(probe) => {
                let ready = &mut self.ready;
                probe.ask(now, &self.course.vantage, &mut |outgoing| ready.push(outgoing));
            }
            Phase::Ordering(orders, write) => {
                orders.work(now, &mut self.reading, &mut self.ready);
                if let Some(end) = orders.end.take() {
                    let write = *write;
                    self.ordered(now, end, write);
                }
            }
            Phase::Following(..) => self.follow_on(now),
            Phase::Reading => self.judge(now),
        }
    }

    fn greet(&mut self, now: Duration) {
        let Phase::Greeting { nth, searched_until } = self.phase else { return };
        self.reading.work(now, &mut self.ready);
        if !self.reading.is_over() {
            return;
        }
        if self.learn() {
            if self.course.greet() {
                self.begin(now);
            }
        } else if self.reading.is_heard() && self.reading.interface().is_some() {
            let name = match self.reading.facts.get(Field::Name) {
                Some(Value::Text(name)) => name.clone(),
                _ => Said::default(),
            };
            self.course.end(Outcome::Stranger(Other { mac: self.reading.mac(), name }));
        } else if let Some(Value::Access(access @ (Access::Locked | Access::Refused))) =
            self.reading.facts.get(Field::Access)
        {
            // Since it was planned the password has changed.
            let why = Said::from(format!("it {access}").as_str());
            self.course.tell(TalkEvent::Declined(self.course.current(), why));
            self.course.end(Outcome::Refused(self.course.open_step()));
        } else if searched_until <= now && nth >= GREETINGS {
            self.course.end_silent();
        } else if searched_until <= now {
            self.phase = Phase::Greeting { nth: nth + 1, searched_until: now + SEARCH_TIME };
            self.search();
            self.read_at(now, self.course.unit.address, ANSWER_TIME);
        }
    }

    /// Begins the current step, or the last reading.
    fn begin(&mut self, now: Duration) {
        match self.course.ahead() {
            Ahead::Probe(to) => {
                self.phase = Phase::Probing(Probe::new(now, to));
                self.work(now);
            }
            Ahead::Order => self.order(now, Write::first(now)),
            Ahead::Prove => self.prove(now),
        }
    }

    fn order(&mut self, now: Duration, write: Write) {
        self.course.order(write);
        let orders = Orders::of(&self.reading, &self.found, &self.course.open_step());
        self.phase = Phase::Ordering(orders, write);
        self.work(now);
    }

    fn ordered(&mut self, now: Duration, end: End, write: Write) {
        let restarts = match end {
            // What it refuses it has not got: what it says of itself decides how that is told.
            End::Refused(why) => {
                self.course.tell(TalkEvent::Declined(self.course.current(), why));
                return self.prove(now);
            }
            End::Unanswered => false,
            End::Taken { restarts } => restarts,
        };
        if restarts {
            self.course.tell(TalkEvent::Restarting);
        }
        // What stays where it is has taken the order with its answer.
        let goes = restarts || self.course.destination().is_some_and(|to| to != self.course.unit.address);
        let again_at = if goes { now + FOLLOW_EVERY } else { now };
        let hunt = Hunt { reads: false, again_at, heard_from: None, nth: 0 };
        self.phase = Phase::Following(Following::new(now, write, restarts), hunt);
        self.work(now);
    }

    /// Reads it again and again until it is as wanted.
    fn follow_on(&mut self, now: Duration) {
        let Phase::Following(mut follow, mut hunt) = self.phase else { return };
        self.reading.work(now, &mut self.ready);
        if hunt.reads && self.reading.is_over() {
            (hunt.reads, hunt.again_at) = (false, now + FOLLOW_EVERY);
            if self.learn() {
                follow.heard_at = Some(now);
                if self.course.is_taken(now, &mut follow) {
                    return self.begin(now);
                }
                // It stands where it should: what it could not take before it may take there.
                let write = self.course.remainder(&follow).or_else(|| self.course.again(now, &follow));
                if let Some(write) = write {
                    return self.order(now, write);
                }
            }
        }
        if self.course.is_too_late(now, &follow) {
            return self.course.give_up(&follow);
        }
        if self.reading.is_over() && hunt.again_at <= now {
            self.search();
            let here = self.course.unit.address;
            let destination =
                self.course.destination().filter(|to| self.course.vantage.seat_beside(*to).is_some());
            let meant = destination.filter(|_| hunt.nth.is_multiple_of(2)).unwrap_or(here);
            hunt.nth += 1;
            hunt.reads = true;
            self.phase = Phase::Following(follow, hunt);
            return self.read_at(now, hunt.heard_from.unwrap_or(meant), FOLLOWED_ANSWER_TIME);
        }
        self.phase = Phase::Following(follow, hunt);
    }

    /// Reads it whole for the last time.
    fn prove(&mut self, now: Duration) {
        self.ready.extend(self.course.prove());
        self.phase = Phase::Reading;
        self.read_at(now, self.course.unit.address, ANSWER_TIME);
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
        if let Heard::Page(link, page) = heard {
            self.hear_page(now, *link, *page);
        }
        let (arp, seen) = sightings(&self.course.vantage, now, heard);
        if let (Some(arp), Phase::Probing(probe)) = (arp, &self.phase) {
            self.course.hear_arp_probed(probe, &arp);
        }
        for sighting in &seen {
            self.take(now, sighting);
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
        let reads = self.reading.next_at();
        Some(match &self.phase {
            Phase::Greeting { searched_until, .. } => reads.unwrap_or(*searched_until),
            Phase::Probing(probe) => probe.next_at(),
            Phase::Ordering(..) => self.reading.caller.until().unwrap_or(Duration::ZERO),
            Phase::Following(follow, hunt) => {
                reads.unwrap_or(hunt.again_at).min(follow.since + self.course.restart_time)
            }
            Phase::Reading => reads.unwrap_or(Duration::ZERO),
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
