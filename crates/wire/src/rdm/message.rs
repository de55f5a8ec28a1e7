//! One RDM message (E1.20, section 6.2). Numbers are big-endian, offsets in bytes from the start code.
//!
//! ```text
//!  0  1  start code 0xcc           15  1  transaction
//!  1  1  sub-start code 0x01       16  1  port id of a request (from 1), type of a response
//!  2  1  length up to the data     17  1  queued messages
//!  3  6  destination               18  2  sub-device, 0 the root
//!  9  6  source                    20  1  command class
//!                                  21  2  parameter
//!                                  23  1  length of the data, then the data, then two bytes of checksum
//! ```

use core::fmt;

use super::{MOST_DATA, ROOT, Uid};
use crate::{Layer, WireError};

const START: u8 = 0xcc;
const SUB_START: u8 = 0x01;
const HEAD: usize = 24;
const CHECKSUM: usize = 2;

/// What is to be done with a parameter, or was.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Class(pub u8);

/// How a device took a request.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct ResponseType(pub u8);

/// A message.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Message {
    /// Who is meant.
    pub to: Uid,
    /// Who sends.
    pub from: Uid,
    /// Ties a response to its request.
    pub transaction: u8,
    /// The port of whoever asks, from 1; of a response its type.
    pub port_or_response: u8,
    /// How many messages wait to be fetched.
    pub queued: u8,
    /// The sub-device; 0 is the root.
    pub sub_device: u16,
    /// Get, set or discovery, asked or answered.
    pub class: Class,
    /// Which parameter.
    pub parameter: u16,
    /// Its data, at most [`MOST_DATA`] bytes.
    pub data: Vec<u8>,
}

impl Class {
    /// Tell a value.
    pub const GET: Self = Self(0x20);
    /// A value is told.
    pub const GET_RESPONSE: Self = Self(0x21);
    /// Take a value.
    pub const SET: Self = Self(0x30);
    /// A value was taken, or not.
    pub const SET_RESPONSE: Self = Self(0x31);

    /// Whether it answers a request: the odd ones do.
    #[must_use]
    pub const fn is_response(self) -> bool {
        self.0 & 1 == 1
    }
}

impl ResponseType {
    /// Done, or told.
    pub const ACK: Self = Self(0);
    /// It takes time; the data says how long, in tenths of a second.
    pub const ACK_TIMER: Self = Self(1);
    /// Refused; the data says why.
    pub const NACK: Self = Self(2);
    /// Told in part; asked again it tells more.
    pub const ACK_OVERFLOW: Self = Self(3);
}

impl Message {
    /// Reads a message with its start code and checksum.
    ///
    /// # Errors
    /// When it is no RDM, shorter than it says, or damaged.
    pub fn parse(bytes: &[u8]) -> Result<Self, WireError> {
        match bytes.first() {
            Some(&START) => Self::parse_without_start(&bytes[1..]),
            Some(_) => Err(WireError::Foreign { layer: Layer::Rdm }),
            None => Err(short(0, HEAD + CHECKSUM, 0)),
        }
    }

    /// Reads a message as other protocols carry it: without its start code, with its checksum.
    ///
    /// # Errors
    /// When it is no RDM, shorter than it says, or damaged.
    pub fn parse_without_start(bytes: &[u8]) -> Result<Self, WireError> {
        let available = bytes.len();
        let head: &[u8; HEAD - 1] = bytes.first_chunk().ok_or_else(|| short(0, HEAD - 1, available))?;
        let at = |offset: usize| head[offset - 1];
        let length = usize::from(at(2));
        let data = usize::from(at(23));
        if at(1) != SUB_START || length != HEAD + data || data > MOST_DATA {
            return Err(WireError::Foreign { layer: Layer::Rdm });
        }
        let needed = length - 1 + CHECKSUM;
        let whole = bytes.get(..needed).ok_or_else(|| short(0, needed, available))?;
        let (message, stated) = whole.split_at(length - 1);
        if checksum(message).to_be_bytes() != *stated {
            return Err(WireError::Damaged { layer: Layer::Rdm });
        }
        let uid = |from: usize| Uid(core::array::from_fn(|i| at(from + i)));
        let number = |from: usize| u16::from_be_bytes([at(from), at(from + 1)]);
        Ok(Self {
            to: uid(3),
            from: uid(9),
            transaction: at(15),
            port_or_response: at(16),
            queued: at(17),
            sub_device: number(18),
            class: Class(at(20)),
            parameter: number(21),
            data: message[HEAD - 1..].to_vec(),
        })
    }

    /// A request to the root of a device.
    #[must_use]
    pub const fn request(
        to: Uid,
        from: Uid,
        transaction: u8,
        class: Class,
        parameter: u16,
        data: Vec<u8>,
    ) -> Self {
        let (port_or_response, queued, sub_device) = (1, 0, ROOT);
        Self { to, from, transaction, port_or_response, queued, sub_device, class, parameter, data }
    }

    /// The answer to this request.
    #[must_use]
    pub const fn answered(&self, response: ResponseType, data: Vec<u8>) -> Self {
        Self {
            to: self.from,
            from: self.to,
            port_or_response: response.0,
            class: Class(self.class.0 | 1),
            data,
            ..*self
        }
    }

    /// How a device took a request; `None` for a request.
    #[must_use]
    pub const fn response(&self) -> Option<ResponseType> {
        if self.class.is_response() { Some(ResponseType(self.port_or_response)) } else { None }
    }

    /// The message with its start code and checksum. Data past [`MOST_DATA`] bytes is left out.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        [&[START][..], &self.to_bytes_without_start()].concat()
    }

    /// The message as other protocols carry it.
    #[must_use]
    pub fn to_bytes_without_start(&self) -> Vec<u8> {
        let data = &self.data[..self.data.len().min(MOST_DATA)];
        let count = u8::try_from(data.len()).unwrap_or(0);
        let mut out = vec![SUB_START, count + 24];
        out.extend(self.to.0);
        out.extend(self.from.0);
        out.extend([self.transaction, self.port_or_response, self.queued]);
        out.extend(self.sub_device.to_be_bytes());
        out.push(self.class.0);
        out.extend(self.parameter.to_be_bytes());
        out.push(count);
        out.extend(data);
        out.extend(checksum(&out).to_be_bytes());
        out
    }
}

fn short(offset: usize, needed: usize, available: usize) -> WireError {
    WireError::Short { layer: Layer::Rdm, offset, needed, available }
}

/// The sum of all bytes, start code included.
fn checksum(without_start: &[u8]) -> u16 {
    without_start.iter().fold(u16::from(START), |sum, byte| sum.wrapping_add(u16::from(*byte)))
}

impl fmt::Display for Message {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let doing = match self.class {
            Class::GET => "get",
            Class::GET_RESPONSE => "told",
            Class::SET => "set",
            Class::SET_RESPONSE => "taken",
            _ => "other",
        };
        write!(f, "RDM {doing} {:04x} from {} to {}", self.parameter, self.from, self.to)
    }
}
