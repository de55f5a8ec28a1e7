//! What is asked and answered.

use core::fmt;

use super::{Oid, Value};

/// What it is (RFC 3416, section 3).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// Tell these.
    Get,
    /// Tell those that come next behind these.
    GetNext,
    /// The same of the first so many, and of each of the others so many one after the other.
    GetBulk {
        /// How many are told once.
        once: u32,
        /// How often the others are told.
        repeats: u32,
    },
    /// Set these: all or none.
    Set,
    /// The answer to one of these.
    Response,
    /// Why a message of version 3 is not answered.
    Report,
    /// Something that happened, which nobody asked for.
    Notice,
}

/// What is asked, or answered.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pdu {
    /// What it is.
    pub kind: Kind,
    /// Which request it is, or answers.
    pub id: i32,
    /// Of a response, why it could not be done.
    pub failed: Option<Failed>,
    /// The objects, and what they hold.
    pub values: Vec<(Oid, Value)>,
}

/// Why a request could not be done.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Failed {
    /// The code (RFC 3416, section 3, error-status); not 0.
    pub status: u32,
    /// Which of the objects is the reason, from 1; 0 for none of them.
    pub index: u32,
}

impl Pdu {
    /// A question for these.
    #[must_use]
    pub fn question(kind: Kind, id: i32, objects: &[Oid]) -> Self {
        let values = objects.iter().map(|object| (object.clone(), Value::Unspecified)).collect();
        Self { kind, id, failed: None, values }
    }

    /// An order to set these.
    #[must_use]
    pub const fn order(id: i32, values: Vec<(Oid, Value)>) -> Self {
        Self { kind: Kind::Set, id, failed: None, values }
    }

    /// The answer to a request.
    #[must_use]
    pub const fn answer(&self, values: Vec<(Oid, Value)>, failed: Option<Failed>) -> Self {
        Self { kind: Kind::Response, id: self.id, failed, values }
    }
}

impl Failed {
    /// The answer does not fit into one message.
    pub const TOO_BIG: u32 = 1;
    /// It is not to be had by whoever asks.
    pub const NO_ACCESS: u32 = 6;
    /// The value is of another sort.
    pub const WRONG_TYPE: u32 = 7;
    /// Whoever asks may not do that.
    pub const NOT_ALLOWED: u32 = 16;
    /// It cannot be set.
    pub const NOT_WRITABLE: u32 = 17;
}

impl fmt::Display for Failed {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self.status {
            Self::TOO_BIG => "the answer does not fit into one message",
            2 => "it knows no such object",
            3 | 10 => "it does not take this value",
            4 | Self::NOT_WRITABLE | 11 => "it cannot be set",
            5 => "it has failed, and does not say why",
            Self::NO_ACCESS => "it is not to be had by whoever asks",
            Self::WRONG_TYPE => "it holds values of another sort",
            8 => "it holds values of another length",
            9 => "it cannot read the value",
            12 | 18 => "it does not take this value as it is set now",
            13 => "it has no room for it",
            14 => "it could not be set",
            15 => "it could not be set, and not be taken back",
            Self::NOT_ALLOWED => "whoever asks may not do that",
            status => return write!(f, "error {status}"),
        })
    }
}
