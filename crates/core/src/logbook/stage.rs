//! How far a step of a change is.

use serde::{Deserialize, Serialize};

use crate::conversation::Outcome;

/// How far a step is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Stage {
    /// About to be sent.
    Sending,
    /// About to be sent once more, since the node tells the old value still.
    Repeating,
    /// A person was asked to do it by hand.
    ByHand,
    /// Given up before its end: interrupted, or nobody reads on. Whether the node took it is open.
    BrokenOff,
    /// Read back as wanted.
    Confirmed,
    /// Sent; the node does not tell whether it took it.
    Unverified,
    /// Heard where it should be, out of reach of a full read-back.
    HeardOnly,
    /// As wanted, and something else has changed with it.
    MovedAlong,
    /// The node keeps (some of) its old settings.
    Refused,
    /// The node said that it takes it, and still is as it was.
    Acknowledged,
    /// The node came up at an address nobody meant.
    Elsewhere,
    /// The node does not answer any more.
    Silent,
    /// The node took part of a file, and said nothing more.
    HalfSent,
    /// Not sent: somebody holds the wanted address.
    Taken,
    /// Not sent: somebody else answers from the node's address.
    Stranger,
    /// The node is where it should be, and somebody else is there too.
    Shared,
}

impl Stage {
    /// Whether it says that the step was sent, or a person asked to take it.
    #[must_use]
    pub const fn is_sent(self) -> bool {
        matches!(self, Self::Sending | Self::Repeating | Self::ByHand)
    }

    /// Its word in the logbook and on the screen.
    #[must_use]
    pub const fn word(self) -> &'static str {
        match self {
            Self::Sending => "sending",
            Self::Repeating => "repeating",
            Self::ByHand => "by-hand",
            Self::BrokenOff => "broken-off",
            Self::Confirmed => "confirmed",
            Self::Unverified => "unverified",
            Self::HeardOnly => "heard-only",
            Self::MovedAlong => "moved-along",
            Self::Refused => "refused",
            Self::Acknowledged => "acknowledged",
            Self::Elsewhere => "elsewhere",
            Self::Silent => "silent",
            Self::HalfSent => "half-sent",
            Self::Taken => "taken",
            Self::Stranger => "stranger",
            Self::Shared => "shared",
        }
    }
}

impl From<&Outcome> for Stage {
    fn from(outcome: &Outcome) -> Self {
        match outcome {
            Outcome::Done => Self::Confirmed,
            Outcome::Unverified(_) => Self::Unverified,
            Outcome::HeardOnly(_) => Self::HeardOnly,
            Outcome::MovedAlong(_) => Self::MovedAlong,
            Outcome::Refused(_) => Self::Refused,
            Outcome::Acknowledged(_) => Self::Acknowledged,
            Outcome::Elsewhere(_) => Self::Elsewhere,
            Outcome::Silent { .. } => Self::Silent,
            Outcome::HalfSent { .. } => Self::HalfSent,
            Outcome::Taken(_) => Self::Taken,
            Outcome::Stranger(_) => Self::Stranger,
            Outcome::Shared(_) => Self::Shared,
        }
    }
}
