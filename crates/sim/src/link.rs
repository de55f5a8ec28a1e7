//! The way between two parties: how long a datagram takes, and whether it arrives.

use std::time::Duration;

use rand::rngs::StdRng;
use rand::{RngExt, SeedableRng};

/// A lossy link, the same for the same seed.
#[derive(Debug)]
pub struct Link {
    loss: f64,
    dice: StdRng,
}

impl Link {
    /// A link that loses this share (0 to 1) of all datagrams.
    #[must_use]
    pub fn new(loss: f64, seed: u64) -> Self {
        Self { loss: loss.clamp(0.0, 1.0), dice: StdRng::seed_from_u64(seed) }
    }

    /// Whether the next datagram arrives.
    pub fn delivers(&mut self) -> bool {
        !self.dice.random_bool(self.loss)
    }

    /// How long the next datagram is under way: 0.1 to 1 ms, as on a switched network.
    pub fn latency(&mut self) -> Duration {
        Duration::from_micros(self.dice.random_range(100..1000))
    }
}
