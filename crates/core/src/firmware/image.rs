//! A file for a node, in blocks.

use std::fmt;
use std::sync::Arc;

use lantern_wire::art_net::{BlockKind, FirmwareMaster};

use crate::Firmware;

/// A firmware file, and the version that a node has with it.
#[derive(Clone, PartialEq, Eq)]
pub struct Image {
    bytes: Arc<[u8]>,
    version: Firmware,
}

impl Image {
    /// The most bytes that are sent: 64 MiB. A larger file is none for a node.
    pub const MOST: u64 = 64 << 20;

    /// A file of this version; `None` where it is empty or too large.
    #[must_use]
    pub fn new(bytes: Vec<u8>, version: Firmware) -> Option<Self> {
        let fits = !bytes.is_empty() && u64::try_from(bytes.len()).is_ok_and(|length| length <= Self::MOST);
        fits.then(|| Self { bytes: bytes.into(), version })
    }

    /// The version that a node has with it.
    #[must_use]
    pub const fn version(&self) -> Firmware {
        self.version
    }

    /// How many blocks it has.
    #[must_use]
    pub fn blocks(&self) -> u32 {
        u32::try_from(self.bytes.len().div_ceil(FirmwareMaster::DATA)).unwrap_or(u32::MAX)
    }

    /// The message of this block, from 0. A file of one block has a first one only, which is the last as well: it goes as the
    /// last, since a node ends with that.
    #[must_use]
    pub fn block(&self, number: u32) -> FirmwareMaster {
        let at = usize::try_from(number).unwrap_or(usize::MAX).saturating_mul(FirmwareMaster::DATA);
        let mut data = Box::new([0; FirmwareMaster::DATA]);
        for (to, from) in data.iter_mut().zip(self.bytes.get(at..).unwrap_or_default()) {
            *to = *from;
        }
        let kind = match number {
            last if last + 1 >= self.blocks() => BlockKind::LAST,
            0 => BlockKind::FIRST,
            _ => BlockKind::CONTINUING,
        };
        let words = u32::try_from(self.bytes.len().div_ceil(2)).unwrap_or(u32::MAX);
        let [block, ..] = number.to_le_bytes();
        FirmwareMaster { kind, block, words, data }
    }
}

impl fmt::Debug for Image {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Image({} bytes, {})", self.bytes.len(), self.version)
    }
}
