//! What the protocols of the ACN family have in common: the preamble, and who sends (ANSI E1.17; E1.31, section 5).

use core::fmt;
use core::str::FromStr;

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

/// A text that is no CID.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("a CID is written fbad822c-bd0c-4d4c-bdc8-7eabebc85aff")]
pub struct CidError;

impl FromStr for Cid {
    type Err = CidError;

    fn from_str(text: &str) -> Result<Self, CidError> {
        let digits: Vec<u8> = text.bytes().filter(|byte| *byte != b'-').collect();
        let digit = |byte: u8| char::from(byte).to_digit(16).and_then(|digit| u8::try_from(digit).ok());
        let bytes: Option<Vec<u8>> =
            digits.as_chunks::<2>().0.iter().map(|[high, low]| Some(digit(*high)? << 4 | digit(*low)?)).collect();
        let bytes = bytes.filter(|_| digits.len() == 32).and_then(|bytes| bytes.try_into().ok());
        bytes.map(Self).ok_or(CidError)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_is_read_as_it_is_written() {
        let cid = Cid(core::array::from_fn(|i| 0xf0 + u8::try_from(i).unwrap()));
        assert_eq!(cid.to_string().parse(), Ok(cid));
        for text in ["", "f0", "g0f1f2f3-f4f5-f6f7-f8f9-fafbfcfdfeff", "f0f1f2f3-f4f5-f6f7-f8f9-fafbfcfdfefff"] {
            assert_eq!(text.parse::<Cid>(), Err(CidError), "{text}");
        }
    }
}
