//! What something is patched to: a sender, or a channel of an input.

use std::fmt;

use serde::{Deserialize, Serialize};

use crate::Said;

/// What a receiver takes from whom, or an output's channel from where.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Patched {
    /// Its identifier, which alone says what it is.
    pub id: Said,
    /// Which of its channels, from 0; `None` for all there is.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub channel: Option<u32>,
    /// What it is called, where that is known.
    pub label: Said,
}

impl Patched {
    /// Whether both are the same, whatever they are called.
    #[must_use]
    pub fn is_same(&self, other: &Self) -> bool {
        self.id == other.id && self.channel == other.channel
    }
}

impl fmt::Display for Patched {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match (self.label.is_empty(), self.channel) {
            (false, _) => self.label.fmt(f),
            (true, Some(channel)) => write!(f, "{} channel {}", self.id, channel + 1),
            (true, None) => self.id.fmt(f),
        }
    }
}
