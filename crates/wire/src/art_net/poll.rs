//! ArtPoll: a controller asks who is there (Art-Net 4, section "ArtPoll").
//!
//! ```text
//! 12  1  flags
//! 13  1  lowest priority of diagnostics wanted
//! 14  2  targeted poll: highest Port-Address
//! 16  2  targeted poll: lowest Port-Address
//! 18  2  ESTA manufacturer code of the controller
//! 20  2  OEM code of the controller
//! ```

use core::fmt;

use super::{OpCode, PollFlags, header};
use crate::WireError;

/// Asks every node that hears it for an ArtPollReply within three seconds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Poll {
    /// What else is wanted.
    pub flags: PollFlags,
    /// Lowest priority of diagnostics wanted (0x10 low … 0xe0 critical).
    pub priority: u8,
    /// The fields that older controllers do not send.
    pub target: Option<PollTarget>,
}

/// The second half of an ArtPoll.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct PollTarget {
    /// Highest Port-Address that shall answer, when the poll is targeted.
    pub top: u16,
    /// Lowest Port-Address that shall answer, when the poll is targeted.
    pub bottom: u16,
    /// ESTA manufacturer code of the controller.
    pub esta: u16,
    /// OEM code of the controller.
    pub oem: u16,
}

impl Poll {
    /// The shortest poll accepted; what follows is optional.
    pub const SHORTEST: usize = 14;
    /// Length with every field.
    pub const LENGTH: usize = 22;

    /// Reads a poll; one of fewer than 22 bytes has no target.
    ///
    /// # Errors
    /// When the datagram is no ArtPoll or ends before byte 14.
    pub fn parse(datagram: &[u8]) -> Result<Self, WireError> {
        let start = header::open::<{ Self::SHORTEST }>(datagram, OpCode::POLL)?;
        let target = datagram.first_chunk::<{ Self::LENGTH }>().map(|m| PollTarget {
            top: u16::from_be_bytes([m[14], m[15]]),
            bottom: u16::from_be_bytes([m[16], m[17]]),
            esta: u16::from_be_bytes([m[18], m[19]]),
            oem: u16::from_be_bytes([m[20], m[21]]),
        });
        Ok(Self { flags: PollFlags(start[12]), priority: start[13], target })
    }

    /// Writes the poll: 22 bytes, or 14 without a target.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut out = vec![0; if self.target.is_some() { Self::LENGTH } else { Self::SHORTEST }];
        header::emit_versioned(&mut out, OpCode::POLL);
        out[12] = self.flags.0;
        out[13] = self.priority;
        if let Some(target) = self.target {
            for (field, at) in
                [target.top, target.bottom, target.esta, target.oem].into_iter().zip([14, 16, 18, 20])
            {
                out[at..at + 2].copy_from_slice(&field.to_be_bytes());
            }
        }
        out
    }
}

impl fmt::Display for Poll {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.target {
            Some(t) if self.flags.targeted() => write!(f, "ArtPoll for Port-Addresses {} to {}", t.bottom, t.top),
            _ => f.write_str("ArtPoll"),
        }
    }
}
