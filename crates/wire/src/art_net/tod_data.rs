//! ArtTodData: a gateway tells the RDM devices on one of its ports (Art-Net 4, section "ArtTodData").
//!
//! ```text
//! 12  1  RDM version, 1
//! 13  1  port on its page, from 1
//! 20  1  bind index
//! 21  1  net
//! 22  1  0: the table, 0xff: there is none
//! 23  1  low byte of the Port-Address
//! 24  2  how many devices there are on the port
//! 26  1  which block of the table this is, from 0
//! 27  1  how many identifiers follow, at most 200
//! 28  6  identifier, for each
//! ```

use core::fmt;

use super::{OpCode, header};
use crate::WireError;
use crate::rdm::Uid;

/// A part of the table of one port. It comes when asked for, and unasked when the table has changed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TodData {
    /// Which version of RDM it speaks.
    pub rdm_version: u8,
    /// The port on its page, from 1.
    pub port: u8,
    /// The page the port is on; 0 counts as 1.
    pub bind_index: u8,
    /// The net of the port's universe.
    pub net: u8,
    /// Whether this is the table: [`TodData::FULL`], or [`TodData::NONE`] where it is not there (yet).
    pub response: u8,
    /// Sub-net and universe in one byte.
    pub address: u8,
    /// How many devices are on the port.
    pub total: u16,
    /// Which part of the table this is, from 0.
    pub block: u8,
    /// Who is there; at most [`TodData::MOST`] in one part.
    pub uids: Vec<Uid>,
}

impl TodData {
    /// The most identifiers in one part.
    pub const MOST: usize = 200;
    /// It is the table.
    pub const FULL: u8 = 0;
    /// There is no table: it is being made, or the port does not speak RDM.
    pub const NONE: u8 = 0xff;

    const HEAD: usize = 28;

    /// Reads an ArtTodData.
    ///
    /// # Errors
    /// When the datagram is none, or ends before its identifiers do.
    pub fn parse(datagram: &[u8]) -> Result<Self, WireError> {
        let m = header::open::<{ Self::HEAD }>(datagram, OpCode::TOD_DATA)?;
        let end = Self::HEAD + 6 * usize::from(m[27]);
        let uids = datagram
            .get(Self::HEAD..end)
            .ok_or_else(|| header::short(datagram, OpCode::TOD_DATA, end))?
            .as_chunks::<6>()
            .0;
        Ok(Self {
            rdm_version: m[12],
            port: m[13],
            bind_index: m[20],
            net: m[21],
            response: m[22],
            address: m[23],
            total: u16::from_be_bytes([m[24], m[25]]),
            block: m[26],
            uids: uids.iter().map(|uid| Uid(*uid)).collect(),
        })
    }

    /// The Port-Address of the universe.
    #[must_use]
    pub const fn port_address(&self) -> u16 {
        u16::from_be_bytes([self.net, self.address])
    }

    /// The message as bytes. More than [`TodData::MOST`] identifiers are left out.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let told = &self.uids[..self.uids.len().min(Self::MOST)];
        let mut out = vec![0; Self::HEAD];
        header::emit_versioned(&mut out, OpCode::TOD_DATA);
        out[12] = self.rdm_version;
        out[13] = self.port;
        out[20] = self.bind_index;
        out[21] = self.net;
        out[22] = self.response;
        out[23] = self.address;
        out[24..26].copy_from_slice(&self.total.to_be_bytes());
        out[26] = self.block;
        out[27] = u8::try_from(told.len()).unwrap_or(0);
        told.iter().for_each(|uid| out.extend(uid.0));
        out
    }
}

impl fmt::Display for TodData {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "ArtTodData: universe {}, ", self.port_address())?;
        match self.response {
            Self::FULL => write!(f, "{} of {} devices, part {}", self.uids.len(), self.total, self.block),
            _ => f.write_str("no table"),
        }
    }
}
