//! What a node does with a file that comes block by block (Art-Net 4, sections "ArtFirmwareMaster" and "ArtFirmwareReply").
//!
//! The files of the simulated nodes are invented: `MBFW`, the two parts of the version, the OEM code big-endian, then anything.

use std::time::Duration;

use lantern_wire::art_net::{BlockKind, FirmwareMaster, ReplyWord};

use super::Quirk;
use crate::Model;

/// The most bytes a node has room for.
const ROOM: usize = 8 << 20;
const MARK: &[u8; 4] = b"MBFW";
const HEAD: usize = 8;
/// How long one takes that is slow, and how often.
const SLOW: Duration = Duration::from_secs(3);
const SLOW_EVERY: u32 = 64;

/// A file for nodes of this model, so long, which brings this version.
#[must_use]
pub fn firmware_file(model: Model, version: (u8, u8), length: usize) -> Vec<u8> {
    let [high, low] = model.oem().to_be_bytes();
    let head = MARK.iter().copied().chain([version.0, version.1, high, low]);
    // No block is like another, so that one which is left out or comes twice is seen.
    let rest = (0..).map(|at: u32| at.wrapping_mul(0x9e37_79b9).to_le_bytes()[3]);
    head.chain(rest).take(length.max(HEAD)).collect()
}

/// A file on its way in.
#[derive(Debug, Default)]
pub(super) struct Loading {
    data: Vec<u8>,
    words: u32,
    blocks: u32,
}

/// What a node makes of a block.
pub(super) struct Taken {
    /// What it answers, and how much later than usual.
    pub(super) answer: ReplyWord,
    pub(super) after: Duration,
    /// The file, where this was its end and it is one for this model.
    pub(super) whole: Option<Vec<u8>>,
}

impl Loading {
    /// Takes in a block; `None` where it makes nothing of it and does not answer.
    pub(super) fn take(&mut self, message: &FirmwareMaster, model: Model, quirks: &[Quirk]) -> Option<Taken> {
        let has = |quirk| quirks.contains(&quirk);
        let failed = || Some(Taken { answer: ReplyWord::FAILED, after: Duration::ZERO, whole: None });
        if message.kind == BlockKind::FIRST || (message.kind == BlockKind::LAST && message.words <= 512) {
            *self = Self { words: message.words, ..Self::default() };
        }
        if message.words != self.words || usize::try_from(message.words).ok()? * 2 > ROOM {
            return failed();
        }
        let [expected, ..] = self.blocks.to_le_bytes();
        let is_again = self.blocks > 0 && message.block == expected.wrapping_sub(1);
        if message.block != expected && !is_again && !has(Quirk::CountsBlocksItself) {
            return failed();
        }
        if !is_again || has(Quirk::CountsBlocksItself) {
            self.data.extend_from_slice(&message.data[..]);
            self.blocks += 1;
        }
        let slow = has(Quirk::SlowFlash) && self.blocks % SLOW_EVERY == 1;
        let after = if slow { SLOW } else { Duration::ZERO };
        if message.kind != BlockKind::LAST {
            return Some(Taken { answer: ReplyWord::BLOCK_GOOD, after, whole: None });
        }
        let length = usize::try_from(self.words).ok()? * 2;
        let blocks = usize::try_from(self.blocks).ok()?;
        let is_whole = blocks == length.div_ceil(FirmwareMaster::DATA);
        let is_for_it = self.data.starts_with(MARK) && self.data[6..HEAD] == model.oem().to_be_bytes();
        if !is_whole || !is_for_it || has(Quirk::RefusesFirmware) {
            return failed();
        }
        let mut whole = self.data.clone();
        whole.truncate(length);
        Some(Taken { answer: ReplyWord::ALL_GOOD, after, whole: Some(whole) })
    }
}

/// The version that a file brings.
pub(super) fn version_of(file: &[u8]) -> u16 {
    u16::from_be_bytes([file[4], file[5]])
}
