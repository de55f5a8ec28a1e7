//! What a device does without data and when it starts (E1.37-1, sections 3.3 and 3.4): DMX_FAIL_MODE, DMX_STARTUP_MODE.
//!
//! ```text
//! 0  2  scene, 0: hold the last levels
//! 2  2  how long until then, in tenths of a second; 0xffff for ever
//! 4  2  how long it stays, in tenths of a second; 0xffff for ever
//! 6  1  level
//! ```

/// The scene a device shows, when, and how long.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Behaviour {
    /// Which scene; 0 holds the last levels.
    pub scene: u16,
    /// How long until it shows it, in tenths of a second.
    pub delay: u16,
    /// How long it shows it, in tenths of a second.
    pub hold: u16,
    /// At which level.
    pub level: u8,
}

impl Behaviour {
    /// Reads the data; `None` when it is too short.
    #[must_use]
    pub fn read(data: &[u8]) -> Option<Self> {
        let [a, b, c, d, e, f, level] = *data.first_chunk()?;
        let [scene, delay, hold] = [[a, b], [c, d], [e, f]].map(u16::from_be_bytes);
        Some(Self { scene, delay, hold, level })
    }

    /// The data.
    #[must_use]
    pub fn to_bytes(self) -> Vec<u8> {
        let words = [self.scene, self.delay, self.hold].into_iter().flat_map(u16::to_be_bytes);
        words.chain([self.level]).collect()
    }
}
