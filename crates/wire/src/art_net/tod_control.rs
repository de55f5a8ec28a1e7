//! ArtTodControl: a controller lets a gateway search its cable anew (Art-Net 4, section "ArtTodControl").
//!
//! ```text
//! 21  1  net
//! 22  1  command: 1 forget the table and search, 2 stop searching, 3 search for what is new
//! 23  1  low byte of the Port-Address
//! ```

use core::fmt;

use super::{OpCode, header};
use crate::WireError;

/// Takes the cable's time while a show runs: never sent without being told.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct TodControl {
    /// The net of the universe.
    pub net: u8,
    /// What is to be done.
    pub command: u8,
    /// Sub-net and universe in one byte.
    pub address: u8,
}

impl TodControl {
    /// Length of the message, in bytes.
    pub const LENGTH: usize = 24;
    /// Forget the table and search the cable.
    pub const FLUSH: u8 = 1;

    /// Reads an ArtTodControl.
    ///
    /// # Errors
    /// When the datagram is none, or shorter than 24 bytes.
    pub fn parse(datagram: &[u8]) -> Result<Self, WireError> {
        let m = header::open::<{ Self::LENGTH }>(datagram, OpCode::TOD_CONTROL)?;
        Ok(Self { net: m[21], command: m[22], address: m[23] })
    }

    /// The message as bytes.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut out = vec![0; Self::LENGTH];
        header::emit_versioned(&mut out, OpCode::TOD_CONTROL);
        out[21..24].copy_from_slice(&[self.net, self.command, self.address]);
        out
    }
}

impl fmt::Display for TodControl {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let universe = u16::from_be_bytes([self.net, self.address]);
        match self.command {
            Self::FLUSH => write!(f, "ArtTodControl: universe {universe}, search anew"),
            command => write!(f, "ArtTodControl: universe {universe}, command {command}"),
        }
    }
}
