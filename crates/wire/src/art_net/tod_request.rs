//! ArtTodRequest: a controller asks for the tables of RDM devices (Art-Net 4, section "ArtTodRequest").
//!
//! ```text
//! 21  1  net
//! 22  1  command, 0: all of the table
//! 23  1  how many universes, at most 32
//! 24  32 of each the low byte of its Port-Address
//! ```

use core::fmt;

use super::{OpCode, header};
use crate::WireError;

/// Sent to everybody, or to one node; each gateway with a port of one of these universes answers with its table. Nothing
/// happens on the cables behind it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TodRequest {
    /// The net that all of them are in.
    pub net: u8,
    /// What is wanted; 0 all of the table.
    pub command: u8,
    /// Of each universe the sub-net and the universe in one byte; at most [`TodRequest::MOST`].
    pub addresses: Vec<u8>,
}

impl TodRequest {
    /// Length of the message, in bytes.
    pub const LENGTH: usize = 56;
    /// The most universes in one request.
    pub const MOST: usize = 32;
    /// Tell all of the table.
    pub const FULL: u8 = 0;

    /// Reads an ArtTodRequest. A count past the end of the list is taken for all of it.
    ///
    /// # Errors
    /// When the datagram is none, or ends before its list does.
    pub fn parse(datagram: &[u8]) -> Result<Self, WireError> {
        let m = header::open::<24>(datagram, OpCode::TOD_REQUEST)?;
        let count = usize::from(m[23]).min(Self::MOST);
        let addresses = datagram
            .get(24..24 + count)
            .ok_or_else(|| header::short(datagram, OpCode::TOD_REQUEST, 24 + count))?
            .to_vec();
        Ok(Self { net: m[21], command: m[22], addresses })
    }

    /// The message as bytes. More universes than fit are left out.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut out = vec![0; Self::LENGTH];
        header::emit_versioned(&mut out, OpCode::TOD_REQUEST);
        let told = &self.addresses[..self.addresses.len().min(Self::MOST)];
        out[21] = self.net;
        out[22] = self.command;
        out[23] = u8::try_from(told.len()).unwrap_or(0);
        out[24..24 + told.len()].copy_from_slice(told);
        out
    }
}

impl fmt::Display for TodRequest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "ArtTodRequest: net {}, {} universes", self.net, self.addresses.len())
    }
}
