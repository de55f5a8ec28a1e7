//! Personalities: the ways a device can take its slots (E1.20, section 10.6.1 and 10.6.2).
//!
//! ```text
//! DMX_PERSONALITY              told: number 1, how many there are 1; set: number 1
//! DMX_PERSONALITY_DESCRIPTION  asked: number 1; told: number 1, footprint 2, text
//! ```

use super::text;

/// One of a device's personalities.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Personality {
    /// Its number, from 1.
    pub number: u8,
    /// How many slots the device takes in it.
    pub footprint: u16,
    /// What it is called.
    pub name: String,
}

impl Personality {
    /// Reads the data of an answer to DMX_PERSONALITY_DESCRIPTION; `None` when it is too short.
    #[must_use]
    pub fn read(data: &[u8]) -> Option<Self> {
        let ([number, high, low], name) = data.split_first_chunk()?;
        Some(Self { number: *number, footprint: u16::from_be_bytes([*high, *low]), name: text::read(name) })
    }

    /// The data of the answer.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let [high, low] = self.footprint.to_be_bytes();
        [&[self.number, high, low][..], &text::write(&self.name)].concat()
    }
}
