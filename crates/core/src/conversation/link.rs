//! Links: connections that a conversation has opened for it.

use std::fmt;

use crate::census::Way;

/// A link, by the number that whoever asked for it gave it. Each family counts for itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct LinkId {
    /// The family that asked.
    pub family: Way,
    /// Its number.
    pub number: u32,
}

impl LinkId {
    /// The link of this count among those of one seed. Several talks at a time have theirs.
    pub(crate) const fn nth(family: Way, seed: u32, count: u32) -> Self {
        Self { family, number: (seed ^ count.rotate_left(16)).wrapping_mul(0x0100_0193) }
    }

    /// A seed that tells the links to one from those to others: whoever it is, hashed (FNV-1a) from this mark on.
    pub(crate) fn seed(mark: u32, whom: &[u8]) -> u32 {
        whom.iter().fold(0x811c_9dc5 ^ mark, |hash, byte| (hash ^ u32::from(*byte)).wrapping_mul(0x0100_0193))
    }
}

/// What becomes of a link.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LinkNews<'a> {
    /// The other side has taken it.
    Opened,
    /// It said this; where a message begins and ends, the family knows.
    Bytes(&'a [u8]),
    /// It is over. Nothing more comes, and nothing more can be written.
    Closed(LinkEnd),
}

/// Why a link is over.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LinkEnd {
    /// Nobody listens there.
    Refused,
    /// Nobody answers there.
    Silent,
    /// The other side closed it.
    Finished,
    /// It was torn.
    Torn,
}

impl fmt::Display for LinkEnd {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Refused => "nobody listens there",
            Self::Silent => "nobody answers there",
            Self::Finished => "the other side closed it",
            Self::Torn => "it was torn",
        })
    }
}
