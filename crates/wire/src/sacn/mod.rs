//! Streaming ACN (ANSI E1.31): levels by multicast, and who sends which universe.
//!
//! Every message starts with the root layer, lengths and offsets in bytes:
//!
//! ```text
//!  0  2  00 10     preamble size        16  2  flags 0x7, length from here
//!  2  2  00 00     postamble size       18  4  vector: 4 data, 8 extended
//!  4 12  "ASC-E1.17", padded            22 16  CID of the sender
//! ```

mod data;
mod discovery;

use std::net::Ipv4Addr;

use crate::acn::PREAMBLE;
use crate::{Layer, WireError};

pub use crate::acn::Cid;
pub use data::{Data, Options};
pub use discovery::Discovery;

/// The UDP port of every message.
pub const PORT: u16 = 5568;
/// The universe on which sources tell their universes (section 8.2).
pub const DISCOVERY_UNIVERSE: u16 = 64_214;
/// The start code of levels; 0xdd, for one, tells priorities of single slots.
pub const LEVELS: u8 = 0;
/// The highest priority there is (E1.31, section 6.2.3); what is above is reserved.
pub const HIGHEST_PRIORITY: u8 = 200;

const ROOT: usize = 38;
const VECTOR_DATA: u32 = 4;
const VECTOR_EXTENDED: u32 = 8;

/// The group that carries a universe (section 9.3.1).
#[must_use]
pub const fn group(universe: u16) -> Ipv4Addr {
    let [high, low] = universe.to_be_bytes();
    Ipv4Addr::new(239, 255, high, low)
}

/// A message of a kind that is understood.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Message<'a> {
    /// Levels of one universe.
    Data(Data<'a>),
    /// Which universes a source sends.
    Discovery(Discovery),
    /// Of another kind: synchronisation, or one to come.
    Other {
        /// Its sender.
        cid: Cid,
    },
}

impl<'a> Message<'a> {
    /// Reads a datagram.
    ///
    /// # Errors
    /// When it is no E1.31, or a length in it runs past its end.
    pub fn parse(datagram: &'a [u8]) -> Result<Self, WireError> {
        let root = at_least(datagram, Layer::SacnRoot, 0, ROOT)?;
        if root[..16] != PREAMBLE {
            return Err(WireError::Foreign { layer: Layer::SacnRoot });
        }
        let whole = pdu(datagram, Layer::SacnRoot, 16)?;
        let cid = Cid(core::array::from_fn(|i| root[22 + i]));
        match u32::from_be_bytes([root[18], root[19], root[20], root[21]]) {
            VECTOR_DATA => Data::parse(cid, whole).map(Message::Data),
            VECTOR_EXTENDED => match Discovery::parse(cid, whole)? {
                Some(discovery) => Ok(Message::Discovery(discovery)),
                None => Ok(Message::Other { cid }),
            },
            _ => Ok(Message::Other { cid }),
        }
    }
}

/// The datagram up to the end of the block that states its length at `offset`.
fn pdu(datagram: &[u8], layer: Layer, offset: usize) -> Result<&[u8], WireError> {
    let head = at_least(datagram, layer, offset, 2)?;
    let length = usize::from(u16::from_be_bytes([head[0], head[1]]) & 0x0fff);
    let available = datagram.len() - offset;
    datagram.get(..offset + length).ok_or(WireError::Short { layer, offset, needed: length, available })
}

fn at_least(datagram: &[u8], layer: Layer, offset: usize, needed: usize) -> Result<&[u8], WireError> {
    let available = datagram.len().saturating_sub(offset);
    let short = WireError::Short { layer, offset, needed, available };
    datagram.get(offset..offset + needed).ok_or(short)
}

/// A root layer in front of a framing layer of `length` bytes.
fn root(cid: Cid, vector: u32, length: usize) -> Vec<u8> {
    let mut out = Vec::with_capacity(ROOT + length);
    out.extend(PREAMBLE);
    out.extend(flags_and_length(ROOT - 16 + length));
    out.extend(vector.to_be_bytes());
    out.extend(cid.0);
    out
}

fn flags_and_length(length: usize) -> [u8; 2] {
    // Twelve bits; the longest message has 1144 bytes.
    (0x7000 | u16::try_from(length & 0x0fff).unwrap_or(0)).to_be_bytes()
}
