//! Which universes a source sends (E1.31, sections 6.4 and 8).
//!
//! ```text
//!  38  2  flags, length      112  2  flags, length     119  1  last page
//!  40  4  vector 2           114  4  vector 1          120     universes, two bytes each,
//!  44 64  source name        118  1  page, from 0              up to 512 in rising order
//! 108  4  reserved
//! ```

use super::{Cid, VECTOR_EXTENDED, at_least, flags_and_length, pdu, root};
use crate::{Layer, Text, WireError};

const FRAMING: usize = 38;
const LIST: usize = 112;
const UNIVERSES: usize = 120;

/// One page of a source's universes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Discovery {
    /// The sender.
    pub cid: Cid,
    /// What the sender calls itself.
    pub source: Text<64>,
    /// This page, from 0.
    pub page: u8,
    /// The last page.
    pub last_page: u8,
    /// The universes on it.
    pub universes: Vec<u16>,
}

impl Discovery {
    /// The most universes on a page.
    pub const MOST: usize = 512;

    /// `None` for another kind of extended message.
    pub(super) fn parse(cid: Cid, datagram: &[u8]) -> Result<Option<Self>, WireError> {
        let layer = Layer::SacnDiscovery;
        let head = at_least(datagram, layer, FRAMING, 6)?;
        if head[2..6] != [0, 0, 0, 2] {
            return Ok(None);
        }
        let framing = at_least(datagram, layer, FRAMING, UNIVERSES - FRAMING)?;
        let byte = |at: usize| framing[at - FRAMING];
        let list = pdu(datagram, layer, LIST)?;
        if [byte(114), byte(115), byte(116), byte(117)] != [0, 0, 0, 1] {
            return Err(WireError::Foreign { layer });
        }
        let universes = list.get(UNIVERSES..).unwrap_or_default();
        if universes.len() % 2 != 0 || universes.len() / 2 > Self::MOST {
            return Err(WireError::Foreign { layer });
        }
        Ok(Some(Self {
            cid,
            source: Text::from_wire(core::array::from_fn(|i| byte(44 + i))),
            page: byte(118),
            last_page: byte(119),
            universes: universes.chunks_exact(2).map(|pair| u16::from_be_bytes([pair[0], pair[1]])).collect(),
        }))
    }

    /// The message as bytes. Universes past the 512th are left out.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let universes = &self.universes[..self.universes.len().min(Self::MOST)];
        let length = UNIVERSES - FRAMING + 2 * universes.len();
        let mut out = root(self.cid, VECTOR_EXTENDED, length);
        out.extend(flags_and_length(length));
        out.extend([0, 0, 0, 2]);
        out.extend(self.source.as_wire());
        out.extend([0; 4]);
        out.extend(flags_and_length(UNIVERSES - LIST + 2 * universes.len()));
        out.extend([0, 0, 0, 1, self.page, self.last_page]);
        out.extend(universes.iter().flat_map(|universe| universe.to_be_bytes()));
        out
    }
}
