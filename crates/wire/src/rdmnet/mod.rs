//! RDMnet (ANSI E1.33, sections 4, 6 and 7): RDM over TCP, through a broker.
//!
//! ```text
//!  0 12  "ASC-E1.17", padded      16  3  flags 0xf, length    23 16  CID of the sender
//! 12  4  length of what follows   19  4  9 broker, 5 RPT      39     the message
//! ```

mod broker;
mod pdu;
mod rpt;

use crate::acn::Cid;
use crate::{Layer, WireError};

pub use broker::{Broker, Client, ClientKind, Connect, ConnectCode, SCOPE};
pub use rpt::{ALL_CONTROLLERS, ALL_DEVICES, End, Rpt, RptContent, StatusCode};

/// What every message begins with.
const PREAMBLE: [u8; 12] = *b"ASC-E1.17\0\0\0";
const HEAD: usize = 16;
/// The longest message that is read: a list of some thousand clients.
const MOST: usize = 128 * 1024;
const BROKER: u32 = 9;
const RPT: u32 = 5;

/// A message.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Message {
    /// Who sends.
    pub from: Cid,
    /// What.
    pub content: Content,
}

/// What is said.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Content {
    /// Between a client and its broker.
    Broker(Broker),
    /// RDM, and what became of it.
    Rpt(Rpt),
}

impl Message {
    /// The first message of a stream, and how many bytes it took; `None` while more is to come.
    ///
    /// # Errors
    /// When the stream holds something else, or a message that cannot be read; [`Message::framed`] says how long that is.
    pub fn take(stream: &[u8]) -> Result<Option<(Self, usize)>, WireError> {
        let Some(length) = Self::framed(stream)? else { return Ok(None) };
        Ok(Some((Self::of_block(&stream[HEAD..length])?, length)))
    }

    /// How many bytes the first message of a stream takes, whether it can be read or not; `None` while more is to come.
    ///
    /// # Errors
    /// When the stream holds something else: where the next message begins is not known then.
    pub fn framed(stream: &[u8]) -> Result<Option<usize>, WireError> {
        let foreign = WireError::Foreign { layer: Layer::RdmNet };
        let seen = stream.len().min(PREAMBLE.len());
        if stream[..seen] != PREAMBLE[..seen] {
            return Err(foreign);
        }
        let Some(head) = stream.first_chunk::<HEAD>() else { return Ok(None) };
        let length = u32::from_be_bytes([head[12], head[13], head[14], head[15]]);
        let length = usize::try_from(length).unwrap_or(usize::MAX);
        if length > MOST {
            return Err(foreign);
        }
        Ok((stream.len() >= HEAD + length).then_some(HEAD + length))
    }

    fn of_block(block: &[u8]) -> Result<Self, WireError> {
        let root = pdu::only(block, 4)?;
        let mut data = root.data;
        let from = Cid(*pdu::take(&mut data)?);
        let content = match root.vector {
            BROKER => Content::Broker(Broker::parse(data)?),
            RPT => Content::Rpt(Rpt::parse(data)?),
            _ => return Err(WireError::Foreign { layer: Layer::RdmNet }),
        };
        Ok(Self { from, content })
    }

    /// The message as bytes.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let (vector, inside) = match &self.content {
            Content::Broker(broker) => (BROKER, broker.to_bytes()),
            Content::Rpt(rpt) => (RPT, rpt.to_bytes()),
        };
        let block = pdu::written(vector, 4, &[&self.from.0[..], &inside].concat());
        let length = u32::try_from(block.len()).unwrap_or(u32::MAX);
        [&PREAMBLE[..], &length.to_be_bytes(), &block].concat()
    }
}
