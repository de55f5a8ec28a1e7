//! What the protocols of the ACN family have in common: the preamble, and who sends (ANSI E1.17; E1.31, section 5).

use core::fmt;

/// Preamble size, postamble size, and "ASC-E1.17", padded.
pub(crate) const PREAMBLE: [u8; 16] = *b"\x00\x10\x00\x00ASC-E1.17\x00\x00\x00";

/// Who sends: 16 bytes that stay the same for good (a UUID).
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Cid(pub [u8; 16]);

impl fmt::Display for Cid {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (i, byte) in self.0.iter().enumerate() {
            let dash = if matches!(i, 4 | 6 | 8 | 10) { "-" } else { "" };
            write!(f, "{dash}{byte:02x}")?;
        }
        Ok(())
    }
}
