//! Levels: what stands in the slots of one universe, and what is sent to try it.

mod heard;
mod pattern;

pub use heard::{HeardSource, Levels};
pub use pattern::{LevelError, Pattern, Setting};

/// Slots of a universe (ANSI E1.11, section 8).
pub const SLOTS: usize = 512;

/// One level for each slot.
pub type Slots = [u8; SLOTS];
