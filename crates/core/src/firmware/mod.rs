//! Firmware: which version each kind should have, and how what a node has stands to it. Files for nodes, to be sent in blocks.

mod image;
mod table;

use std::cmp::Ordering;
use std::fmt;

pub use image::Image;
pub use table::{Expected, FirmwareTable};

use crate::Firmware;

/// How the firmware of a device stands to the one that is expected.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, serde::Serialize)]
#[serde(rename_all = "lowercase")]
pub enum FirmwareStanding {
    /// It has an older one.
    Older,
    /// It has this one.
    Equal,
    /// It has a newer one.
    Newer,
    /// Nothing is expected of its kind, or it does not tell what it has.
    Unknown,
}

impl FirmwareStanding {
    /// How `has` stands to `expected`. Their parts are compared as numbers: 1.10 is newer than 1.9.
    #[must_use]
    pub fn of(has: Option<Firmware>, expected: Option<Firmware>) -> Self {
        match has.zip(expected).map(|(has, expected)| has.cmp(&expected)) {
            Some(Ordering::Less) => Self::Older,
            Some(Ordering::Equal) => Self::Equal,
            Some(Ordering::Greater) => Self::Newer,
            None => Self::Unknown,
        }
    }
}

impl fmt::Display for FirmwareStanding {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(match self {
            Self::Older => "older",
            Self::Equal => "equal",
            Self::Newer => "newer",
            Self::Unknown => "unknown",
        })
    }
}

#[cfg(test)]
mod tests;
