//! Status messages (E1.20, section 10.3.2): what a device has to say of itself, nine bytes each.
//!
//! ```text
//! 0  2  sub-device        5  2  first value
//! 2  1  how bad           7  2  second value
//! 3  2  which message
//! ```

use core::fmt;

/// How bad it is (appendix A-4, table "Status type").
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct StatusType(pub u8);

/// One message.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct StatusMessage {
    /// Of which sub-device; 0 the root.
    pub sub_device: u16,
    /// How bad it is, or that it is over.
    pub status: StatusType,
    /// Which message (appendix B-2); from 0x8000 on the maker's own.
    pub id: u16,
    /// What the message is about: a slot, a sensor, a value.
    pub values: [i16; 2],
}

impl StatusType {
    /// The last ones again, for whoever lost them.
    pub const LAST: Self = Self(1);
    /// Worth knowing, and everything worse.
    pub const ADVISORY: Self = Self(2);
    /// A warning, and everything worse.
    pub const WARNING: Self = Self(3);
    /// An error.
    pub const ERROR: Self = Self(4);

    /// Whether it says that something is over.
    #[must_use]
    pub const fn is_over(self) -> bool {
        self.0 & 0x10 != 0
    }
}

impl StatusMessage {
    const LENGTH: usize = 9;

    /// Reads the data of an answer; what is too short to be a message is left out.
    #[must_use]
    pub fn read_all(data: &[u8]) -> Vec<Self> {
        data.as_chunks::<{ Self::LENGTH }>()
            .0
            .iter()
            .map(|d| Self {
                sub_device: u16::from_be_bytes([d[0], d[1]]),
                status: StatusType(d[2]),
                id: u16::from_be_bytes([d[3], d[4]]),
                values: [i16::from_be_bytes([d[5], d[6]]), i16::from_be_bytes([d[7], d[8]])],
            })
            .collect()
    }

    /// Its bytes.
    #[must_use]
    pub fn to_bytes(self) -> Vec<u8> {
        let mut out = self.sub_device.to_be_bytes().to_vec();
        out.push(self.status.0);
        out.extend(self.id.to_be_bytes());
        self.values.iter().for_each(|value| out.extend(value.to_be_bytes()));
        out
    }
}

impl fmt::Display for StatusType {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self.0 & !0x10 {
            2 => "note",
            3 => "warning",
            4 => "error",
            other => return write!(f, "status {other}"),
        })?;
        if self.is_over() { f.write_str(", over") } else { Ok(()) }
    }
}
