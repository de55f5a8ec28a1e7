//! Counters read again and again: an old count that stands still is history, one that rises is trouble now.

use std::time::Duration;

/// So long after its last rise a counter still counts as rising.
const RISING_FOR: Duration = Duration::from_secs(60);

/// Where a counter goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Trend {
    /// It stands still; what it has counted is left over from before.
    Still,
    /// It rises now.
    Rising,
    /// It began again from below: whoever counts has started anew.
    Restarted,
}

/// One counter.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Counter {
    value: Option<u64>,
    rose_at: Option<Duration>,
    fell_at: Option<Duration>,
}

impl Counter {
    /// Takes in a reading; gives whether it fell.
    pub fn read(&mut self, now: Duration, value: u64) -> bool {
        let before = self.value.replace(value);
        match before.map(|before| value.cmp(&before)) {
            Some(std::cmp::Ordering::Greater) => self.rose_at = Some(now),
            Some(std::cmp::Ordering::Less) => {
                self.fell_at = Some(now);
                self.rose_at = None;
                return true;
            }
            _ => {}
        }
        false
    }

    /// Its last reading.
    #[must_use]
    pub const fn value(&self) -> Option<u64> {
        self.value
    }

    /// Where it goes; `None` before there were two readings worth the word.
    #[must_use]
    pub fn trend(&self, now: Duration) -> Option<Trend> {
        self.value?;
        let lately = |at: Option<Duration>| at.is_some_and(|at| now < at + RISING_FOR);
        Some(match (lately(self.rose_at), lately(self.fell_at)) {
            (true, _) => Trend::Rising,
            (false, true) => Trend::Restarted,
            (false, false) => Trend::Still,
        })
    }
}
