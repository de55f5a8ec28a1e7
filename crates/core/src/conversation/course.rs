//! How far the change of one unit is, whatever its family: which step it is at, what of that is open, and what was found wrong.
//!
//! A talk of a family finds its unit, orders and reads; what follows from that is decided here.

use std::collections::VecDeque;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::{Arp, MacAddress};

use super::doubt::{Doubt, Ruling};
use super::talk::{Other, Outcome, TalkEvent, shifts, verdict};
use super::{AskedBy, Outgoing, Probe, Vantage};
use crate::census::{Sighting, Told, Unit};
use crate::change::{Change, Step};
use crate::facts::{Difference, Field, Value};

/// How often a step is ordered at most.
const WRITES: u32 = 3;
/// How long after it was ordered an old value says that the order was not taken.
const SETTLED: Duration = Duration::from_secs(4);

/// A change under way.
#[derive(Debug)]
pub(crate) struct Course {
    pub(crate) vantage: Vantage,
    /// The unit as last heard.
    pub(crate) unit: Unit,
    /// How long it may take for each step.
    pub(crate) restart_time: Duration,
    differences: Vec<Difference>,
    steps: Vec<Step>,
    /// Where it was when its change was shown.
    shown_at: Ipv4Addr,
    before: Option<Unit>,
    current: usize,
    doubt: Doubt,
    written: bool,
    events: VecDeque<TalkEvent>,
    outcome: Option<Outcome>,
}

/// What comes next.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Ahead {
    /// It is asked whether anybody holds this address, which the step gives away.
    Probe(Ipv4Addr),
    /// The step is ordered.
    Order,
    /// Everything was taken: it is read whole once more.
    Prove,
}

/// What a whole reading at the end led to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Judged {
    Over,
    ProveAgain,
    /// All steps are gone through once more.
    BeginAgain,
}

/// One attempt at a step.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Write {
    nth: u32,
    /// When the step was ordered for the first time.
    first_at: Duration,
}

/// Waiting for what was ordered to come true.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Following {
    pub(crate) write: Write,
    pub(crate) since: Duration,
    /// Whether it said that it takes what it was told.
    acknowledged: bool,
    /// When it last told that it is as it was.
    old_at: Option<Duration>,
    pub(crate) heard_at: Option<Duration>,
}

impl Write {
    pub(crate) const fn first(now: Duration) -> Self {
        Self { nth: 1, first_at: now }
    }

    const fn next(self) -> Self {
        Self { nth: self.nth + 1, ..self }
    }

    /// Whether there is none after it.
    pub(crate) const fn is_last(self) -> bool {
        self.nth >= WRITES
    }
}

impl Following {
    pub(crate) const fn new(now: Duration, write: Write, acknowledged: bool) -> Self {
        Self { write, since: now, acknowledged, old_at: None, heard_at: None }
    }
}

impl Course {
    pub(crate) fn new(unit: &Unit, change: &Change, vantage: Vantage, restart_time: Duration) -> Self {
        Self {
            vantage,
            unit: unit.clone(),
            restart_time,
            differences: change.differences.clone(),
            steps: change.steps.clone(),
            shown_at: unit.address,
            before: None,
            current: 0,
            doubt: Doubt::new(),
            written: false,
            events: VecDeque::new(),
            outcome: change.steps.is_empty().then_some(Outcome::Done),
        }
    }

    pub(crate) const fn outcome(&self) -> Option<&Outcome> {
        self.outcome.as_ref()
    }

    pub(crate) const fn is_over(&self) -> bool {
        self.outcome.is_some()
    }

    pub(crate) fn next_event(&mut self) -> Option<TalkEvent> {
        self.events.pop_front()
    }

    pub(crate) fn tell(&mut self, event: TalkEvent) {
        self.events.push_back(event);
    }

    pub(crate) fn end(&mut self, outcome: Outcome) {
        let step = self.current.min(self.steps.len().saturating_sub(1));
        self.tell(TalkEvent::Ended(step, outcome.clone()));
        self.outcome = Some(outcome);
    }

    /// It does not answer.
    pub(crate) fn end_silent(&mut self) {
        self.end(Outcome::Silent { written: self.written });
    }

    /// Which step it is at.
    pub(crate) const fn current(&self) -> usize {
        self.current
    }

    /// What the current step is to achieve.
    pub(crate) fn step(&self) -> &[Difference] {
        self.steps.get(self.current).map_or(&[], |step| &step.differences)
    }

    fn open(&self, differences: &[Difference]) -> Vec<Difference> {
        differences.iter().filter_map(|difference| difference.against(&self.unit)).collect()
    }

    /// Everything that it is to become.
    pub(crate) fn planned(&self) -> impl Iterator<Item = &Value> {
        self.differences.iter().map(|difference| &difference.planned)
    }

    /// What of the current step is not so yet.
    pub(crate) fn open_step(&self) -> Vec<Difference> {
        self.open(self.step())
    }

    /// The address that the current step gives it.
    pub(crate) fn destination(&self) -> Option<Ipv4Addr> {
        self.step().iter().find_map(Difference::planned_address)
    }

    pub(crate) fn is_own_mac(&self, mac: MacAddress) -> bool {
        self.unit.mac == Some(mac)
    }

    /// Somebody else at `address`, if the sighting shows one.
    fn other_at(&self, address: Ipv4Addr, sighting: &Sighting) -> Option<Other> {
        let is_there = sighting.from == address && !address.is_unspecified() && !self.vantage.is_own(address);
        let strange = sighting.mac.filter(|mac| is_there && !self.is_own_mac(*mac))?;
        Some(Other { mac: Some(strange), name: sighting.name() })
    }

    /// Heard while it is asked who holds `address`; `own` says that the unit itself spoke.
    pub(crate) fn hear_probed(&mut self, address: Ipv4Addr, sighting: &Sighting, own: bool) {
        if let Some(other) = self.other_at(address, sighting) {
            return self.end(Outcome::Taken(other));
        }
        // Without a MAC address to compare, whoever answers there is somebody else.
        let bare = matches!(sighting.told, Told::Echo | Told::PollReply(_)) && sighting.mac.is_none();
        if sighting.from == address && bare && !own {
            self.end(Outcome::Taken(Other { mac: None, name: sighting.name() }));
        }
    }

    /// The same by ARP.
    pub(crate) fn hear_arp_probed(&mut self, probe: &Probe, arp: &Arp) {
        if let Some(other) = probe.contender(arp, &self.vantage, |mac| self.is_own_mac(mac)) {
            self.end(Outcome::Taken(other));
        }
    }

    /// Heard before anything was told to it: whether somebody else is there in its place.
    pub(crate) fn hear_stranger(&mut self, sighting: &Sighting) {
        if let Some(other) = self.other_at(self.unit.address, sighting) {
            self.end(Outcome::Stranger(other));
        }
    }

    /// Heard while it is read for the last time: whether somebody else is there too.
    pub(crate) fn hear_beside(&mut self, sighting: &Sighting) {
        if let Some(other) = self.other_at(self.unit.address, sighting) {
            self.end(Outcome::Shared(other));
        }
    }

    /// It was read for the first time: whether there is anything to be done.
    pub(crate) fn greet(&mut self) -> bool {
        self.before = Some(self.unit.clone());
        if self.open(&self.differences).is_empty() {
            // Somebody else did it meanwhile.
            self.events.extend((0..self.steps.len()).map(TalkEvent::Confirmed));
            self.end(Outcome::Done);
            return false;
        }
        let meant = self.differences.iter().find_map(Difference::planned_address);
        if self.unit.address != self.shown_at && Some(self.unit.address) != meant {
            // What was shown is no longer so.
            self.end(Outcome::Elsewhere(self.unit.address));
            return false;
        }
        true
    }

    /// What comes next, passing over steps that are as wanted already.
    pub(crate) fn ahead(&mut self) -> Ahead {
        while self.current < self.steps.len() {
            if self.open_step().is_empty() {
                if self.doubt.is_first_round() {
                    self.tell(TalkEvent::Confirmed(self.current));
                }
                self.current += 1;
                continue;
            }
            let to = self.destination().filter(|to| *to != self.unit.address);
            if let Some(to) = to {
                self.tell(TalkEvent::Probing(to, AskedBy::from(&self.vantage)));
            }
            return to.map_or(Ahead::Order, Ahead::Probe);
        }
        Ahead::Prove
    }

    /// The step is ordered now.
    pub(crate) fn order(&mut self, write: Write) {
        let event = if write.nth == 1 { TalkEvent::Sent } else { TalkEvent::Repeated };
        self.tell(event(self.current));
        self.written = true;
    }

    /// It was read while it is followed: whether the step has come true.
    pub(crate) fn is_taken(&mut self, now: Duration, follow: &mut Following) -> bool {
        if self.open_step().is_empty() {
            let before = self.before.as_ref().map(|unit| unit.address);
            if Some(self.unit.address) != before {
                self.tell(TalkEvent::Back(self.unit.address));
            }
            self.tell(TalkEvent::Confirmed(self.current));
            self.current += 1;
            return true;
        }
        if self.is_as_before() {
            follow.old_at = Some(now);
        }
        false
    }

    /// The attempt to make, where what it tells shows that the one before was not taken.
    pub(crate) fn again(&self, now: Duration, follow: &Following) -> Option<Write> {
        let still_old = follow.old_at.is_some_and(|at| at >= follow.since + SETTLED);
        let may = follow.write.nth < WRITES && now < follow.write.first_at + self.restart_time;
        (still_old && may).then(|| follow.write.next())
    }

    /// The attempt to make, where it stands where it should, and something else of the step is open still.
    pub(crate) fn remainder(&self, follow: &Following) -> Option<Write> {
        let open = self.open_step();
        let stands = |one: &Difference| !matches!(one.field, Field::Address | Field::Addressing | Field::Mask);
        let is_left = follow.write.nth < WRITES && open.iter().all(stands) && open.iter().any(Difference::is_told);
        is_left.then(|| follow.write.next())
    }

    /// Whether its time is over.
    pub(crate) fn is_too_late(&self, now: Duration, follow: &Following) -> bool {
        now >= follow.since + self.restart_time
    }

    /// Whether it stands where it stood, addressed as it was.
    fn is_as_before(&self) -> bool {
        let addressing = |unit: &Unit| unit.facts.get(Field::Addressing).cloned();
        self.before.as_ref().is_some_and(|before| {
            before.address == self.unit.address && addressing(before) == addressing(&self.unit)
        })
    }

    /// Its time is over, and it is not as wanted.
    pub(crate) fn give_up(&mut self, follow: &Following) {
        let open = self.open_step();
        let there = self.unit.address;
        let before = self.before.as_ref().map(|unit| unit.address);
        let is_expected = [self.destination(), before].contains(&Some(there));
        let is_misplaced = |difference: &Difference| {
            matches!(difference.field, Field::Address | Field::Addressing) && difference.is_told()
        };
        let lately = |at: Duration| at + self.restart_time / 2 >= follow.since + self.restart_time;
        let outcome = if !follow.heard_at.is_some_and(lately) {
            Outcome::Silent { written: self.written }
        } else if !is_expected && open.iter().any(is_misplaced) {
            Outcome::Elsewhere(there)
        } else if !open.iter().any(Difference::is_told) {
            Outcome::Unverified(open)
        } else if follow.acknowledged && self.destination().is_some_and(|to| to != there) {
            Outcome::Acknowledged(open)
        } else {
            Outcome::Refused(open)
        };
        self.end(outcome);
    }

    /// It is read whole for the last time; whoever else has its address is asked for too.
    pub(crate) fn prove(&mut self) -> Option<Outgoing> {
        self.doubt.read();
        let address = self.unit.address;
        let own = self.vantage.frames_from().filter(|_| !address.is_unspecified())?;
        Some(Outgoing::Frame(Arp::probe(own, address).to_bytes()))
    }

    /// Everything was told again, or is not going to be.
    pub(crate) fn judge(&mut self, is_heard: bool) -> Judged {
        if !is_heard {
            if self.doubt.may_read() {
                return Judged::ProveAgain;
            }
            self.end_silent();
            return Judged::Over;
        }
        let open = self.open(&self.differences);
        let (told, untold): (Vec<_>, Vec<_>) = open.into_iter().partition(Difference::is_told);
        let before = self.before.as_ref().unwrap_or(&self.unit);
        let shifted = shifts(&told_by(before), &told_by(&self.unit), &self.differences);
        match self.doubt.weigh(verdict(told, untold, shifted)) {
            Ruling::End(outcome) => {
                self.end(outcome);
                Judged::Over
            }
            Ruling::ReadAgain => Judged::ProveAgain,
            Ruling::BeginAgain => {
                self.current = 0;
                Judged::BeginAgain
            }
        }
    }
}

/// Everything it tells of its settings.
fn told_by(unit: &Unit) -> Vec<(Field, Value)> {
    // Somebody else may be looking for it meanwhile; that is no change of its settings.
    let is_setting = |field: &Field| !matches!(field, Field::Address | Field::Indicators);
    let told = unit.facts.told().filter(|(field, _)| is_setting(field));
    let address = (Field::Address, Value::Address(unit.address));
    std::iter::once(address).chain(told.map(|(field, value)| (field, value.clone()))).collect()
}
