//! ArtIpProgReply: a node tells its IP settings (Art-Net 4, section "ArtIpProgReply").
//!
//! ```text
//! 16  4  IP address
//! 20  4  subnet mask
//! 24  2  UDP port (obsolete)
//! 26  1  status: bit 6 DHCP in use
//! 28  4  default gateway
//! ```

use core::fmt;
use std::net::Ipv4Addr;

use super::{OpCode, header};
use crate::WireError;

/// The answer to every ArtIpProg, with the settings as they are after it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct IpProgReply {
    /// The node's address.
    pub address: Ipv4Addr,
    /// The node's subnet mask.
    pub mask: Ipv4Addr,
    /// The UDP port: obsolete, carried for a whole round trip.
    pub port: u16,
    /// The status byte.
    pub status: u8,
    /// The node's default gateway; all zero when it has none.
    pub gateway: Ipv4Addr,
}

impl IpProgReply {
    /// Length of the message, in bytes.
    pub const LENGTH: usize = 34;
    /// Bit 6 of the status: the address came by DHCP.
    pub const STATUS_DHCP: u8 = 0x40;

    /// Whether the node takes its address by DHCP.
    #[must_use]
    pub const fn dhcp(&self) -> bool {
        self.status & Self::STATUS_DHCP != 0
    }

    /// Reads an ArtIpProgReply.
    ///
    /// # Errors
    /// When the datagram is none, or shorter than 34 bytes.
    pub fn parse(datagram: &[u8]) -> Result<Self, WireError> {
        let m = header::open::<{ Self::LENGTH }>(datagram, OpCode::IP_PROG_REPLY)?;
        Ok(Self {
            address: Ipv4Addr::new(m[16], m[17], m[18], m[19]),
            mask: Ipv4Addr::new(m[20], m[21], m[22], m[23]),
            port: u16::from_be_bytes([m[24], m[25]]),
            status: m[26],
            gateway: Ipv4Addr::new(m[28], m[29], m[30], m[31]),
        })
    }

    /// Writes the message over the whole of `out`.
    pub fn emit(&self, out: &mut [u8; Self::LENGTH]) {
        header::emit_versioned(out, OpCode::IP_PROG_REPLY);
        out[16..20].copy_from_slice(&self.address.octets());
        out[20..24].copy_from_slice(&self.mask.octets());
        out[24..26].copy_from_slice(&self.port.to_be_bytes());
        out[26] = self.status;
        out[28..32].copy_from_slice(&self.gateway.octets());
    }

    /// The message as bytes of its own.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut out = [0; Self::LENGTH];
        self.emit(&mut out);
        out.to_vec()
    }
}

impl fmt::Display for IpProgReply {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let how = if self.dhcp() { "DHCP" } else { "fixed" };
        write!(f, "ArtIpProgReply: {} mask {} gateway {} ({how})", self.address, self.mask, self.gateway)
    }
}
