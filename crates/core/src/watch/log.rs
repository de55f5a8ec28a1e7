//! What a recorded watch leaves in a file: a line for each device, a line each minute, a line for each happening.

use std::collections::HashMap;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;
use serde::{Deserialize, Serialize};

use super::{Board, Curve, Happening, Watched};
use crate::as_text;

/// The version of the format.
pub(super) const FORMAT: u32 = 1;

/// One line of the file.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "kept", rename_all = "kebab-case")]
pub enum Kept {
    /// It begins.
    Began {
        /// The version of the format.
        format: u32,
        /// When, in UTC (RFC 3339).
        at: String,
    },
    /// A device that later lines call by its number.
    Device {
        /// Its number, from 0.
        number: usize,
        /// What it is called.
        name: String,
        /// Its address then.
        address: Ipv4Addr,
        /// Its MAC address, where that was known.
        #[serde(with = "as_text::option")]
        mac: Option<MacAddress>,
    },
    /// How everybody has fared since the line before.
    Minute {
        /// When, since the beginning.
        at_ms: u64,
        /// Those who were asked.
        devices: Vec<Sample>,
    },
    /// Something happened.
    Happened {
        /// When, since the beginning.
        at_ms: u64,
        /// To whom.
        who: String,
        /// What, in a word.
        word: String,
        /// What, in words.
        what: String,
    },
    /// It came to its end.
    Ended {
        /// When, since the beginning.
        at_ms: u64,
    },
}

/// How one device has fared: its number, how often it was asked and answered, and how many microseconds answers took, the one in
/// the middle and the longest.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Sample(pub usize, pub u64, pub u64, pub Option<u64>, pub Option<u64>);

/// Why a file cannot be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum LogError {
    /// It is none.
    #[error("it does not begin as the record of a watch does")]
    NoRecord,
    /// It was written by a later version of this program.
    #[error("it was written by a later version of this program (format {0})")]
    Later(u32),
}

/// What is written while a watch runs.
#[derive(Debug, Default)]
pub struct Log {
    /// For each device that has a number: that, and how often it was asked and answered when the last line was written.
    written: HashMap<(Option<MacAddress>, String), (usize, u64, u64)>,
}

impl Log {
    /// The line it begins with.
    #[must_use]
    pub const fn began(at: String) -> Kept {
        Kept::Began { format: FORMAT, at }
    }

    /// The line of a happening.
    #[must_use]
    pub fn happened(happening: &Happening) -> Kept {
        Kept::Happened {
            at_ms: millis(happening.at),
            who: happening.who.clone(),
            word: happening.news.word().to_owned(),
            what: happening.news.to_string(),
        }
    }

    /// The line it ends with.
    #[must_use]
    pub fn ended(now: Duration) -> Kept {
        Kept::Ended { at_ms: millis(now) }
    }

    /// What is written once a minute: who is new, and how everybody has fared.
    pub fn minute(&mut self, now: Duration, board: &Board) -> Vec<Kept> {
        let mut lines = Vec::new();
        let mut samples = Vec::new();
        for one in board.watched() {
            let curve = one.curve();
            let next = self.written.len();
            let written = self.written.entry(key(one)).or_insert_with(|| {
                let (name, address, mac) = (one.title(), one.address, one.mac);
                lines.push(Kept::Device { number: next, name, address, mac });
                (next, 0, 0)
            });
            // Another curve may have become the better one.
            let asked = curve.asked().saturating_sub(written.1);
            let answered = curve.answered().saturating_sub(written.2).min(asked);
            *written = (written.0, curve.asked(), curve.answered());
            if asked > 0 {
                let (middle, longest) = times(curve, asked);
                samples.push(Sample(written.0, asked, answered, middle, longest));
            }
        }
        lines.push(Kept::Minute { at_ms: millis(now), devices: samples });
        lines
    }
}

fn key(one: &Watched) -> (Option<MacAddress>, String) {
    (one.mac, if one.mac.is_some() { String::new() } else { one.title() })
}

/// The one in the middle and the longest of the last answers, in microseconds.
fn times(curve: &Curve, last: u64) -> (Option<u64>, Option<u64>) {
    let last = usize::try_from(last).unwrap_or(usize::MAX);
    let mut times: Vec<u64> = curve.points().rev().take(last).flatten().map(micros).collect();
    times.sort_unstable();
    (times.get(times.len() / 2).copied(), times.last().copied())
}

fn micros(time: Duration) -> u64 {
    u64::try_from(time.as_micros()).unwrap_or(u64::MAX)
}

fn millis(time: Duration) -> u64 {
    u64::try_from(time.as_millis()).unwrap_or(u64::MAX)
}
