//! Chance from a seed, the same for the same seed.

use rand::rngs::StdRng;
use rand::{RngExt, SeedableRng};

pub(crate) struct Dice(pub(crate) StdRng);

impl Dice {
    pub(crate) fn new(seed: u64) -> Self {
        Self(StdRng::seed_from_u64(seed))
    }

    /// A number below `end`.
    pub(crate) fn below(&mut self, end: u32) -> u32 {
        self.0.random_range(0..end)
    }

    /// Whether something happens that does so often.
    pub(crate) fn chance(&mut self, percent: u32) -> bool {
        self.below(100) < percent
    }

    /// One of these.
    pub(crate) fn one_of<'a, T: ?Sized>(&mut self, all: &[&'a T]) -> &'a T {
        all[self.below(all.len() as u32) as usize]
    }

    /// A list with at most one of these, as scenes have it.
    pub(crate) fn quirk(&mut self, all: &[&str]) -> String {
        let one = self.one_of(all);
        if self.chance(60) { format!("{one:?}") } else { String::new() }
    }
}
