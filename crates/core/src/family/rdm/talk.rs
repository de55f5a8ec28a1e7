//! One change of a unit that speaks RDM, over whatever leads to it.
//!
//! 1. *Greeting*: it is read whole. What it tells now is what everything is compared with later.
//! 2. Each step is *ordered* and read back. A mode that is wanted by its words is looked up before.
//! 3. What is not as wanted yet is *followed*: read again and again, and ordered again where the old value stays.
//! 4. At the end it is read whole once more. Something found wrong is believed when it was told twice.
//!
//! Whoever makes several such changes begins one at a time on each cable ([`Subject::lane`]).

use std::collections::VecDeque;
use std::time::Duration;

use lantern_wire::rdm::{Personality, Uid};

use super::order::{order, proof};
use super::reading::{Order, Question};
use super::{Cable, Carrier, Reading};
use crate::Said;
use crate::census::Subject;
use crate::change::{Change, Step};
use crate::conversation::{
    self, Conversation, Doubt, Heard, Outcome, Outgoing, Ruling, TalkEvent, shifts, verdict,
};
use crate::facts::{Difference, Facts, Field, FixtureSetting, PortField, Value};

/// How often it is called at the beginning, and each time asked as often as a cable asks.
const GREETINGS: u32 = 2;
/// How often it is read while it takes what it was told.
const FOLLOW_EVERY: Duration = Duration::from_millis(600);
/// How long after an order an old value says that it was not taken, and not that the unit is slow to tell.
const SETTLED: Duration = Duration::from_secs(2);
/// How often a step is ordered at most.
const WRITES: u32 = 3;
/// How long one that answers, and goes on telling the old value, is given in all.
const UNMOVED: Duration = Duration::from_secs(10);
/// The longest that one unit keeps its cable.
const LONGEST: Duration = Duration::from_mins(10);

/// What of a unit is a setting, and not to change along. That it shows which one it is may be somebody else's wish.
const SETTINGS: [Field; 5] = [Field::Label, Field::StartAddress, Field::Mode, Field::ModeName, Field::Footprint];

/// The conversation.
#[derive(Debug)]
pub(in crate::family) struct Talk<C> {
    carrier: C,
    uid: Uid,
    who: Subject,
    facts: Facts,
    steps: Vec<Step>,
    /// Everything that is to be so at the end.
    differences: Vec<Difference>,
    restart_time: Duration,
    cable: Cable,
    /// What it told before the first order.
    before: Option<Facts>,
    /// How many modes it says it has.
    mode_count: u8,
    current: usize,
    doubt: Doubt,
    written: bool,
    /// Until when it may be silent, since it was told to start anew, and took that.
    starts_until: Option<Duration>,
    phase: Phase,
    events: VecDeque<TalkEvent>,
    outcome: Option<Outcome>,
}

#[derive(Debug, Clone, Copy)]
enum Phase {
    Greeting {
        nth: u32,
    },
    /// The number of the mode is looked up, for this attempt.
    Finding(Write),
    Ordering(Write),
    Following(Write, Duration),
    Reading,
}

/// One attempt at a step.
#[derive(Debug, Clone, Copy)]
struct Write {
    nth: u32,
    /// When the step was ordered for the first time.
    first_at: Duration,
    /// When it was ordered last.
    at: Duration,
    /// When it was last heard since.
    heard_at: Option<Duration>,
    /// Whether it said that it could not take it just now.
    put_off: bool,
}

impl<C: Carrier> Talk<C> {
    /// A talk that makes `change` of the unit of this identifier over there, and gives it `restart_time` to take each step.
    pub(in crate::family) fn new(uid: Uid, change: &Change, carrier: C, restart_time: Duration) -> Self {
        let mut differences: Vec<Difference> = change.differences.clone();
        for kept in change.steps.iter().flat_map(|step| &step.differences) {
            if !differences.iter().any(|one| one.field == kept.field) {
                differences.push(kept.clone());
            }
        }
        let mut talk = Self {
            carrier,
            uid,
            who: change.subject.clone(),
            facts: change.subject.told_facts(),
            steps: change.steps.clone(),
            differences,
            restart_time,
            cable: Cable::default(),
            before: None,
            mode_count: 0,
            current: 0,
            doubt: Doubt::new(),
            written: false,
            starts_until: None,
            phase: Phase::Greeting { nth: 1 },
            events: VecDeque::new(),
            outcome: change.steps.is_empty().then_some(Outcome::Done),
        };
        talk.read_whole(Duration::ZERO);
        talk
    }

    fn end(&mut self, outcome: Outcome) {
        let step = self.current.min(self.steps.len().saturating_sub(1));
        self.events.push_back(TalkEvent::Ended(step, outcome.clone()));
        self.outcome = Some(outcome);
    }

    fn open(&self, differences: &[Difference]) -> Vec<Difference> {
        differences.iter().filter_map(|difference| difference.against(&self.facts)).collect()
    }

    fn of_step(&self) -> &[Difference] {
        self.steps.get(self.current).map_or(&[], |step| &step.differences)
    }

    fn read_whole(&mut self, now: Duration) {
        // Of its maker's own parameters only those that are to be changed are asked for.
        let is_own = |difference: &&Difference| matches!(difference.field, Field::Own(_));
        let own = self.differences.iter().filter(is_own).flat_map(proof);
        self.cable.add(now, self.carrier.whole(self.uid).and(own));
    }

    /// Asks these questions, after an order or by themselves.
    fn ask(&mut self, now: Duration, order: Option<Order>, questions: Vec<Question>) {
        let open = order.map(Question::Order).into_iter().chain(questions);
        self.cable.add(now, Reading::of(self.uid, open, self.facts.clone()));
    }

    fn take_over(&mut self, now: Duration) {
        while let Some(reading) = self.cable.next_over() {
            self.take(now, &reading);
        }
    }

    /// Everything that was asked was answered, or is not going to be.
    fn take(&mut self, now: Duration, reading: &Reading) {
        if self.outcome.is_some() {
            return;
        }
        if reading.is_heard() {
            self.facts = reading.facts().clone();
            self.mode_count = self.mode_count.max(reading.mode_count());
        }
        match self.phase {
            Phase::Greeting { .. } if reading.is_heard() => self.greeted(now),
            Phase::Greeting { nth } if nth >= GREETINGS => self.end(Outcome::Silent { written: false }),
            Phase::Greeting { nth } => {
                self.phase = Phase::Greeting { nth: nth + 1 };
                self.read_whole(now);
            }
            Phase::Finding(write) => self.found(now, reading, write),
            Phase::Ordering(write) => self.ordered(now, reading, write),
            Phase::Following(write, _) => self.follow(now, reading, write),
            Phase::Reading => self.judge(now, reading),
        }
    }

    fn greeted(&mut self, now: Duration) {
        self.before = Some(self.facts.clone());
        if self.open(&self.differences).is_empty() {
            // Somebody else did it meanwhile.
            self.events.extend((0..self.steps.len()).map(TalkEvent::Confirmed));
            return self.end(Outcome::Done);
        }
        self.begin(now);
    }

    /// Begins the current step, passing over those that are as wanted already.
    fn begin(&mut self, now: Duration) {
        while self.current < self.steps.len() {
            if self.open(self.of_step()).is_empty() {
                if self.doubt.is_first_round() {
                    self.events.push_back(TalkEvent::Confirmed(self.current));
                }
                self.current += 1;
                continue;
            }
            return self.order(now, Write { nth: 1, first_at: now, at: now, heard_at: None, put_off: false });
        }
        self.read_all(now);
    }

    fn order(&mut self, now: Duration, write: Write) {
        let Some(difference) = self.of_step().first().cloned() else { return self.read_all(now) };
        match order(&difference) {
            Some(order) => self.send(now, order, &difference, write),
            None if self.mode_count > 0 => {
                self.phase = Phase::Finding(write);
                self.ask(now, None, (1..=self.mode_count).map(Question::Mode).collect());
            }
            None => self.decline(now, "it does not tell what modes it has".to_owned()),
        }
    }

    fn send(&mut self, now: Duration, order: Order, difference: &Difference, write: Write) {
        let event = if write.nth == 1 { TalkEvent::Sent } else { TalkEvent::Repeated };
        self.events.push_back(event(self.current));
        self.written = true;
        self.phase = Phase::Ordering(write);
        self.ask(now, Some(order), proof(difference));
    }

    /// Its modes were told: the one that is wanted is ordered by its number.
    fn found(&mut self, now: Duration, reading: &Reading, write: Write) {
        let Some(difference) = self.of_step().first().cloned() else { return self.read_all(now) };
        match the_mode(&difference, reading.modes()) {
            Ok(number) => self.send(now, Order::of_mode(number), &difference, write),
            Err(why) => self.decline(now, why),
        }
    }

    /// It says that it does not take this; what it says of itself decides how that is told at the end.
    fn decline(&mut self, now: Duration, why: String) {
        self.events.push_back(TalkEvent::Declined(self.current, why.into()));
        self.read_all(now);
    }

    fn ordered(&mut self, now: Duration, reading: &Reading, write: Write) {
        let is_reset = self.of_step().iter().any(|one| one.field == Field::Setting(FixtureSetting::Reset));
        match reading.refusal() {
            Some(refusal) if !refusal.is_passing() => self.decline(now, refusal.to_string()),
            None if is_reset && reading.is_taken() => {
                self.starts_until = Some(now + self.restart_time);
                self.phase = Phase::Following(Write { at: now, ..write }, now + SETTLED);
            }
            refusal => self.follow(now, reading, Write { at: now, put_off: refusal.is_some(), ..write }),
        }
    }

    /// It was read while it takes a step.
    fn follow(&mut self, now: Duration, reading: &Reading, mut write: Write) {
        if reading.is_heard() {
            write.heard_at = Some(now);
            if self.open(self.of_step()).is_empty() {
                self.events.push_back(TalkEvent::Confirmed(self.current));
                self.current += 1;
                return self.begin(now);
            }
            if self.starts_until.is_some() {
                // It is there again, which is all that can be told.
                self.current += 1;
                return self.begin(now);
            }
        }
        let is_told = self.open(self.of_step()).iter().all(Difference::is_told);
        let is_old = reading.is_heard() && (is_told || write.put_off);
        if is_old && now >= write.at + SETTLED && write.nth < WRITES {
            return self.order(now, Write { nth: write.nth + 1, at: now, ..write });
        }
        let patience = if is_old { UNMOVED.min(self.restart_time) } else { self.restart_time };
        if now >= write.first_at + patience {
            return self.read_all(now);
        }
        self.phase = Phase::Following(write, now + FOLLOW_EVERY);
    }

    /// Reads it whole for the last time.
    fn read_all(&mut self, now: Duration) {
        self.doubt.read();
        self.phase = Phase::Reading;
        self.read_whole(now);
    }

    fn judge(&mut self, now: Duration, reading: &Reading) {
        if !reading.is_heard() {
            if self.starts_until.is_some_and(|until| now < until) {
                return self.read_whole(now);
            }
            if self.doubt.may_read() {
                return self.read_all(now);
            }
            return self.end(Outcome::Silent { written: self.written });
        }
        let (told, untold): (Vec<_>, Vec<_>) =
            self.open(&self.differences).into_iter().partition(Difference::is_told);
        let before = self.before.as_ref().unwrap_or(&self.facts);
        let shifted = shifts(&settings(before), &settings(&self.facts), &self.differences);
        match self.doubt.weigh(verdict(told, untold, shifted)) {
            Ruling::End(outcome) => self.end(outcome),
            Ruling::ReadAgain => self.read_all(now),
            Ruling::BeginAgain => {
                self.current = 0;
                self.begin(now);
            }
        }
    }

    /// Reads again what is followed, when that is due.
    fn read_on(&mut self, now: Duration) {
        if let Phase::Following(_, again_at) = self.phase
            && again_at <= now
            && self.cable.next_at().is_none()
        {
            let questions = self.of_step().iter().flat_map(proof).collect();
            self.ask(now, None, questions);
        }
    }
}

/// Which of its modes is wanted, by its words or by how many slots it takes.
///
/// # Errors
/// When it is none, or several: why.
fn the_mode(difference: &Difference, modes: &[Personality]) -> Result<u8, String> {
    let is_it = |mode: &&Personality| {
        let told = match difference.field {
            Field::Footprint => Value::Count(mode.footprint.into()),
            _ => Value::Text(mode.name.as_str().into()),
        };
        difference.planned.is_met_by(&told)
    };
    let meant: Vec<&Personality> = modes.iter().filter(is_it).collect();
    let list = |modes: &[&Personality]| {
        let each = modes.iter().map(|mode| {
            let name: Said = mode.name.as_str().into();
            format!("{} {name} ({} slots)", mode.number, mode.footprint)
        });
        each.collect::<Vec<_>>().join(", ")
    };
    match (&meant[..], difference.field) {
        ([only], _) => Ok(only.number),
        ([], _) if modes.is_empty() => Err("it does not say what its modes are".to_owned()),
        ([], Field::Footprint) => Err(format!(
            "no mode takes {} slots; it has {}",
            difference.planned,
            list(&modes.iter().collect::<Vec<_>>())
        )),
        ([], _) => Err(format!(
            "no mode is called {}; it has {}",
            difference.planned,
            list(&modes.iter().collect::<Vec<_>>())
        )),
        (several, _) => Err(format!("several modes could be meant, {}; say which by its number", list(several))),
    }
}

/// Everything it tells of its settings.
fn settings(facts: &Facts) -> Vec<(Field, Value)> {
    facts
        .told()
        .filter(|(field, _)| {
            SETTINGS.contains(field)
                || matches!(field, Field::Port(_, field)
                    if !matches!(field, PortField::Protocol | PortField::Indicators))
                || matches!(field, Field::Setting(setting) if setting.is_kept())
        })
        .map(|(field, value)| (field, value.clone()))
        .collect()
}

impl<C: Carrier> conversation::Talk for Talk<C> {
    fn outcome(&self) -> Option<&Outcome> {
        self.outcome.as_ref()
    }

    fn subject(&self) -> Subject {
        self.who.clone().telling(self.facts.clone())
    }

    fn hurry(&mut self) {
        self.cable.doubt();
        self.phase = Phase::Greeting { nth: GREETINGS };
    }

    fn next_single(&self) -> Option<Duration> {
        if self.outcome.is_some() || self.carrier.own().is_none() {
            return None;
        }
        self.cable.next_at().or(match self.phase {
            Phase::Following(_, again_at) => Some(again_at),
            _ => None,
        })
    }

    fn ask_single(&mut self, now: Duration) -> Option<Outgoing> {
        self.read_on(now);
        let request = self.cable.ask(now, self.carrier.own()?);
        self.take_over(now);
        self.carrier.send(now, request?)
    }
}

impl<C: Carrier> Talk<C> {
    /// What came of its own accord of what leads there.
    fn look_after(&mut self) {
        while let Some(remark) = self.carrier.next_remark() {
            self.events.push_back(TalkEvent::Remarked(remark));
        }
        if self.carrier.is_over() && self.outcome.is_none() {
            self.end(Outcome::Silent { written: self.written });
        }
    }
}

impl<C: Carrier> Conversation for Talk<C> {
    type Event = TalkEvent;

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        for answer in self.carrier.hear(now, heard) {
            self.cable.hear(now, &answer);
            self.take_over(now);
        }
        self.look_after();
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.carrier.next_send()
    }

    fn wake_at(&self) -> Option<Duration> {
        let next = self.carrier.next_at().map_or(LONGEST, |at| at.min(LONGEST));
        self.outcome.is_none().then_some(next)
    }

    fn wake(&mut self, now: Duration) {
        self.carrier.work(now);
        self.look_after();
        if now >= LONGEST && self.outcome.is_none() {
            self.end(Outcome::Silent { written: self.written });
        }
    }

    fn next_event(&mut self) -> Option<TalkEvent> {
        self.events.pop_front()
    }
}
