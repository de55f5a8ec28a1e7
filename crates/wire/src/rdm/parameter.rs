//! Parameters of E1.20 (section 10) and the reasons why one is refused (appendix A-17).

use core::fmt;

/// The maker, in words.
pub const MAKER_LABEL: u16 = 0x0081;
/// The model, in words.
pub const MODEL_DESCRIPTION: u16 = 0x0080;
/// What its owner calls it, at most 32 bytes.
pub const DEVICE_LABEL: u16 = 0x0082;
/// Whether it shows which one it is: one byte, 0 or 1.
pub const IDENTIFY_DEVICE: u16 = 0x1000;
/// The most bytes of a label.
pub const MOST_LABEL: usize = 32;

/// Why a device refuses, as its answer says.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Refusal(pub u16);

impl Refusal {
    /// It has no such parameter.
    pub const UNKNOWN: Self = Self(0);
    /// It has the parameter, and it cannot be written.
    pub const WRITE_PROTECTED: Self = Self(4);
    /// It has the parameter, and this cannot be done with it.
    pub const CLASS: Self = Self(5);
    /// No value it takes.
    pub const OUT_OF_RANGE: Self = Self(6);

    /// The reason in the data of an answer; one without is unknown.
    #[must_use]
    pub fn read(data: &[u8]) -> Self {
        data.first_chunk().map_or(Self::UNKNOWN, |code| Self(u16::from_be_bytes(*code)))
    }
}

impl fmt::Display for Refusal {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self.0 {
            0 => "it does not know this parameter",
            1 => "it cannot read the form",
            2 => "a fault in the device",
            3 => "whoever stands in for it refuses",
            4 => "it is write-protected",
            5 => "it does not do this with the parameter",
            6 => "the value is out of its range",
            7 => "its buffer is full",
            8 => "the message is too large for it",
            9 => "it has no such sub-device",
            10 => "the buffer of whoever stands in for it is full",
            11 => "the action is not supported",
            _ => return write!(f, "reason {}", self.0),
        })
    }
}
