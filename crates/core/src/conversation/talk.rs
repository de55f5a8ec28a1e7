//! Talks: how one change is made, in whatever family; what is told meanwhile, and what became of it in the words of what
//! the device itself told.

use std::fmt;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;

use super::{Alter, AskedBy, Conversation, Heard, Outgoing, Upload, Vantage};
use crate::census::Subject;
use crate::change::{Change, StepMessage};
use crate::facts::{Difference, Field, FixtureSetting, PortField, Value};
use crate::{Said, family};

/// The conversation that makes one [`Change`]: it finds the device again, writes only to the right one, follows it
/// through a restart, and reads back every field.
pub trait Talk: Conversation<Event = TalkEvent> {
    /// How it ended; `None` while it runs.
    fn outcome(&self) -> Option<&Outcome>;

    /// Whom it is about, as last heard.
    fn subject(&self) -> Subject;

    /// Others beside it answered nothing: it is given up sooner, too, where it does not.
    fn hurry(&mut self) {}

    /// When it has a question that waits for its turn at the pace of all: where the answer is waited for by the clock, it must
    /// not wait in a queue.
    fn next_single(&self) -> Option<Duration> {
        None
    }

    /// That question, which is due by now.
    fn ask_single(&mut self, _now: Duration) -> Option<Outgoing> {
        None
    }
}

/// What a talk tells while it runs.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum TalkEvent {
    /// It is being asked who holds this address, in this way.
    Probing(Ipv4Addr, AskedBy),
    /// A step is sent for the first time.
    Sent(usize),
    /// A step is sent once more, since the device tells the old value still.
    Repeated(usize),
    /// A step was read back as wanted.
    Confirmed(usize),
    /// The device says that it does not take a step, and why.
    Declined(usize, Said),
    /// Something else came to pass: what leads to it was lost, or somebody else set it meanwhile.
    Remarked(Said),
    /// Of a file, it has taken so many blocks.
    Passed {
        /// How many it has taken.
        taken: u32,
        /// How many there are.
        of: u32,
    },
    /// The device says that it takes what was sent, and restarts.
    Restarting,
    /// The device is back, at this address.
    Back(Ipv4Addr),
    /// It ended, at this step.
    Ended(usize, Outcome),
}

/// A talk with nothing to say: its family sets nothing, which the plan of changes has said before.
#[derive(Debug)]
pub(crate) struct Nothing {
    subject: Subject,
    outcome: Outcome,
}

impl Nothing {
    pub(crate) fn of(subject: &Subject) -> Self {
        Self { subject: subject.clone(), outcome: Outcome::Silent { written: false } }
    }
}

impl Talk for Nothing {
    fn outcome(&self) -> Option<&Outcome> {
        Some(&self.outcome)
    }

    fn subject(&self) -> Subject {
        self.subject.clone()
    }
}

impl Conversation for Nothing {
    type Event = TalkEvent;

    fn hear(&mut self, _: Duration, _: &Heard<'_>) {}

    fn next_send(&mut self) -> Option<Outgoing> {
        None
    }

    fn wake_at(&self) -> Option<Duration> {
        None
    }

    fn wake(&mut self, _: Duration) {}

    fn next_event(&mut self) -> Option<TalkEvent> {
        None
    }
}

impl Change {
    /// The talk that makes this change from there, and gives the device `restart_time` to take each step.
    #[must_use]
    pub fn talk(&self, vantage: Vantage, restart_time: Duration) -> Box<dyn Talk> {
        match &self.subject {
            Subject::Node(node) => match self.steps.first().map(|step| &step.message) {
                Some(StepMessage::Firmware(image)) => {
                    Box::new(Upload::new(node, self, image.clone(), vantage, restart_time))
                }
                _ => Box::new(Alter::new(node, self, vantage, restart_time)),
            },
            Subject::Unit(unit) => family::talk(unit, self, vantage, restart_time),
            Subject::Fixture(fixture) => family::talk_on_cable(fixture, self, vantage, restart_time),
            Subject::PatchPoint(point) => family::talk_of_patch(point, self, vantage, restart_time),
        }
    }
}

/// What became of a change.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Outcome {
    /// Everything was read back as wanted, and nothing else of the node is otherwise than before.
    Done,
    /// Everything was sent, and what the node tells is as wanted. It does not tell these.
    Unverified(Vec<Difference>),
    /// The node moved out of this computer's reach: its address was heard there. These could not be read back.
    HeardOnly(Vec<Difference>),
    /// What was wanted is so, and these have changed along with it.
    MovedAlong(Vec<Shift>),
    /// The node still tells other values after all the time it has for a restart.
    Refused(Vec<Difference>),
    /// The node said that it takes the address, and still answers from the old one after all that time.
    Acknowledged(Vec<Difference>),
    /// The node came up at an address that nobody meant.
    Elsewhere(Ipv4Addr),
    /// The node does not answer any more, and was not seen with a new address.
    Silent {
        /// Whether anything was written to it before.
        written: bool,
    },
    /// Of a file, the node took so many blocks, and then said nothing more to them. It is left as it may be.
    HalfSent {
        /// How many it took.
        taken: u32,
        /// How many there are.
        of: u32,
        /// Whether it answers otherwise.
        answers: bool,
    },
    /// Somebody holds the wanted address, asked in the moment before it would have been given. It was not sent.
    Taken(Other),
    /// Somebody else answers from the node's address. Nothing was sent to it.
    Stranger(Other),
    /// The node is where it should be, and somebody else is there too.
    Shared(Other),
}

/// Another device than the one that is meant.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Other {
    /// Its MAC address, where it was seen or told.
    pub mac: Option<MacAddress>,
    /// What it calls itself; empty when it told no name.
    pub name: Said,
}

/// A field that was not meant to change, and has.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Shift {
    /// Which field.
    pub field: Field,
    /// What the device told before.
    pub before: Value,
    /// What it tells now; `None` for a port that is gone.
    pub after: Option<Value>,
}

impl Shift {
    /// What it told before, in words.
    #[must_use]
    pub fn before_in_words(&self) -> String {
        self.field.in_words(&self.before)
    }

    /// What it tells now, in words.
    #[must_use]
    pub fn after_in_words(&self) -> String {
        self.after.as_ref().map_or_else(|| "gone".to_owned(), |value| self.field.in_words(value))
    }
}

impl Outcome {
    /// Whether the node is not what was wanted, so that a run of changes stops here.
    #[must_use]
    pub const fn is_failure(&self) -> bool {
        !matches!(self, Self::Done | Self::Unverified(_) | Self::HeardOnly(_))
    }
}

impl fmt::Display for Other {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match (self.name.is_empty(), self.mac) {
            (false, Some(mac)) => write!(f, "{} ({mac})", self.name),
            (false, None) => self.name.fmt(f),
            (true, Some(mac)) => mac.fmt(f),
            (true, None) => f.write_str("a device that did not tell its MAC address"),
        }
    }
}

/// What a whole reading at the end says: of what is open, what was told otherwise and what was not; and what changed along.
pub(crate) fn verdict(told: Vec<Difference>, untold: Vec<Difference>, shifted: Vec<Shift>) -> Outcome {
    match (told.is_empty(), shifted.is_empty(), untold.is_empty()) {
        (true, true, true) => Outcome::Done,
        (true, true, false) => Outcome::Unverified(untold),
        (true, false, _) => Outcome::MovedAlong(shifted),
        (false, ..) => Outcome::Refused(told),
    }
}

/// One of these goes with another.
const MODE: [Field; 3] = [Field::Mode, Field::ModeName, Field::Footprint];

/// What is otherwise than before, leaving out what `wanted` meant to change.
pub(crate) fn shifts(before: &[(Field, Value)], after: &[(Field, Value)], wanted: &[Difference]) -> Vec<Shift> {
    // Who hands out the address decides on the rest as well.
    let by_others = wanted.iter().any(|one| one.wants_dhcp() || one.field == Field::FactoryNetwork);
    let everything = wanted.iter().any(|one| one.field == Field::Setting(FixtureSetting::FactoryDefaults));
    let by_mode = wanted.iter().any(|one| MODE.contains(&one.field));
    let by_sender = wanted.iter().any(|one| one.field == Field::Sender);
    let is_meant = |field: Field| {
        wanted.iter().any(|difference| difference.field == field)
            || everything
            // Where a stream comes from its sender says.
            || (by_sender && matches!(field, Field::Group | Field::SecondGroup))
            || (by_others && field.is_network())
            || (by_mode && MODE.contains(&field))
            // Which way a port works decides what can be said of it.
            || matches!(field, Field::Port(number, _)
                if wanted.iter().any(|d| d.field == Field::Port(number, PortField::Direction)))
    };
    let shift = |(field, before): &(Field, Value)| {
        let now = after.iter().find(|(one, _)| one == field).map(|(_, value)| value.clone());
        // A port may be gone; what else is not there was not told, which is another matter.
        let is_gone = now.is_none() && matches!(field, Field::Port(..));
        let differs = is_gone || now.as_ref().is_some_and(|now| now != before);
        (differs && !is_meant(*field)).then(|| Shift { field: *field, before: before.clone(), after: now })
    };
    before.iter().filter_map(shift).collect()
}
