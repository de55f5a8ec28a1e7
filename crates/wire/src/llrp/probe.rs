//! The question who is there (E1.33, section 5.4.2.1).
//!
//! ```text
//!  0  6  lowest identifier asked      12  2  filter
//!  6  6  highest identifier asked     14     identifiers already known, six bytes each: they stay silent
//! ```

use core::fmt;

use super::HEAD;
use crate::rdm::Uid;
use crate::{Layer, WireError};

const FIXED: usize = 14;

/// Asks everybody within a range of identifiers, but for those known already.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Probe {
    /// The lowest identifier asked.
    pub lowest: Uid,
    /// The highest.
    pub highest: Uid,
    /// Who of them.
    pub filter: Filter,
    /// Who is known already, at most [`Probe::MOST_KNOWN`].
    pub known: Vec<Uid>,
}

/// Who is to answer: bit 0 only those without a connection to a broker, bit 1 only brokers.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Filter(pub u16);

impl Filter {
    /// Everybody.
    pub const NONE: Self = Self(0);
    /// Only those without a connection to a broker.
    pub const UNCONNECTED: Self = Self(1);
    /// Only brokers.
    pub const BROKERS: Self = Self(2);
}

impl Probe {
    /// The most identifiers that can be listed as known.
    pub const MOST_KNOWN: usize = 200;

    pub(super) fn parse(data: &[u8]) -> Result<Self, WireError> {
        let layer = Layer::Llrp;
        let short = WireError::Short { layer, offset: HEAD, needed: FIXED, available: data.len() };
        let fixed: &[u8; FIXED] = data.first_chunk().ok_or(short)?;
        let known = &data[FIXED..];
        if !known.len().is_multiple_of(6) || known.len() / 6 > Self::MOST_KNOWN {
            return Err(WireError::Foreign { layer });
        }
        let uid = |bytes: &[u8]| Uid(core::array::from_fn(|i| bytes[i]));
        Ok(Self {
            lowest: uid(&fixed[..6]),
            highest: uid(&fixed[6..12]),
            filter: Filter(u16::from_be_bytes([fixed[12], fixed[13]])),
            known: known.chunks_exact(6).map(uid).collect(),
        })
    }

    /// What is known past the 200th is left out.
    pub(super) fn to_bytes(&self) -> Vec<u8> {
        let known = &self.known[..self.known.len().min(Self::MOST_KNOWN)];
        let mut out = Vec::with_capacity(FIXED + 6 * known.len());
        out.extend(self.lowest.0);
        out.extend(self.highest.0);
        out.extend(self.filter.0.to_be_bytes());
        out.extend(known.iter().flat_map(|uid| uid.0));
        out
    }

    /// Whether this one is asked.
    #[must_use]
    pub fn asks(&self, uid: Uid) -> bool {
        (self.lowest..=self.highest).contains(&uid) && !self.known.contains(&uid)
    }
}

impl fmt::Display for Probe {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "LLRP probe from {} to {}, {} known", self.lowest, self.highest, self.known.len())
    }
}
