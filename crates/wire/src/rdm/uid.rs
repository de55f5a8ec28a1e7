//! Who a device is to RDM (E1.20, section 5).

use core::fmt;
use core::str::FromStr;

/// A unique identifier: two bytes of the maker, four of the device; written `7ff0:00100001`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Uid(pub [u8; 6]);

/// A text that is no identifier.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("an RDM identifier is written 7ff0:00100001")]
pub struct UidError;

impl Uid {
    /// The lowest there could be.
    pub const LOWEST: Self = Self([0; 6]);
    /// Everybody; nobody answers what is sent there.
    pub const EVERYBODY: Self = Self([0xff; 6]);

    /// As one number, so that neighbours are neighbours.
    #[must_use]
    pub const fn number(self) -> u64 {
        let [a, b, c, d, e, f] = self.0;
        u64::from_be_bytes([0, 0, a, b, c, d, e, f])
    }

    /// The identifier of this number; what does not fit in six bytes becomes [`Uid::EVERYBODY`].
    #[must_use]
    pub const fn of_number(number: u64) -> Self {
        let [x, y, a, b, c, d, e, f] = number.to_be_bytes();
        if x == 0 && y == 0 { Self([a, b, c, d, e, f]) } else { Self::EVERYBODY }
    }

    /// Whether it stands for several devices.
    #[must_use]
    pub fn is_broadcast(self) -> bool {
        self.0[2..] == [0xff; 4]
    }
}

impl fmt::Display for Uid {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let [a, b, c, d, e, g] = self.0;
        write!(f, "{a:02x}{b:02x}:{c:02x}{d:02x}{e:02x}{g:02x}")
    }
}

impl FromStr for Uid {
    type Err = UidError;

    fn from_str(text: &str) -> Result<Self, UidError> {
        let (maker, device) = text.split_once(':').ok_or(UidError)?;
        let is_hex =
            |part: &str, length| part.len() == length && part.bytes().all(|byte| byte.is_ascii_hexdigit());
        if !is_hex(maker, 4) || !is_hex(device, 8) {
            return Err(UidError);
        }
        u64::from_str_radix(&format!("{maker}{device}"), 16).map(Self::of_number).map_err(|_| UidError)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_is_written_as_it_is_read() {
        let uid = Uid([0x7f, 0xf0, 0, 0x10, 0, 1]);
        assert_eq!(uid.to_string(), "7ff0:00100001");
        assert_eq!("7FF0:00100001".parse(), Ok(uid));
        assert_eq!(Uid::of_number(uid.number()), uid);
        for text in ["7ff0", "7ff0:0010000", "+ff0:00100001", "7ff0:001000012", "7ff0-00100001"] {
            assert_eq!(text.parse::<Uid>(), Err(UidError), "{text}");
        }
        assert!(Uid([0x7f, 0xf0, 0xff, 0xff, 0xff, 0xff]).is_broadcast() && !uid.is_broadcast());
    }
}
