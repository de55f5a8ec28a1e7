//! Art-Net's Port-Address (Art-Net 4, section "Universe addressing").

use std::fmt;
use std::str::FromStr;

use super::{DeskBase, OutOfRange, Universe, UniverseError};

/// Fifteen bits: net (0–127), sub (0–15), universe (0–15). Counts from 0 to 32767.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct PortAddress(u16);

impl PortAddress {
    /// The highest Port-Address.
    pub const LAST: Self = Self(0x7fff);

    /// From the combined number.
    ///
    /// # Errors
    /// When it is above 32767.
    pub fn new(flat: u64) -> Result<Self, OutOfRange> {
        OutOfRange::check("Port-Address", flat, 0, Self::LAST.0).map(Self)
    }

    /// From its three parts.
    ///
    /// # Errors
    /// When net is above 127, or sub or universe above 15.
    pub fn from_parts(net: u64, sub: u64, universe: u64) -> Result<Self, OutOfRange> {
        let net = OutOfRange::check("net", net, 0, 127)?;
        let sub = OutOfRange::check("sub", sub, 0, 15)?;
        let universe = OutOfRange::check("universe", universe, 0, 15)?;
        Ok(Self(net << 8 | sub << 4 | universe))
    }

    /// As a node states it: net and sub of the page, switch of the port. Bits past each part are dropped.
    #[must_use]
    pub const fn from_switches(net: u8, sub: u8, switch: u8) -> Self {
        Self((net as u16 & 0x7f) << 8 | (sub as u16 & 0x0f) << 4 | switch as u16 & 0x0f)
    }

    /// The one so many further on, or back; `None` where there is none.
    #[must_use]
    pub fn shifted(self, by: i32) -> Option<Self> {
        Self::new(u64::try_from(i32::from(self.0).checked_add(by)?).ok()?).ok()
    }

    /// The combined number, 0 to 32767.
    #[must_use]
    pub const fn flat(self) -> u16 {
        self.0
    }

    /// Bits 14–8.
    #[must_use]
    pub const fn net(self) -> u8 {
        (self.0 >> 8) as u8
    }

    /// Bits 7–4.
    #[must_use]
    pub const fn sub(self) -> u8 {
        (self.0 >> 4 & 0x0f) as u8
    }

    /// Bits 3–0.
    #[must_use]
    pub const fn universe(self) -> u8 {
        (self.0 & 0x0f) as u8
    }

    /// Whether two ports can stand on one page of a node: only the last part may differ.
    #[must_use]
    pub const fn shares_page_with(self, other: Self) -> bool {
        self.0 >> 4 == other.0 >> 4
    }
}

impl FromStr for PortAddress {
    type Err = UniverseError;

    /// Reads one as it is shown, or in any notation that is no desk's.
    fn from_str(text: &str) -> Result<Self, UniverseError> {
        Universe::read(text, DeskBase::Zero)?.port_address().ok_or(UniverseError::Unreadable)
    }
}

impl fmt::Display for PortAddress {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let text = format!("{}:{}:{}", self.net(), self.sub(), self.universe());
        f.pad(&text)
    }
}
