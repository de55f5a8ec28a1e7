//! ArtDmx: levels of one universe (Art-Net 4, section "ArtDmx").
//!
//! ```text
//! 12  1  sequence, 0 = not counted
//! 13  1  the sender's own port
//! 14  2  Port-Address, little-endian, 15 bits
//! 16  2  how many levels, 2 to 512, even
//! 18  …  the levels
//! ```

use core::fmt;

use super::{OpCode, header};
use crate::{Layer, WireError};

/// Levels of one universe from one source; sent to every node that listens to it, or to everybody.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Dmx<'a> {
    /// Counts messages from 1 to 255; 0 where the source does not count.
    pub sequence: u8,
    /// The sender's port, for information only.
    pub physical: u8,
    /// The Port-Address, 0 to 32767.
    pub port_address: u16,
    /// Up to 512 levels. An odd count is against the standard, and is read all the same.
    pub slots: &'a [u8],
}

/// Length of all before the levels, in bytes.
const HEADER: usize = 18;

impl<'a> Dmx<'a> {
    /// The most levels.
    pub const MOST: usize = 512;

    /// Reads an ArtDmx.
    ///
    /// # Errors
    /// When the datagram is none, ends before its levels do, or states more than 512 of them.
    pub fn parse(datagram: &'a [u8]) -> Result<Self, WireError> {
        let head = header::open::<HEADER>(datagram, OpCode::DMX)?;
        let count = usize::from(u16::from_be_bytes([head[16], head[17]]));
        if count > Self::MOST {
            return Err(WireError::Foreign { layer: Layer::ArtNet(OpCode::DMX) });
        }
        let slots = datagram
            .get(HEADER..HEADER + count)
            .ok_or_else(|| header::short(datagram, OpCode::DMX, HEADER + count))?;
        Ok(Self {
            sequence: head[12],
            physical: head[13],
            port_address: u16::from_le_bytes([head[14], head[15]]) & 0x7fff,
            slots,
        })
    }

    /// The message as bytes: an even number of levels, the missing one zero; those past the 512th are left out.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let slots = &self.slots[..self.slots.len().min(Self::MOST)];
        let count = slots.len().next_multiple_of(2).max(2);
        let mut out = vec![0; HEADER + count];
        header::emit_versioned(&mut out, OpCode::DMX);
        out[12] = self.sequence;
        out[13] = self.physical;
        out[14..16].copy_from_slice(&(self.port_address & 0x7fff).to_le_bytes());
        out[16..18].copy_from_slice(&u16::try_from(count).unwrap_or(0).to_be_bytes());
        out[HEADER..HEADER + slots.len()].copy_from_slice(slots);
        out
    }
}

impl fmt::Display for Dmx<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "ArtDmx: universe {}, {} levels", self.port_address, self.slots.len())?;
        if self.sequence == 0 { Ok(()) } else { write!(f, ", number {}", self.sequence) }
    }
}
