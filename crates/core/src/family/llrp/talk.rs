//! One change of a target.
//!
//! 1. *Reading*: it is read whole, wherever it is, as the one that is meant. What it tells now is what everything is compared
//!    with later.
//! 2. Each step is *ordered*, order after order. Before an address is given, it is *probed*: whether anybody holds it.
//! 3. After it has applied its settings, it is *followed*: read again and again until it is as wanted, or its time is over.
//! 4. At the end it is read whole once more. Something found wrong is believed when it was told twice.
//!
//! Where it is, the packets say that it sends; what it tells of its address counts for nothing.

use std::collections::VecDeque;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::llrp::{Content, Message};
use lantern_wire::{Arp, MacAddress};

use super::line::{Line, Target};
use super::orders::{End, Orders};
use super::reading::Reading;
use crate::census::{Sighting, Subject, Told, Unit, Way};
use crate::change::Change;
use crate::conversation::{
    self, Ahead, Conversation, Course, Following, Heard, Judged, Outcome, Outgoing, Probe, TalkEvent, Vantage,
    Write, sightings,
};
use crate::facts::Facts;

/// How often it is looked for at the beginning: each time read, and probed for by its identifier.
const GREETINGS: u32 = 3;
/// How long after a search somebody may answer (E1.33, section 5.3).
const SEARCH_TIME: Duration = Duration::from_millis(1600);
/// How often it is read while it takes its settings.
const FOLLOW_EVERY: Duration = Duration::from_millis(600);

/// The conversation.
#[derive(Debug)]
pub(in crate::family) struct Talk {
    line: Line,
    course: Course,
    /// What it told when it was found.
    found: Facts,
    /// The MAC address it states.
    stated: MacAddress,
    reading: Reading,
    phase: Phase,
    ready: Vec<Outgoing>,
    sends: VecDeque<Outgoing>,
}

#[derive(Debug)]
enum Phase {
    /// It is read for the first time; how often that was begun, and until when somebody found by a search may answer.
    Greeting {
        nth: u32,
        searched_until: Duration,
    },
    Probing(Probe),
    Ordering(Orders, Write),
    /// It is read again and again; when next.
    Following(Following, Duration),
    /// It is read for the last time.
    Reading,
}

impl Talk {
    /// A talk that makes `change` of this target from there, and gives it `restart_time` to take each step.
    pub(in crate::family) fn new(unit: &Unit, change: &Change, vantage: Vantage, restart_time: Duration) -> Self {
        let target = Target::of(unit);
        let stated = unit.mac.unwrap_or(MacAddress([0; 6]));
        let mut talk = Self {
            line: Line::from(&vantage),
            course: Course::new(unit, change, vantage, restart_time),
            found: unit.facts.clone(),
            stated,
            reading: Reading::new(Duration::ZERO, target, stated).with_fixed().with_names(),
            phase: Phase::Greeting { nth: 1, searched_until: Duration::ZERO },
            ready: Vec::new(),
            sends: VecDeque::new(),
        };
        talk.line.join(&mut talk.ready);
        talk
    }

    fn take(&mut self, now: Duration, sighting: &Sighting) {
        if self.course.is_over() {
            return;
        }
        let own = self.hear_message(now, sighting);
        match &self.phase {
            Phase::Probing(probe) => self.course.hear_probed(probe.address, sighting, own),
            Phase::Reading => self.course.hear_beside(sighting),
            Phase::Greeting { .. } | Phase::Ordering(..) | Phase::Following(..) => {}
        }
    }

    /// Takes in a message of LLRP; gives whether it came from the target.
    fn hear_message(&mut self, now: Duration, sighting: &Sighting) -> bool {
        let Told::Spoke { family: Way::Llrp, bytes, .. } = &sighting.told else { return false };
        let Ok(message) = Message::parse(bytes) else { return false };
        let spoke_by = sighting.mac.is_none_or(|mac| self.course.is_own_mac(mac));
        match &message.content {
            Content::Reply(reply)
                if reply.uid == self.reading.target.uid && reply.mac == self.stated && spoke_by =>
            {
                // Its component identifier may be another one since it restarted.
                if message.from != self.reading.target.cid {
                    self.course.unit.handle = message.from.to_string();
                    self.reading = self.reading.of(now, Target { cid: message.from, ..self.reading.target });
                }
            }
            Content::Rdm(_) if message.from == self.reading.target.cid && spoke_by => {}
            _ => return false,
        }
        if !self.is_through_a_wire(sighting.from) {
            self.course.unit.address = sighting.from;
        }
        self.reading.hear(now, &message);
        if let Phase::Ordering(orders, _) = &mut self.phase {
            orders.hear(now, &message, &self.reading);
        }
        if let Phase::Following(follow, _) = &mut self.phase {
            follow.heard_at = Some(now);
        }
        true
    }

    /// On a loopback ground, one in another subnet is heard through the wire.
    fn is_through_a_wire(&self, from: Ipv4Addr) -> bool {
        let seats = &self.course.vantage.seats;
        seats.iter().any(|seat| seat.own.is_loopback() && seat.subnet.broadcast() == from)
    }

    fn hear_arp(&mut self, arp: &Arp) {
        if let Phase::Probing(probe) = &self.phase {
            self.course.hear_arp_probed(probe, arp);
        }
    }

    /// Lets what is due happen.
    fn work(&mut self, now: Duration) {
        if self.course.is_over() {
            return;
        }
        match &mut self.phase {
            Phase::Greeting { .. } | Phase::Reading => self.read_on(now),
            Phase::Probing(probe) if probe.is_over(now) => self.order(now, Write::first(now)),
            Phase::Probing(probe) => {
                let ready = &mut self.ready;
                probe.ask(now, &self.course.vantage, &mut |outgoing| ready.push(outgoing));
            }
            Phase::Ordering(orders, write) => {
                orders.send(now, &mut self.line, &mut self.ready);
                if let Some(end) = orders.end {
                    let (applied, write) = (orders.is_applied(), *write);
                    self.ordered(now, end, applied, write);
                }
            }
            Phase::Following(..) => self.follow_on(now),
        }
    }

    /// Goes on reading, at the beginning or at the end.
    fn read_on(&mut self, now: Duration) {
        self.reading.ask(now, &mut self.line, &mut self.ready);
        if self.reading.next_at().is_some() {
            return;
        }
        let is_heard = self.learn();
        match self.phase {
            Phase::Greeting { .. } if is_heard && self.reading.interface().is_some() => {
                if self.course.greet() {
                    self.begin(now);
                }
            }
            Phase::Greeting { searched_until, .. } if searched_until > now => {}
            Phase::Greeting { nth, .. } if nth >= GREETINGS => self.course.end_silent(),
            Phase::Greeting { nth, .. } => {
                self.search();
                self.reading = Reading::new(now, self.reading.target, self.stated).with_fixed().with_names();
                self.phase = Phase::Greeting { nth: nth + 1, searched_until: now + SEARCH_TIME };
            }
            _ => match self.course.judge(is_heard) {
                Judged::Over => {}
                Judged::BeginAgain => self.begin(now),
                Judged::ProveAgain => {
                    if !is_heard {
                        self.search();
                    }
                    self.prove(now);
                }
            },
        }
    }

    /// Takes over what was read; gives whether anything was.
    fn learn(&mut self) -> bool {
        let is_heard = self.reading.is_heard();
        if is_heard {
            self.course.unit.facts = self.reading.facts.clone();
        }
        is_heard
    }

    /// Looks for it by its identifier: it may have another component identifier now.
    fn search(&mut self) {
        let uid = self.reading.target.uid;
        self.line.probe(uid, uid, Vec::new(), &mut self.ready);
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
        let (reading, address) = (&self.reading, self.course.unit.address);
        let orders = Orders::of(now, reading, &self.found, address, self.course.step());
        self.phase = Phase::Ordering(orders, write);
        self.work(now);
    }

    fn ordered(&mut self, now: Duration, end: End, acknowledged: bool, write: Write) {
        match end {
            // What it refuses it has not got: what it says of itself decides how that is told.
            End::Refused(_) => return self.prove(now),
            End::Unanswered | End::Taken => {}
        }
        if acknowledged {
            self.course.tell(TalkEvent::Restarting);
        }
        self.reading = self.reading.again(now);
        self.phase = Phase::Following(Following::new(now, write, acknowledged), now);
    }

    /// Reads it again and again until it is as wanted.
    fn follow_on(&mut self, now: Duration) {
        let Phase::Following(mut follow, mut again_at) = self.phase else { return };
        self.reading.ask(now, &mut self.line, &mut self.ready);
        if self.reading.next_at().is_none() && again_at <= now {
            if self.learn() {
                if self.course.is_taken(now, &mut follow) {
                    return self.begin(now);
                }
            } else {
                self.search();
            }
            if let Some(write) = self.course.again(now, &follow) {
                return self.order(now, write);
            }
            again_at = now + FOLLOW_EVERY;
            self.reading = self.reading.again(again_at);
        }
        if self.course.is_too_late(now, &follow) {
            return self.course.give_up(&follow);
        }
        self.phase = Phase::Following(follow, again_at);
    }

    /// Reads it whole for the last time.
    fn prove(&mut self, now: Duration) {
        self.ready.extend(self.course.prove());
        self.reading = self.reading.again(now);
        self.phase = Phase::Reading;
        self.work(now);
    }

    /// Hands out what is to be sent.
    fn release(&mut self) {
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
        let (arp, seen) = sightings(&self.course.vantage, now, heard);
        if let Some(arp) = arp {
            self.hear_arp(&arp);
        }
        for sighting in &seen {
            self.take(now, sighting);
        }
        self.work(now);
        self.release();
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.sends.pop_front()
    }

    fn wake_at(&self) -> Option<Duration> {
        if self.course.is_over() {
            return None;
        }
        Some(match &self.phase {
            Phase::Greeting { searched_until, .. } => self.reading.next_at().unwrap_or(*searched_until),
            Phase::Reading => self.reading.next_at().unwrap_or(Duration::ZERO),
            Phase::Probing(probe) => probe.next_at(),
            Phase::Ordering(orders, _) => orders.next_at(),
            Phase::Following(follow, again_at) => {
                let reads = self.reading.next_at().unwrap_or(*again_at);
                reads.min(follow.since + self.course.restart_time)
            }
        })
    }

    fn wake(&mut self, now: Duration) {
        self.work(now);
        self.release();
    }

    fn next_event(&mut self) -> Option<TalkEvent> {
        self.course.next_event()
    }
}
