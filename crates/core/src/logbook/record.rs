//! What a line of the logbook holds. These types are the file's own: what is inside the program may move without it.

use std::net::SocketAddrV4;

use serde::{Deserialize, Serialize};

use super::Stage;
use crate::Said;
use crate::census::{NodeName, Subject};
use crate::change::{Change, ChangePlan, Part, Replug};
use crate::conversation::{ApplyEvent, ApplyNews, Outcome, SayResult, Shift, TalkEvent};
use crate::facts::{Difference, Facts, Field, Value};

/// The version of the format.
pub const FORMAT: u32 = 2;

/// One line.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Line {
    /// The version of the format.
    pub format: u32,
    /// When, in UTC (RFC 3339).
    pub at: String,
    /// Which run it belongs to.
    pub run: String,
    /// What it tells.
    #[serde(flatten)]
    pub record: Record,
}

/// What a line tells.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "record", rename_all = "kebab-case")]
pub enum Record {
    /// A run begins, or goes on after it was broken off.
    Begun(Begun),
    /// What it means to change, and what was there before.
    Planned(Planned),
    /// How far a step is.
    Step(StepTaken),
    /// A line of text was said, or what came of it.
    Said(LineSaid),
    /// The run has come to its end.
    Ended {
        /// How.
        how: Ending,
    },
}

/// A run begins.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Begun {
    /// By which command.
    pub order: Order,
    /// The rig sheet it goes by, as it was named.
    pub sheet: Option<String>,
    /// Which part of the sheet.
    #[serde(default)]
    pub part: Part,
    /// Which run it takes back.
    #[serde(default)]
    pub undoes: Option<String>,
    /// How many of that run's steps it keeps.
    #[serde(default)]
    pub keep: usize,
    /// Whether it goes on with a run that was broken off.
    #[serde(default)]
    pub resumed: bool,
    /// Whether a person is guided through what the network alone does not do.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub guided: bool,
    /// Whether the fixtures behind the gateways are meant too.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub fixtures: bool,
}

/// By which command something is changed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Order {
    /// By the sheet.
    Apply,
    /// As somebody said.
    Set,
    /// Back to what was.
    Undo,
    /// A file was sent.
    Firmware,
    /// What was kept was put back.
    Keep,
    /// Lines of text were said to a device.
    Say,
    /// A sequence of the sheet was said to several.
    Run,
}

impl Order {
    /// The command's name.
    #[must_use]
    pub const fn word(self) -> &'static str {
        match self {
            Self::Apply => "apply",
            Self::Set => "set",
            Self::Undo => "undo",
            Self::Firmware => "firmware",
            Self::Keep => "keep put",
            Self::Say => "say",
            Self::Run => "run",
        }
    }
}

/// A line of text that is said; written down again with what came of it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct LineSaid {
    /// What the device is called here.
    pub node: String,
    /// To which address and port.
    pub to: SocketAddrV4,
    /// The line; `None` where the device had asked for something that must not be shown.
    pub line: Option<String>,
    /// What came of it: `None` until then.
    #[serde(default)]
    pub result: Option<SaidResult>,
    /// What was answered last.
    #[serde(default)]
    pub answer: Option<Said>,
}

/// What came of a line.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum SaidResult {
    /// It was answered, and rightly where that is known.
    Answered,
    /// It was answered otherwise than is right.
    Wrong,
    /// Nothing was answered.
    Unanswered,
    /// It could not be said, or the connection was lost.
    Lost,
}

impl From<&SayResult> for SaidResult {
    fn from(result: &SayResult) -> Self {
        match result {
            SayResult::Answered(_) => Self::Answered,
            SayResult::Wrong(_) => Self::Wrong,
            SayResult::Unanswered => Self::Unanswered,
            SayResult::Lost(_) => Self::Lost,
        }
    }
}

impl LineSaid {
    /// The same with what came of it.
    #[must_use]
    pub fn ended(self, result: &SayResult) -> Self {
        Self { result: Some(result.into()), answer: result.answer().cloned(), ..self }
    }
}

/// How a run ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Ending {
    /// Everything was made.
    Done,
    /// Something failed, or was left for later.
    Unfinished,
    /// It was interrupted.
    BrokenOff,
}

/// What is meant to be changed on one device.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Planned {
    /// Which change of the run, from 1.
    pub change: usize,
    /// Which device.
    pub node: NodeName,
    /// What the sheet calls it.
    #[serde(default)]
    pub planned_as: Option<String>,
    /// What is to become different.
    pub fields: Vec<Difference>,
    /// Everything it told before.
    pub before: Facts,
}

/// How far a step is.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct StepTaken {
    /// Which change of the run, from 1.
    #[serde(default)]
    pub change: usize,
    /// Which device, as it was before the run.
    pub node: NodeName,
    /// Which step of the change, from 1.
    pub step: usize,
    /// How far it is.
    pub stage: Stage,
    /// The fields it is about; `found` is before, `planned` is after.
    pub fields: Vec<Difference>,
    /// What changed although nobody meant it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub along: Vec<Along>,
}

/// A field that changed along.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(into = "WrittenAlong", try_from = "WrittenAlong")]
pub struct Along {
    /// Which.
    pub field: Field,
    /// What it was.
    pub before: Value,
    /// What it is; `None` for a port that is gone.
    pub after: Option<Value>,
}

#[derive(Serialize, Deserialize)]
struct WrittenAlong {
    field: String,
    before: serde_json::Value,
    after: Option<serde_json::Value>,
}

impl From<Along> for WrittenAlong {
    fn from(along: Along) -> Self {
        // A value is a plain text, number or flag: there is no way for that to fail.
        let plain = |value: &Value| serde_json::to_value(value).unwrap_or_default();
        Self {
            field: along.field.to_string(),
            before: plain(&along.before),
            after: along.after.as_ref().map(plain),
        }
    }
}

impl TryFrom<WrittenAlong> for Along {
    type Error = String;

    fn try_from(written: WrittenAlong) -> Result<Self, String> {
        let field: Field = written.field.parse().map_err(|_| format!("{:?} is no field", written.field))?;
        let read = |value: &serde_json::Value| Value::read(field, value).map_err(|error| error.to_string());
        Ok(Self { field, before: read(&written.before)?, after: written.after.as_ref().map(read).transpose()? })
    }
}

impl From<&Shift> for Along {
    fn from(shift: &Shift) -> Self {
        Self { field: shift.field, before: shift.before.clone(), after: shift.after.clone() }
    }
}

impl StepTaken {
    /// What is written of an event of a plan that is carried out; `None` for one that tells of no step. A step that is sent is
    /// on disk before it leaves.
    #[must_use]
    pub fn of_event(plan: &ChangePlan, event: &ApplyEvent) -> Option<Self> {
        let ApplyNews::Talk(talk) = &event.news else { return None };
        let (step, stage) = match talk {
            TalkEvent::Sent(step) => (*step, Stage::Sending),
            TalkEvent::Repeated(step) => (*step, Stage::Repeating),
            TalkEvent::Confirmed(step) => (*step, Stage::Confirmed),
            TalkEvent::Ended(_, Outcome::Done) => return None,
            TalkEvent::Ended(step, outcome) => (*step, Stage::from(outcome)),
            TalkEvent::Probing(..)
            | TalkEvent::Declined(..)
            | TalkEvent::Remarked(_)
            | TalkEvent::Passed { .. }
            | TalkEvent::Restarting
            | TalkEvent::Back(_) => return None,
        };
        let along = match talk {
            TalkEvent::Ended(_, Outcome::MovedAlong(shifts)) => shifts.iter().map(Along::from).collect(),
            _ => Vec::new(),
        };
        Some(Self { along, ..Self::of(plan, event.change, step, stage) })
    }

    /// That a step of a change, each by its place, is so far.
    #[must_use]
    pub fn of(plan: &ChangePlan, change: usize, step: usize, stage: Stage) -> Self {
        let planned = &plan.changes[change];
        let fields = planned.steps.get(step).map_or_else(Vec::new, |step| step.differences.clone());
        let node = planned.node_name();
        Self { change: change + 1, node, step: step + 1, stage, fields, along: Vec::new() }
    }

    /// That a person was asked to plug a fixture in elsewhere, or that it is there.
    #[must_use]
    pub fn of_replug(place: usize, replug: &Replug, stage: Stage) -> Self {
        let node = Subject::of_fixture(&replug.fixture).node_name();
        Self { change: place + 1, node, step: 1, stage, fields: vec![replug.cable.clone()], along: Vec::new() }
    }
}

impl Planned {
    /// What is written of a change before anything is sent.
    #[must_use]
    pub fn of(place: usize, change: &Change) -> Self {
        Self {
            change: place + 1,
            node: change.node_name(),
            planned_as: change.planned_as.clone(),
            fields: change.differences.clone(),
            before: change.subject.told_facts(),
        }
    }

    /// What is written before a person is asked to plug a fixture in elsewhere.
    #[must_use]
    pub fn of_replug(place: usize, replug: &Replug) -> Self {
        let subject = Subject::of_fixture(&replug.fixture);
        Self {
            change: place + 1,
            node: subject.node_name(),
            planned_as: Some(replug.name.clone()),
            fields: vec![replug.cable.clone()],
            before: subject.told_facts(),
        }
    }
}
