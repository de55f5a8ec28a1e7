//! ArtIpProg: a controller asks for or sets a node's IP settings (Art-Net 4, section "ArtIpProg").
//!
//! ```text
//! 14  1  command, one bit per demand
//! 16  4  IP address
//! 20  4  subnet mask
//! 24  2  UDP port (obsolete)
//! 26  4  default gateway
//! ```

use core::fmt;
use std::net::Ipv4Addr;

use super::{OpCode, header};
use crate::WireError;

/// Sent to one node's own address; the node answers with an ArtIpProgReply.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct IpProg {
    /// What shall be done; [`IpCommand::ASK`] changes nothing.
    pub command: IpCommand,
    /// The address to take, when the command says so.
    pub address: Ipv4Addr,
    /// The mask to take, when the command says so.
    pub mask: Ipv4Addr,
    /// The UDP port: obsolete, carried for a whole round trip.
    pub port: u16,
    /// The gateway to take, when the command says so.
    pub gateway: Ipv4Addr,
}

/// The command byte of an ArtIpProg.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub struct IpCommand(pub u8);

impl IpCommand {
    /// Change nothing, only answer.
    pub const ASK: Self = Self(0);
    /// Bit 7: the other bits count.
    pub const PROGRAM: Self = Self(0x80);
    /// Bit 6: take the address by DHCP.
    pub const DHCP: Self = Self(0x40);
    /// Bit 4: take the gateway of this message.
    pub const GATEWAY: Self = Self(0x10);
    /// Bit 3: back to the factory's IP settings.
    pub const DEFAULTS: Self = Self(0x08);
    /// Bit 2: take the address of this message.
    pub const ADDRESS: Self = Self(0x04);
    /// Bit 1: take the mask of this message.
    pub const MASK: Self = Self(0x02);

    /// This command and that one.
    #[must_use]
    pub const fn and(self, other: Self) -> Self {
        Self(self.0 | other.0)
    }

    /// Whether every bit of `other` is set here.
    #[must_use]
    pub const fn has(self, other: Self) -> bool {
        self.0 & other.0 == other.0
    }
}

impl IpProg {
    /// Length of the message, in bytes.
    pub const LENGTH: usize = 34;

    /// The question that changes nothing.
    pub const ASK: Self = Self {
        command: IpCommand::ASK,
        address: Ipv4Addr::UNSPECIFIED,
        mask: Ipv4Addr::UNSPECIFIED,
        port: 0,
        gateway: Ipv4Addr::UNSPECIFIED,
    };

    /// Reads an ArtIpProg.
    ///
    /// # Errors
    /// When the datagram is none, or shorter than 34 bytes.
    pub fn parse(datagram: &[u8]) -> Result<Self, WireError> {
        let m = header::open::<{ Self::LENGTH }>(datagram, OpCode::IP_PROG)?;
        Ok(Self {
            command: IpCommand(m[14]),
            address: Ipv4Addr::new(m[16], m[17], m[18], m[19]),
            mask: Ipv4Addr::new(m[20], m[21], m[22], m[23]),
            port: u16::from_be_bytes([m[24], m[25]]),
            gateway: Ipv4Addr::new(m[26], m[27], m[28], m[29]),
        })
    }

    /// Writes the message over the whole of `out`.
    pub fn emit(&self, out: &mut [u8; Self::LENGTH]) {
        header::emit_versioned(out, OpCode::IP_PROG);
        out[14] = self.command.0;
        out[16..20].copy_from_slice(&self.address.octets());
        out[20..24].copy_from_slice(&self.mask.octets());
        out[24..26].copy_from_slice(&self.port.to_be_bytes());
        out[26..30].copy_from_slice(&self.gateway.octets());
    }

    /// The message as bytes of its own.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut out = [0; Self::LENGTH];
        self.emit(&mut out);
        out.to_vec()
    }
}

impl fmt::Display for IpProg {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let command = self.command;
        if !command.has(IpCommand::PROGRAM) {
            return f.write_str("ArtIpProg: tell your settings");
        }
        f.write_str("ArtIpProg:")?;
        if command.has(IpCommand::DEFAULTS) {
            f.write_str(" factory settings")?;
        }
        if command.has(IpCommand::DHCP) {
            f.write_str(" DHCP")?;
        }
        if command.has(IpCommand::ADDRESS) {
            write!(f, " address {}", self.address)?;
        }
        if command.has(IpCommand::MASK) {
            write!(f, " mask {}", self.mask)?;
        }
        if command.has(IpCommand::GATEWAY) {
            write!(f, " gateway {}", self.gateway)?;
        }
        Ok(())
    }
}
