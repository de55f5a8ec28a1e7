//! The OpCode says which message follows (Art-Net 4, table 1).

use core::fmt;

/// Which kind of message a datagram is; transmitted little-endian.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct OpCode(pub u16);

impl OpCode {
    /// A controller asks who is there.
    pub const POLL: Self = Self(0x2000);
    /// A node says who it is.
    pub const POLL_REPLY: Self = Self(0x2100);
    /// Levels of one universe.
    pub const DMX: Self = Self(0x5000);
    /// A controller sets names, universes and port behaviour.
    pub const ADDRESS: Self = Self(0x6000);
    /// A controller switches inputs on and off.
    pub const INPUT: Self = Self(0x7000);
    /// A controller asks for the tables of RDM devices.
    pub const TOD_REQUEST: Self = Self(0x8000);
    /// A gateway tells the RDM devices on a port.
    pub const TOD_DATA: Self = Self(0x8100);
    /// A controller lets a gateway search its cable anew.
    pub const TOD_CONTROL: Self = Self(0x8200);
    /// One RDM message.
    pub const RDM: Self = Self(0x8300);
    /// One block of a file for a node.
    pub const FIRMWARE_MASTER: Self = Self(0xf200);
    /// A node says what became of a block.
    pub const FIRMWARE_REPLY: Self = Self(0xf300);
    /// A controller asks for or sets IP address, mask and gateway.
    pub const IP_PROG: Self = Self(0xf800);
    /// A node tells its IP settings.
    pub const IP_PROG_REPLY: Self = Self(0xf900);

    const fn name(self) -> Option<&'static str> {
        Some(match self {
            Self::POLL => "ArtPoll",
            Self::POLL_REPLY => "ArtPollReply",
            Self::DMX => "ArtDmx",
            Self::ADDRESS => "ArtAddress",
            Self::INPUT => "ArtInput",
            Self::TOD_REQUEST => "ArtTodRequest",
            Self::TOD_DATA => "ArtTodData",
            Self::TOD_CONTROL => "ArtTodControl",
            Self::RDM => "ArtRdm",
            Self::FIRMWARE_MASTER => "ArtFirmwareMaster",
            Self::FIRMWARE_REPLY => "ArtFirmwareReply",
            Self::IP_PROG => "ArtIpProg",
            Self::IP_PROG_REPLY => "ArtIpProgReply",
            _ => return None,
        })
    }
}

impl fmt::Display for OpCode {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.name() {
            Some(name) => f.write_str(name),
            None => write!(f, "Art-Net message 0x{:04x}", self.0),
        }
    }
}
