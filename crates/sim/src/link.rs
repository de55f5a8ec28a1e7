//! The way between two parties: how long a datagram takes, and whether it arrives, how often and in which shape.

use std::time::Duration;

use rand::rngs::StdRng;
use rand::{RngExt, SeedableRng};

/// What happens to datagrams, each a share of them from 0 to 1.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Trouble {
    /// Share that is lost.
    pub loss: f64,
    /// Share that arrives twice.
    pub duplicate: f64,
    /// Share that is held up for up to a second and a half, so that others overtake it.
    pub reorder: f64,
    /// Share that arrives damaged.
    pub corrupt: f64,
}

/// A troubled link, the same for the same seed.
#[derive(Debug)]
pub struct Link {
    trouble: Trouble,
    /// How many datagrams it has had to carry.
    carried: u64,
    /// The one that it loses whatever its trouble, from 0.
    loses: Option<u64>,
    dice: StdRng,
}

impl Link {
    /// A link that loses this share (0 to 1) of all datagrams.
    #[must_use]
    pub fn new(loss: f64, seed: u64) -> Self {
        Self::with(Trouble { loss, ..Trouble::default() }, seed)
    }

    /// A link with all these troubles.
    #[must_use]
    pub fn with(trouble: Trouble, seed: u64) -> Self {
        let share = |part: f64| part.clamp(0.0, 1.0);
        let Trouble { loss, duplicate, reorder, corrupt } = trouble;
        let trouble = Trouble {
            loss: share(loss),
            duplicate: share(duplicate),
            reorder: share(reorder),
            corrupt: share(corrupt),
        };
        Self { trouble, carried: 0, loses: None, dice: StdRng::seed_from_u64(seed) }
    }

    /// A link that loses nothing but its `number`-th datagram, from 0.
    #[must_use]
    pub fn losing_only(number: u64, seed: u64) -> Self {
        Self { loses: Some(number), ..Self::new(0.0, seed) }
    }

    /// How many datagrams it has had to carry.
    #[must_use]
    pub const fn carried(&self) -> u64 {
        self.carried
    }

    /// From now on it loses, doubles, holds up and damages nothing.
    pub fn heal(&mut self) {
        (self.trouble, self.loses) = (Trouble::default(), None);
    }

    /// Whether the next datagram arrives.
    pub fn delivers(&mut self) -> bool {
        let number = self.carried;
        self.carried += 1;
        let is_lost = self.dice.random_bool(self.trouble.loss);
        !is_lost && self.loses != Some(number)
    }

    /// Whether the datagram arrives a second time.
    pub fn repeats(&mut self) -> bool {
        self.dice.random_bool(self.trouble.duplicate)
    }

    /// How long the next datagram is under way: 0.1 to 1 ms, as on a switched network, unless it is held up.
    pub fn latency(&mut self) -> Duration {
        if self.dice.random_bool(self.trouble.reorder) {
            return Duration::from_millis(self.dice.random_range(1..1500));
        }
        Duration::from_micros(self.dice.random_range(100..1000))
    }

    /// The datagram as it arrives: cut short or with a byte changed, where it is damaged. Its checksum would not hold,
    /// so a damaged one counts as lost where a system looks at that; programs that hear frames see it.
    pub fn damage(&mut self, bytes: &mut Vec<u8>) -> bool {
        if bytes.is_empty() || !self.dice.random_bool(self.trouble.corrupt) {
            return false;
        }
        let at = self.dice.random_range(0..bytes.len());
        if self.dice.random_bool(0.5) {
            bytes.truncate(at);
        } else {
            bytes[at] ^= self.dice.random_range(1..=255u8);
        }
        true
    }
}
