//! RDM packet transport (E1.33, section 7.5): RDM from and to the endpoints of devices, through the broker.
//!
//! ```text
//!  0  3  flags, length          13  6  for whom               25  1  reserved
//!  3  4  1 request, 2 status,   19  2  for which endpoint     26  3  flags, length
//!        3 notification         21  4  sequence               29     vector and data
//!  7  6  from whom
//! 13  2  from which endpoint
//! ```
//! (Offsets behind the sender's endpoint are two more.) A request carries one RDM message, a notification the request again and
//! then the answers, a status a code and a text.

use super::pdu::{only, short, split, take, written};
use crate::rdm::{self, Uid};
use crate::{Layer, WireError};

/// One end of a message.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct End {
    /// Who.
    pub uid: Uid,
    /// Which of its endpoints; 0 is the device itself, 1 and on its ports.
    pub endpoint: u16,
}

/// A message.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Rpt {
    /// From whom.
    pub from: End,
    /// For whom.
    pub to: End,
    /// Ties an answer to its question; 0 for what nobody asked.
    pub sequence: u32,
    /// What is said.
    pub content: RptContent,
}

/// What is said.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum RptContent {
    /// A question or an order.
    Request(rdm::Message),
    /// Why there is no answer.
    Status {
        /// The code (appendix A, "RPT status codes").
        code: StatusCode,
        /// What it means, in words of whoever tells it.
        text: String,
    },
    /// The request again, where there was one, and the answers: all parts of a long one.
    Notification(Vec<rdm::Message>),
}

/// Why there is no answer (appendix A, "RPT status codes").
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct StatusCode(pub u16);

impl core::fmt::Display for StatusCode {
    fn fmt(&self, f: &mut core::fmt::Formatter<'_>) -> core::fmt::Result {
        f.write_str(match self.0 {
            1 => "nobody is connected who has this identifier",
            2 => "it took too long",
            3 => "its answer could not be read",
            4 => "nobody behind the endpoint has this identifier",
            5 => "it has no such endpoint",
            6 => "the broadcast is done",
            7 => "it knows no such vector",
            8 => "the message is not well formed",
            9 => "this command is not allowed there",
            other => return write!(f, "status {other}"),
        })
    }
}

/// Everybody who controls.
pub const ALL_CONTROLLERS: Uid = Uid([0xff, 0xfc, 0xff, 0xff, 0xff, 0xff]);
/// Every device.
pub const ALL_DEVICES: Uid = Uid([0xff, 0xfd, 0xff, 0xff, 0xff, 0xff]);

const REQUEST: u32 = 1;
const STATUS: u32 = 2;
const NOTIFICATION: u32 = 3;
/// The vector of what a request or notification holds.
const COMMANDS: u32 = 1;
/// The vector of one RDM message.
const RDM: u32 = 0xcc;
/// The most bytes of a status text that are read (section 7.6.3).
const MOST_TEXT: usize = 1024;
/// The most RDM messages of one notification that are read.
const MOST_MESSAGES: usize = 512;

impl Rpt {
    pub(super) fn parse(bytes: &[u8]) -> Result<Self, WireError> {
        let block = only(bytes, 4)?;
        let mut data = block.data;
        let mut end = || -> Result<End, WireError> {
            Ok(End { uid: Uid(*take(&mut data)?), endpoint: u16::from_be_bytes(*take(&mut data)?) })
        };
        let (from, to) = (end()?, end()?);
        let sequence = u32::from_be_bytes(*take(&mut data)?);
        take::<1>(&mut data)?;
        let content = match block.vector {
            REQUEST => match &messages(data)?[..] {
                [only] => RptContent::Request(only.clone()),
                _ => return Err(WireError::Foreign { layer: Layer::RdmNet }),
            },
            STATUS => {
                let status = only(data, 2)?;
                let code = StatusCode(u16::try_from(status.vector).unwrap_or(u16::MAX));
                let text = String::from_utf8_lossy(&status.data[..status.data.len().min(MOST_TEXT)]).into_owned();
                RptContent::Status { code, text }
            }
            NOTIFICATION => RptContent::Notification(messages(data)?),
            _ => return Err(WireError::Foreign { layer: Layer::RdmNet }),
        };
        Ok(Self { from, to, sequence, content })
    }

    pub(super) fn to_bytes(&self) -> Vec<u8> {
        let commands = |all: &[rdm::Message]| {
            let each = all.iter().flat_map(|message| written(RDM, 1, &message.to_bytes_without_start()));
            written(COMMANDS, 4, &each.collect::<Vec<u8>>())
        };
        let (vector, inside) = match &self.content {
            RptContent::Request(message) => (REQUEST, commands(std::slice::from_ref(message))),
            RptContent::Status { code, text } => (STATUS, written(code.0.into(), 2, text.as_bytes())),
            RptContent::Notification(all) => (NOTIFICATION, commands(all)),
        };
        let end = |end: End| [&end.uid.0[..], &end.endpoint.to_be_bytes()].concat();
        let data = [end(self.from), end(self.to), self.sequence.to_be_bytes().to_vec(), vec![0], inside].concat();
        written(vector, 4, &data)
    }
}

fn messages(bytes: &[u8]) -> Result<Vec<rdm::Message>, WireError> {
    let block = only(bytes, 4)?;
    if block.vector != COMMANDS {
        return Err(WireError::Foreign { layer: Layer::RdmNet });
    }
    let (mut rest, mut all) = (block.data, Vec::new());
    while !rest.is_empty() {
        let (message, behind) = split(rest, 1)?;
        if message.vector != RDM || all.len() >= MOST_MESSAGES {
            return Err(WireError::Foreign { layer: Layer::RdmNet });
        }
        all.push(rdm::Message::parse_without_start(message.data)?);
        rest = behind;
    }
    if all.is_empty() { Err(short(1, 0)) } else { Ok(all) }
}
