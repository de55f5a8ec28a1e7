//! Ethernet hardware addresses.

use core::fmt;
use core::net::Ipv4Addr;
use core::str::FromStr;

/// A 48-bit MAC address (IEEE 802, EUI-48), in the order of transmission.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub struct MacAddress(pub [u8; 6]);

/// The text is not twelve hexadecimal digits.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("a MAC address is twelve hexadecimal digits, for example 02:4d:42:00:10:01")]
pub struct MacError;

impl MacAddress {
    /// Where frames to a multicast group go: 01:00:5e and the low 23 bits of the group (RFC 1112, section 6.4).
    #[must_use]
    pub const fn of_group(group: Ipv4Addr) -> Self {
        let [_, b, c, d] = group.octets();
        Self([0x01, 0x00, 0x5e, b & 0x7f, c, d])
    }

    /// All zero: what a device states when it does not tell its MAC address.
    pub const UNKNOWN: Self = Self([0; 6]);

    /// Whether it stands for several devices: a group, or everybody (IEEE 802, the lowest bit of the first byte).
    #[must_use]
    pub const fn is_group(self) -> bool {
        self.0[0] & 1 == 1
    }

    /// Whether the address is stated at all.
    #[must_use]
    pub fn is_known(self) -> bool {
        self != Self::UNKNOWN
    }
}

impl fmt::Display for MacAddress {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let [a, b, c, d, e, g] = self.0;
        write!(f, "{a:02x}:{b:02x}:{c:02x}:{d:02x}:{e:02x}:{g:02x}")
    }
}

impl FromStr for MacAddress {
    type Err = MacError;

    /// Takes what labels carry: `02:4d:42:00:10:01`, `02-4D-42-00-10-01`, `024d.4200.1001`, `024D42001001`.
    fn from_str(text: &str) -> Result<Self, MacError> {
        let mut digits = text.chars().filter(|c| !matches!(c, ':' | '-' | '.'));
        let mut bytes = [0; 6];
        for byte in &mut bytes {
            for _ in 0..2 {
                let digit = digits.next().and_then(|c| c.to_digit(16)).ok_or(MacError)?;
                *byte = *byte << 4 | u8::try_from(digit).map_err(|_| MacError)?;
            }
        }
        let separators = text.chars().filter(|c| !c.is_ascii_hexdigit()).count();
        let complete = digits.next().is_none() && matches!(separators, 0 | 2 | 5);
        complete.then_some(Self(bytes)).ok_or(MacError)
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case("02:4d:42:00:10:01")]
    #[case("02-4D-42-00-10-01")]
    #[case("024d.4200.1001")]
    #[case("024D42001001")]
    fn every_label_style_is_read(#[case] text: &str) {
        assert_eq!(text.parse(), Ok(MacAddress([0x02, 0x4d, 0x42, 0x00, 0x10, 0x01])));
    }

    #[rstest]
    #[case("")]
    #[case("02:4d:42:00:10")]
    #[case("02:4d:42:00:10:01:02")]
    #[case("02:4d:42:00:10:0g")]
    #[case("0:24d:42:00:10:01:")]
    #[case("10.40.1.100")]
    fn anything_else_is_refused(#[case] text: &str) {
        assert_eq!(text.parse::<MacAddress>(), Err(MacError));
    }
}
