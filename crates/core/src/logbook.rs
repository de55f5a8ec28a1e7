//! The logbook: every step that was taken, with before and after. One JSON object a line.
//!
//! A line is written before a step is sent and another when it has ended, so that after a power cut the last line
//! says what was under way.

use serde::Serialize;

use crate::change::NodeName;
use crate::compare::Difference;
use crate::conversation::Outcome;

/// The version of the format.
pub const FORMAT: u32 = 1;

/// One line.
#[derive(Debug, Clone, Serialize)]
pub struct Entry<'a> {
    /// The version of the format.
    pub format: u32,
    /// When, in UTC (RFC 3339).
    pub at: &'a str,
    /// Which run of the program it belongs to.
    pub run: &'a str,
    /// Which node.
    pub node: &'a NodeName,
    /// Which step of the node's change, from 1.
    pub step: usize,
    /// What stage it has reached.
    pub stage: Stage,
    /// The fields it is about; `found` is before, `planned` is after.
    pub fields: &'a [Difference],
}

/// How far a step is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Stage {
    /// About to be sent.
    Sending,
    /// Read back as wanted.
    Confirmed,
    /// Heard where it should be, out of reach of a full read-back.
    HeardOnly,
    /// The node keeps (some of) its old settings.
    Refused,
    /// The node does not answer any more.
    Silent,
}

impl From<&Outcome> for Stage {
    fn from(outcome: &Outcome) -> Self {
        match outcome {
            Outcome::Done => Self::Confirmed,
            Outcome::HeardOnly => Self::HeardOnly,
            Outcome::Refused => Self::Refused,
            Outcome::Silent => Self::Silent,
        }
    }
}
