//! ArtFirmwareMaster and ArtFirmwareReply: a file goes to a node block by block (Art-Net 4, sections "ArtFirmwareMaster" and
//! "ArtFirmwareReply").
//!
//! ```text
//! master  14  1  first, continuing or last; 3 more for the boot area
//!         15  1  number of the block, counting modulo 256
//!         16  4  length of the whole file, in 16-bit words
//!         40 1024  data; the last block is filled with zeros
//! reply   14  1  block good, all good, or failed
//! ```

use core::fmt;

use super::{OpCode, header};
use crate::WireError;

/// One block of a file, sent to one node's own address; the node answers each with an ArtFirmwareReply.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FirmwareMaster {
    /// Which of the blocks this is.
    pub kind: BlockKind,
    /// Its number, counting modulo 256.
    pub block: u8,
    /// Length of the whole file, in 16-bit words.
    pub words: u32,
    /// What it carries.
    pub data: Box<[u8; Self::DATA]>,
}

/// Which block of a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct BlockKind(pub u8);

impl BlockKind {
    /// The first block of the firmware.
    pub const FIRST: Self = Self(0);
    /// A block between the first and the last.
    pub const CONTINUING: Self = Self(1);
    /// The last block.
    pub const LAST: Self = Self(2);
}

/// What a node says to a block.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct FirmwareReply {
    /// What became of it.
    pub word: ReplyWord,
}

/// The byte a node answers with.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct ReplyWord(pub u8);

impl ReplyWord {
    /// The block is there; the next one is waited for.
    pub const BLOCK_GOOD: Self = Self(0);
    /// The whole file is there.
    pub const ALL_GOOD: Self = Self(1);
    /// The node gave up.
    pub const FAILED: Self = Self(0xff);
}

impl FirmwareMaster {
    /// Bytes of data in each block.
    pub const DATA: usize = 1024;
    /// Length of the message, in bytes.
    pub const LENGTH: usize = 40 + Self::DATA;

    /// Reads an ArtFirmwareMaster.
    ///
    /// # Errors
    /// When the datagram is none, or shorter than 1064 bytes.
    pub fn parse(datagram: &[u8]) -> Result<Self, WireError> {
        let m = header::open::<{ Self::LENGTH }>(datagram, OpCode::FIRMWARE_MASTER)?;
        Ok(Self {
            kind: BlockKind(m[14]),
            block: m[15],
            words: u32::from_be_bytes([m[16], m[17], m[18], m[19]]),
            data: Box::new(core::array::from_fn(|i| m[40 + i])),
        })
    }

    /// The message as bytes.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut out = vec![0; Self::LENGTH];
        if let Some(head) = out.first_chunk_mut::<14>() {
            header::emit_versioned(head, OpCode::FIRMWARE_MASTER);
        }
        out[14] = self.kind.0;
        out[15] = self.block;
        out[16..20].copy_from_slice(&self.words.to_be_bytes());
        out[40..].copy_from_slice(&self.data[..]);
        out
    }
}

impl FirmwareReply {
    /// Bytes of it that say something; some send the spare ones after it, some do not.
    pub const LEAST: usize = 15;
    /// Length of the message as the standard has it, in bytes.
    pub const LENGTH: usize = 36;

    /// Reads an ArtFirmwareReply.
    ///
    /// # Errors
    /// When the datagram is none, or ends before its one byte.
    pub fn parse(datagram: &[u8]) -> Result<Self, WireError> {
        let m = header::open::<{ Self::LEAST }>(datagram, OpCode::FIRMWARE_REPLY)?;
        Ok(Self { word: ReplyWord(m[14]) })
    }

    /// The message as bytes.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut out = [0; Self::LENGTH];
        header::emit_versioned(&mut out, OpCode::FIRMWARE_REPLY);
        out[14] = self.word.0;
        out.to_vec()
    }
}

impl fmt::Display for FirmwareMaster {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "ArtFirmwareMaster: block {} of a file of {} words", self.block, self.words)
    }
}

impl fmt::Display for FirmwareReply {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self.word {
            ReplyWord::BLOCK_GOOD => "ArtFirmwareReply: block good",
            ReplyWord::ALL_GOOD => "ArtFirmwareReply: all good",
            _ => "ArtFirmwareReply: failed",
        })
    }
}
