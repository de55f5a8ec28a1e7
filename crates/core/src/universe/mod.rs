//! Universes in the notations of both protocols and of the people at the desk.

mod notation;
mod port_address;
mod sacn;

pub use notation::{DeskBase, Universe, UniverseBlock, UniverseError};
pub use port_address::PortAddress;
pub use sacn::SacnUniverse;

/// A number outside what the standard allows.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{part} is {}, but it runs from {first} to {last}", shown(*.value))]
pub struct OutOfRange {
    /// Which number it is: `net`, `sub`, `universe`, `Port-Address`, `sACN universe`.
    pub part: &'static str,
    /// The number given; `u64::MAX` stands for every larger one.
    pub value: u64,
    /// The lowest allowed.
    pub first: u16,
    /// The highest allowed.
    pub last: u16,
}

impl OutOfRange {
    /// `value` as a number from `first` to `last`.
    fn check(part: &'static str, value: u64, first: u16, last: u16) -> Result<u16, Self> {
        u16::try_from(value).ok().filter(|v| (first..=last).contains(v)).ok_or(Self { part, value, first, last })
    }
}

fn shown(value: u64) -> String {
    if value == u64::MAX { "far too large".to_owned() } else { value.to_string() }
}
