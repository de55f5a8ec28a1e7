//! ArtRdm: one RDM message on its way to a port, or back from it (Art-Net 4, section "ArtRdm").
//!
//! ```text
//! 12  1  RDM version, 1
//! 19  1  room left in the gateway's queue
//! 20  1  room there is in all; 0 where it is not told
//! 21  1  net
//! 22  1  command, 0: process
//! 23  1  low byte of the Port-Address
//! 24  …  the RDM message without its start code, checksum included
//! ```

use core::fmt;

use super::{OpCode, header};
use crate::WireError;
use crate::rdm::Message;

/// A request goes to one gateway, its answer comes back to whoever asked.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Rdm {
    /// Which version of RDM it speaks.
    pub rdm_version: u8,
    /// The room left in the gateway's queue, and all there is; 0 where it is not told.
    pub room: [u8; 2],
    /// The net of the port's universe.
    pub net: u8,
    /// What is to be done; 0 process it.
    pub command: u8,
    /// Sub-net and universe in one byte.
    pub address: u8,
    /// What it carries.
    pub message: Message,
}

impl Rdm {
    const HEAD: usize = 24;

    /// A message for the port of this Port-Address.
    #[must_use]
    pub const fn new(port_address: u16, message: Message) -> Self {
        let [net, address] = port_address.to_be_bytes();
        Self { rdm_version: 1, room: [0; 2], net, command: 0, address, message }
    }

    /// Reads an ArtRdm.
    ///
    /// # Errors
    /// When the datagram is none, or what it carries is no RDM message, cut, or damaged.
    pub fn parse(datagram: &[u8]) -> Result<Self, WireError> {
        let m = header::open::<{ Self::HEAD }>(datagram, OpCode::RDM)?;
        Ok(Self {
            rdm_version: m[12],
            room: [m[19], m[20]],
            net: m[21],
            command: m[22],
            address: m[23],
            message: Message::parse_without_start(&datagram[Self::HEAD..])?,
        })
    }

    /// The Port-Address of the universe.
    #[must_use]
    pub const fn port_address(&self) -> u16 {
        u16::from_be_bytes([self.net, self.address])
    }

    /// The message as bytes.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut out = vec![0; Self::HEAD];
        header::emit_versioned(&mut out, OpCode::RDM);
        out[12] = self.rdm_version;
        out[19..21].copy_from_slice(&self.room);
        out[21..24].copy_from_slice(&[self.net, self.command, self.address]);
        out.extend(self.message.to_bytes_without_start());
        out
    }
}

impl fmt::Display for Rdm {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "ArtRdm: universe {}, {}", self.port_address(), self.message)
    }
}
