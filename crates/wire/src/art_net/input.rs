//! ArtInput: a controller switches the inputs of a page on and off (Art-Net 4, section "ArtInput").
//!
//! ```text
//! 13  1  bind index
//! 14  2  how many ports
//! 16  4  one byte for each input, bit 0: it is off
//! ```

use core::fmt;

use super::{OpCode, header};
use crate::WireError;

/// Sent to one node's own address; the node answers with an ArtPollReply. It is about all four inputs of a page at once.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Input {
    /// The page this is for.
    pub bind_index: u8,
    /// How many ports the page has, 0 to 4.
    pub port_count: u16,
    /// Whether each input is switched off.
    pub off: [bool; 4],
}

impl Input {
    /// Length of the message, in bytes.
    pub const LENGTH: usize = 20;

    /// Reads an ArtInput.
    ///
    /// # Errors
    /// When the datagram is none, or shorter than 20 bytes.
    pub fn parse(datagram: &[u8]) -> Result<Self, WireError> {
        let m = header::open::<{ Self::LENGTH }>(datagram, OpCode::INPUT)?;
        Ok(Self {
            bind_index: m[13],
            port_count: u16::from_be_bytes([m[14], m[15]]),
            off: core::array::from_fn(|i| m[16 + i] & 1 != 0),
        })
    }

    /// Writes the message over the whole of `out`.
    pub fn emit(&self, out: &mut [u8; Self::LENGTH]) {
        header::emit_versioned(out, OpCode::INPUT);
        out[12] = 0;
        out[13] = self.bind_index;
        out[14..16].copy_from_slice(&self.port_count.to_be_bytes());
        out[16..20].copy_from_slice(&self.off.map(u8::from));
    }

    /// The message as bytes of its own.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut out = [0; Self::LENGTH];
        self.emit(&mut out);
        out.to_vec()
    }
}

impl fmt::Display for Input {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "ArtInput: page {}", self.bind_index.max(1))?;
        let off = (1..).zip(self.off).filter(|(_, off)| *off);
        for (number, _) in off {
            write!(f, ", input {number} off")?;
        }
        Ok(())
    }
}
