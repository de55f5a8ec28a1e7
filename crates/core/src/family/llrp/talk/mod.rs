//! One change of a target.
//!
//! 1. *Reading*: it is read whole, wherever it is, as the one that is meant. What it tells now is what everything is compared
//!    with later.
//! 2. Each step is *ordered*, order after order. Before an address is given, it is *probed*: whether anybody holds it.
//! 3. After it has applied its settings, it is *followed*: read again and again until it is as wanted, or its time is over.
//! 4. At the end it is read whole once more. Something found wrong is believed when it was told twice.
//!
//! Where it is, the packets say that it sends; what it tells of its address counts for nothing.

mod proof;

use std::collections::VecDeque;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::llrp::{Content, Message};
use lantern_wire::{Arp, MacAddress};

use super::line::{Line, Target};
use super::orders::{End, Orders};
use super::reading::Reading;
use crate::census::{Sighting, Subject, Told, Unit, Way};
use crate::change::{Change, Step};
use crate::conversation::{
    self, AskedBy, Conversation, Doubt, Heard, Other, Outcome, Outgoing, Probe, TalkEvent, Vantage, sightings,
};
use crate::facts::{Difference, Facts};

/// How often it is looked for at the beginning: each time read, and probed for by its identifier.
const GREETINGS: u32 = 3;
/// How long after a search somebody may answer (E1.33, section 5.3).
const SEARCH_TIME: Duration = Duration::from_millis(1600);
/// How often it is read while it takes its settings.
const FOLLOW_EVERY: Duration = Duration::from_millis(600);
/// How long after it has applied its settings an old value says that it did not.
const SETTLED: Duration = Duration::from_secs(4);
/// How often a step is ordered at most.
const WRITES: u32 = 3;

/// The conversation.
#[derive(Debug)]
pub(in crate::family) struct Talk {
    line: Line,
    vantage: Vantage,
    differences: Vec<Difference>,
    steps: Vec<Step>,
    restart_time: Duration,
    unit: Unit,
    /// What it told when it was found.
    found: Facts,
    /// Where it was when its change was shown.
    shown_at: Ipv4Addr,
    /// The MAC address it states.
    stated: MacAddress,
    before: Option<Unit>,
    reading: Reading,
    current: usize,
    doubt: Doubt,
    written: bool,
    phase: Phase,
    ready: Vec<Outgoing>,
    sends: VecDeque<Outgoing>,
    events: VecDeque<TalkEvent>,
    outcome: Option<Outcome>,
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
    Following(Follow),
    /// It is read for the last time.
    Reading,
}

/// One attempt at a step.
#[derive(Debug, Clone, Copy)]
struct Write {
    nth: u32,
    /// When the step was ordered for the first time.
    first_at: Duration,
}

#[derive(Debug, Clone, Copy)]
struct Follow {
    write: Write,
    since: Duration,
    again_at: Duration,
    acknowledged: bool,
    /// When it last told that it is as it was.
    old_at: Option<Duration>,
    heard_at: Option<Duration>,
}

impl Talk {
    /// A talk that makes `change` of this target from there, and gives it `restart_time` to take each step.
    pub(in crate::family) fn new(unit: &Unit, change: &Change, vantage: Vantage, restart_time: Duration) -> Self {
        let target = Target::of(unit);
        let stated = unit.mac.unwrap_or(MacAddress([0; 6]));
        let mut talk = Self {
            line: Line::from(&vantage),
            vantage,
            differences: change.differences.clone(),
            steps: change.steps.clone(),
            restart_time,
            unit: unit.clone(),
            found: unit.facts.clone(),
            shown_at: unit.address,
            stated,
            before: None,
            reading: Reading::new(Duration::ZERO, target, stated).with_fixed().with_names(),
            current: 0,
            doubt: Doubt::new(),
            written: false,
            phase: Phase::Greeting { nth: 1, searched_until: Duration::ZERO },
            ready: Vec::new(),
            sends: VecDeque::new(),
            events: VecDeque::new(),
            outcome: change.steps.is_empty().then_some(Outcome::Done),
        };
        talk.line.join(&mut talk.ready);
        talk
    }

    fn end(&mut self, outcome: Outcome) {
        let step = self.current.min(self.steps.len().saturating_sub(1));
        self.events.push_back(TalkEvent::Ended(step, outcome.clone()));
        self.outcome = Some(outcome);
    }

    fn open(&self, differences: &[Difference]) -> Vec<Difference> {
        differences.iter().filter_map(|difference| difference.against(&self.unit)).collect()
    }

    fn open_step(&self) -> Vec<Difference> {
        self.steps.get(self.current).map_or_else(Vec::new, |step| self.open(&step.differences))
    }

    /// The address that the current step gives it.
    fn destination(&self) -> Option<Ipv4Addr> {
        let step = self.steps.get(self.current)?;
        step.differences.iter().find_map(Difference::planned_address)
    }

    fn is_own_mac(&self, mac: MacAddress) -> bool {
        self.unit.mac == Some(mac) || self.stated == mac
    }

    /// Somebody else at `address`, if the sighting shows one.
    fn other_at(&self, address: Ipv4Addr, sighting: &Sighting) -> Option<Other> {
        let is_there = sighting.from == address && !address.is_unspecified() && !self.vantage.is_own(address);
        let strange = sighting.mac.filter(|mac| is_there && !self.is_own_mac(*mac))?;
        Some(Other { mac: Some(strange), name: sighting.name() })
    }

    fn take(&mut self, now: Duration, sighting: &Sighting) {
        if self.outcome.is_some() {
            return;
        }
        let own = self.hear_message(now, sighting);
        match &self.phase {
            Phase::Probing(probe) => {
                let address = probe.address;
                if let Some(other) = self.other_at(address, sighting) {
                    return self.end(Outcome::Taken(other));
                }
                // Without a MAC address to compare, whoever answers there is somebody else.
                let bare = matches!(sighting.told, Told::Echo | Told::PollReply(_)) && sighting.mac.is_none();
                if sighting.from == address && bare && !own {
                    self.end(Outcome::Taken(Other { mac: None, name: sighting.name() }));
                }
            }
            Phase::Reading => {
                if let Some(other) = self.other_at(self.unit.address, sighting) {
                    self.end(Outcome::Shared(other));
                }
            }
            Phase::Greeting { .. } | Phase::Ordering(..) | Phase::Following(_) => {}
        }
    }

    /// Takes in a message of LLRP; gives whether it came from the target.
    fn hear_message(&mut self, now: Duration, sighting: &Sighting) -> bool {
        let Told::Spoke { family: Way::Llrp, bytes, .. } = &sighting.told else { return false };
        let Ok(message) = Message::parse(bytes) else { return false };
        let spoke_by = sighting.mac.is_none_or(|mac| self.is_own_mac(mac));
        match &message.content {
            Content::Reply(reply)
                if reply.uid == self.reading.target.uid && reply.mac == self.stated && spoke_by =>
            {
                // Its component identifier may be another one since it restarted.
                if message.from != self.reading.target.cid {
                    self.unit.handle = message.from.to_string();
                    self.reading = self.reading.of(now, Target { cid: message.from, ..self.reading.target });
                }
            }
            Content::Rdm(_) if message.from == self.reading.target.cid && spoke_by => {}
            _ => return false,
        }
        self.unit.address = if self.is_through_a_wire(sighting.from) { self.unit.address } else { sighting.from };
        self.reading.hear(now, &message);
        if let Phase::Ordering(orders, _) = &mut self.phase {
            orders.hear(now, &message, &self.reading);
        }
        if let Phase::Following(follow) = &mut self.phase {
            follow.heard_at = Some(now);
        }
        true
    }

    /// On a loopback ground, one in another subnet is heard through the wire.
    fn is_through_a_wire(&self, from: Ipv4Addr) -> bool {
        self.vantage.seats.iter().any(|seat| seat.own.is_loopback() && seat.subnet.broadcast() == from)
    }

    fn hear_arp(&mut self, arp: &Arp) {
        let Phase::Probing(probe) = &self.phase else { return };
        if let Some(other) = probe.contender(arp, &self.vantage, |mac| self.is_own_mac(mac)) {
            self.end(Outcome::Taken(other));
        }
    }

    /// Lets what is due happen.
    fn work(&mut self, now: Duration) {
        if self.outcome.is_some() {
            return;
        }
        match &mut self.phase {
            Phase::Greeting { .. } | Phase::Reading => self.read_on(now),
            Phase::Probing(probe) if probe.is_over(now) => self.order(now, Write { nth: 1, first_at: now }),
            Phase::Probing(probe) => {
                let ready = &mut self.ready;
                probe.ask(now, &self.vantage, &mut |outgoing| ready.push(outgoing));
            }
            Phase::Ordering(orders, write) => {
                orders.send(now, &mut self.line, &mut self.ready);
                if let Some(end) = orders.end {
                    let (applied, write) = (orders.is_applied(), *write);
                    self.ordered(now, end, applied, write);
                }
            }
            Phase::Following(_) => self.follow_on(now),
        }
    }

    /// Goes on reading, at the beginning or at the end.
    fn read_on(&mut self, now: Duration) {
        self.reading.ask(now, &mut self.line, &mut self.ready);
        if self.reading.next_at().is_some() {
            return;
        }
        if self.reading.is_heard() {
            self.unit.facts = self.reading.facts.clone();
        }
        match self.phase {
            Phase::Greeting { .. } if self.reading.is_heard() && self.reading.interface().is_some() => {
                self.greeted(now);
            }
            Phase::Greeting { searched_until, .. } if searched_until > now => {}
            Phase::Greeting { nth, .. } if nth >= GREETINGS => self.end(Outcome::Silent { written: false }),
            Phase::Greeting { nth, .. } => {
                self.search();
                self.reading = Reading::new(now, self.reading.target, self.stated).with_fixed().with_names();
                self.phase = Phase::Greeting { nth: nth + 1, searched_until: now + SEARCH_TIME };
            }
            _ => self.judge(now),
        }
    }

    /// Looks for it by its identifier: it may have another component identifier now.
    fn search(&mut self) {
        let uid = self.reading.target.uid;
        self.line.probe(uid, uid, Vec::new(), &mut self.ready);
    }

    fn greeted(&mut self, now: Duration) {
        self.before = Some(self.unit.clone());
        if self.open(&self.differences).is_empty() {
            // Somebody else did it meanwhile.
            self.events.extend((0..self.steps.len()).map(TalkEvent::Confirmed));
            return self.end(Outcome::Done);
        }
        let meant = self.differences.iter().find_map(Difference::planned_address);
        if self.unit.address != self.shown_at && Some(self.unit.address) != meant {
            // What was shown is no longer so.
            return self.end(Outcome::Elsewhere(self.unit.address));
        }
        self.begin(now);
    }

    /// Begins the current step, passing over those that are as wanted already.
    fn begin(&mut self, now: Duration) {
        while self.current < self.steps.len() {
            if self.open_step().is_empty() {
                if self.doubt.is_first_round() {
                    self.events.push_back(TalkEvent::Confirmed(self.current));
                }
                self.current += 1;
                continue;
            }
            return match self.destination().filter(|to| *to != self.unit.address) {
                Some(to) => {
                    self.events.push_back(TalkEvent::Probing(to, AskedBy::from(&self.vantage)));
                    self.phase = Phase::Probing(Probe::new(now, to));
                    self.work(now);
                }
                None => self.order(now, Write { nth: 1, first_at: now }),
            };
        }
        self.read_all(now);
    }

    fn order(&mut self, now: Duration, write: Write) {
        let event = if write.nth == 1 { TalkEvent::Sent } else { TalkEvent::Repeated };
        self.events.push_back(event(self.current));
        self.written = true;
        let step = self.steps.get(self.current).map_or(&[][..], |step| &step.differences);
        let orders = Orders::of(now, &self.reading, &self.found, self.unit.address, step);
        self.phase = Phase::Ordering(orders, write);
        self.work(now);
    }

    fn ordered(&mut self, now: Duration, end: End, acknowledged: bool, write: Write) {
        match end {
            // What it refuses it has not got: what it says of itself decides how that is told.
            End::Refused(_) => return self.read_all(now),
            End::Unanswered | End::Taken => {}
        }
        if acknowledged {
            self.events.push_back(TalkEvent::Restarting);
        }
        self.reading = self.reading.again(now);
        self.phase = Phase::Following(Follow {
            write,
            since: now,
            again_at: now,
            acknowledged,
            old_at: None,
            heard_at: None,
        });
    }

    /// Hands out what is to be sent.
    fn release(&mut self) {
        self.sends.extend(self.ready.drain(..));
    }
}

impl conversation::Talk for Talk {
    fn outcome(&self) -> Option<&Outcome> {
        self.outcome.as_ref()
    }

    fn subject(&self) -> Subject {
        Subject::of_unit(&self.unit)
    }
}

impl Conversation for Talk {
    type Event = TalkEvent;

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        let (arp, seen) = sightings(&self.vantage, now, heard);
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
        if self.outcome.is_some() {
            return None;
        }
        Some(match &self.phase {
            Phase::Greeting { searched_until, .. } => self.reading.next_at().unwrap_or(*searched_until),
            Phase::Reading => self.reading.next_at().unwrap_or(Duration::ZERO),
            Phase::Probing(probe) => probe.next_at(),
            Phase::Ordering(orders, _) => orders.next_at(),
            Phase::Following(follow) => {
                let reads = self.reading.next_at().unwrap_or(follow.again_at);
                reads.min(follow.since + self.restart_time)
            }
        })
    }

    fn wake(&mut self, now: Duration) {
        self.work(now);
        self.release();
    }

    fn next_event(&mut self) -> Option<TalkEvent> {
        self.events.pop_front()
    }
}
