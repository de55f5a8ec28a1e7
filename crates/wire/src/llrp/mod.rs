//! Low level recovery protocol (ANSI E1.33, section 5): devices are found, and their addresses set, in any subnet.
//!
//! Every message is a root layer, a layer that says whom it is for, and one block of data. Lengths are three bytes, the top
//! four bits flags, and count from their own first byte:
//!
//! ```text
//!  0 16  preamble, "ASC-E1.17"     39  3  flags 0xf, length      66  3  flags 0xf, length
//! 16  3  flags 0xf, length         42  4  vector: 1 probe,       69  1  vector: 1 a probe or its answer,
//! 19  4  vector 10                        2 answer, 3 RDM               0xcc RDM
//! 23 16  CID of the sender         46 16  CID of whom it is for  70     the data
//!                                  62  4  transaction
//! ```

mod probe;
mod reply;

use core::fmt;
use std::net::Ipv4Addr;

use crate::acn::{Cid, PREAMBLE};
use crate::{Layer, WireError, rdm};

pub use probe::{Filter, Probe};
pub use reply::{Component, ProbeReply};

/// The UDP port of every message.
pub const PORT: u16 = 5569;
/// Where managers send to: targets listen there.
pub const TARGETS: Ipv4Addr = Ipv4Addr::new(239, 255, 250, 133);
/// Where targets answer to: managers listen there.
pub const MANAGERS: Ipv4Addr = Ipv4Addr::new(239, 255, 250, 134);
/// The CID that means everybody.
pub const EVERYBODY: Cid =
    Cid([0xfb, 0xad, 0x82, 0x2c, 0xbd, 0x0c, 0x4d, 0x4c, 0xbd, 0xc8, 0x7e, 0xab, 0xeb, 0xc8, 0x5a, 0xff]);

const HEAD: usize = 70;
const VECTOR_ROOT: u32 = 10;
const VECTOR_PROBE: u32 = 1;
const VECTOR_REPLY: u32 = 2;
const VECTOR_RDM: u32 = 3;
const DATA_PROBE: u8 = 1;
const DATA_RDM: u8 = 0xcc;

/// A message: from whom, for whom, and what.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Message {
    /// Who sends.
    pub from: Cid,
    /// Whom it is for.
    pub to: Cid,
    /// Ties an answer to its question.
    pub transaction: u32,
    /// What is said.
    pub content: Content,
}

/// What a message says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Content {
    /// Who is there?
    Probe(Probe),
    /// I am.
    Reply(ProbeReply),
    /// A question or an order to one device, or its answer.
    Rdm(rdm::Message),
}

impl Message {
    /// Reads a datagram.
    ///
    /// # Errors
    /// When it is no LLRP, a length in it runs past its end, or the RDM in it is damaged.
    pub fn parse(datagram: &[u8]) -> Result<Self, WireError> {
        let layer = Layer::Llrp;
        let head: &[u8; HEAD] = datagram.first_chunk().ok_or_else(|| short(0, HEAD, datagram.len()))?;
        let foreign = WireError::Foreign { layer };
        let vector = |at: usize| u32::from_be_bytes([head[at], head[at + 1], head[at + 2], head[at + 3]]);
        if head[..16] != PREAMBLE || vector(19) != VECTOR_ROOT {
            return Err(foreign);
        }
        let ends = [16, 39, 66].map(|at| at + length_at(head, at));
        // Each layer ends within the one around it.
        if ends[1] > ends[0] || ends[2] > ends[1] || ends[2] < HEAD {
            return Err(foreign);
        }
        let whole = datagram.get(..ends[0]).ok_or_else(|| short(16, ends[0] - 16, datagram.len() - 16))?;
        let data = &whole[HEAD..ends[2]];
        let content = match (vector(42), head[69]) {
            (VECTOR_PROBE, DATA_PROBE) => Content::Probe(Probe::parse(data)?),
            (VECTOR_REPLY, DATA_PROBE) => Content::Reply(ProbeReply::parse(data)?),
            (VECTOR_RDM, DATA_RDM) => Content::Rdm(rdm::Message::parse_without_start(data)?),
            _ => return Err(foreign),
        };
        let cid = |at: usize| Cid(core::array::from_fn(|i| head[at + i]));
        Ok(Self { from: cid(23), to: cid(46), transaction: vector(62), content })
    }

    /// The message as bytes.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let (vector, data_vector, data) = match &self.content {
            Content::Probe(probe) => (VECTOR_PROBE, DATA_PROBE, probe.to_bytes()),
            Content::Reply(reply) => (VECTOR_REPLY, DATA_PROBE, reply.to_bytes()),
            Content::Rdm(message) => (VECTOR_RDM, DATA_RDM, message.to_bytes_without_start()),
        };
        let end = HEAD + data.len();
        let mut out = Vec::with_capacity(end);
        out.extend(PREAMBLE);
        out.extend(flags_and_length(end - 16));
        out.extend(VECTOR_ROOT.to_be_bytes());
        out.extend(self.from.0);
        out.extend(flags_and_length(end - 39));
        out.extend(vector.to_be_bytes());
        out.extend(self.to.0);
        out.extend(self.transaction.to_be_bytes());
        out.extend(flags_and_length(end - 66));
        out.push(data_vector);
        out.extend(data);
        out
    }
}

impl fmt::Display for Message {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.content {
            Content::Probe(probe) => probe.fmt(f),
            Content::Reply(reply) => reply.fmt(f),
            Content::Rdm(message) => write!(f, "LLRP {message}"),
        }
    }
}

fn length_at(head: &[u8; HEAD], at: usize) -> usize {
    (usize::from(head[at] & 0x0f) << 16) | (usize::from(head[at + 1]) << 8) | usize::from(head[at + 2])
}

fn flags_and_length(length: usize) -> [u8; 3] {
    // Twenty bits; the longest message has some 1300 bytes.
    let [_, a, b, c] = u32::try_from(length & 0x000f_ffff).unwrap_or(0).to_be_bytes();
    [0xf0 | a, b, c]
}

fn short(offset: usize, needed: usize, available: usize) -> WireError {
    WireError::Short { layer: Layer::Llrp, offset, needed, available }
}
