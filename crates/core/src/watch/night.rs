//! What can be said of a recorded watch afterwards.

use std::collections::HashMap;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;

use super::log::FORMAT;
use super::{Kept, LogError};
use crate::Said;

/// A recorded watch.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Night {
    /// When it began, in UTC (RFC 3339).
    pub began: Said,
    /// How long it went on, as far as was written.
    pub length: Duration,
    /// Whether it came to its end, or was broken off.
    pub ended: bool,
    /// How every device has fared: whoever fared worst first.
    pub lives: Vec<Life>,
    /// What happened that wants somebody to look, the oldest first: when, to whom, what.
    pub events: Vec<(Duration, Said, Said)>,
    /// How much happened in all.
    pub happened: usize,
    /// Lines that could not be read.
    pub torn: usize,
    /// How often each fell silent and started anew, by its name: that may be told before the device itself is.
    befell: HashMap<String, (u32, u32)>,
}

/// How one device has fared.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Life {
    /// What it is called.
    pub name: Said,
    /// Its address when it came.
    pub address: Ipv4Addr,
    /// Its MAC address, where that was known.
    pub mac: Option<MacAddress>,
    /// How often it was asked.
    pub asked: u64,
    /// How often it answered.
    pub answered: u64,
    /// How often it fell silent.
    pub silences: u32,
    /// How often it started anew.
    pub restarts: u32,
    /// How long its answers took: the middle of the worst minute, and the longest of all.
    pub middle: Option<Duration>,
    /// The longest.
    pub longest: Option<Duration>,
}

impl Life {
    /// The part of all questions that went unanswered, in thousandths.
    #[must_use]
    pub const fn lost_per_mille(&self) -> u64 {
        let lost = self.asked.saturating_sub(self.answered);
        match lost.saturating_mul(1000).checked_div(self.asked) {
            Some(lost) => lost,
            None => 0,
        }
    }
}

impl Night {
    /// The most happenings that are told one by one.
    pub const MOST_EVENTS: usize = 500;

    /// Reads the record of a watch. A line that was torn off by a power cut is left out.
    ///
    /// # Errors
    /// When it is no such record, or of a later version.
    pub fn read(text: &str) -> Result<Self, LogError> {
        let mut lines = text.lines().filter(|line| !line.trim().is_empty());
        let first = lines.next().and_then(|line| serde_json::from_str(line).ok());
        let Some(Kept::Began { format, at }) = first else { return Err(LogError::NoRecord) };
        if format > FORMAT {
            return Err(LogError::Later(format));
        }
        let mut night = Self {
            began: at.into(),
            length: Duration::ZERO,
            ended: false,
            lives: Vec::new(),
            events: Vec::new(),
            happened: 0,
            torn: 0,
            befell: HashMap::new(),
        };
        for line in lines {
            match serde_json::from_str(line) {
                Ok(kept) => night.take(kept),
                Err(_) => night.torn += 1,
            }
        }
        for life in &mut night.lives {
            (life.silences, life.restarts) = night.befell.get(life.name.raw()).copied().unwrap_or_default();
        }
        let worst = |life: &Life| (life.silences, life.lost_per_mille(), life.restarts, life.longest);
        night.lives.sort_by_key(|life| std::cmp::Reverse(worst(life)));
        Ok(night)
    }

    fn take(&mut self, kept: Kept) {
        match kept {
            Kept::Began { .. } => {}
            // Numbers are given in turn; a line that says otherwise is none of ours.
            Kept::Device { number, name, address, mac } if number == self.lives.len() => {
                let name = name.into();
                self.lives.push(Life {
                    name,
                    address,
                    mac,
                    asked: 0,
                    answered: 0,
                    silences: 0,
                    restarts: 0,
                    middle: None,
                    longest: None,
                });
            }
            Kept::Device { .. } => self.torn += 1,
            Kept::Minute { at_ms, devices } => {
                self.reaches(at_ms);
                for sample in devices {
                    let Some(life) = self.lives.get_mut(sample.0) else { continue };
                    life.asked = life.asked.saturating_add(sample.1);
                    life.answered = life.answered.saturating_add(sample.2);
                    life.middle = life.middle.max(sample.3.map(Duration::from_micros));
                    life.longest = life.longest.max(sample.4.map(Duration::from_micros));
                }
            }
            Kept::Happened { at_ms, who, word, what } => {
                self.reaches(at_ms);
                self.happened += 1;
                let (silences, restarts) = self.befell.entry(who.clone()).or_default();
                *silences += u32::from(word == "silent");
                *restarts += u32::from(word == "restarted");
                if self.events.len() < Self::MOST_EVENTS {
                    self.events.push((Duration::from_millis(at_ms), who.into(), what.into()));
                }
            }
            Kept::Ended { at_ms } => {
                self.reaches(at_ms);
                self.ended = true;
            }
        }
    }

    fn reaches(&mut self, at_ms: u64) {
        self.length = self.length.max(Duration::from_millis(at_ms));
    }
}
