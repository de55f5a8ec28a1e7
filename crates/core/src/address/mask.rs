//! Subnet masks.

use std::fmt;
use std::net::Ipv4Addr;
use std::str::FromStr;

/// A subnet mask: a run of one bits from the left, 0 to 32 long.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Mask(u8);

/// The text or address is no subnet mask.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum MaskError {
    /// The one bits are not all on the left.
    #[error("{0} is no subnet mask: its one bits must all stand on the left, as in 255.255.0.0")]
    Broken(Ipv4Addr),
    /// Neither dotted nor a prefix length.
    #[error("a subnet mask is written 255.255.0.0 or /16 (0 to 32)")]
    Unreadable,
}

impl Mask {
    /// 255.255.0.0.
    pub const SIXTEEN: Self = Self(16);

    /// The mask of `prefix` one bits, 0 to 32.
    #[must_use]
    pub const fn from_prefix(prefix: u8) -> Option<Self> {
        if prefix <= 32 { Some(Self(prefix)) } else { None }
    }

    /// How many one bits it has, 0 to 32.
    #[must_use]
    pub const fn prefix(self) -> u8 {
        self.0
    }

    /// The mask as a number.
    #[must_use]
    pub const fn bits(self) -> u32 {
        match self.0 {
            0 => 0,
            prefix => u32::MAX << (32 - prefix),
        }
    }

    /// The mask in dotted form.
    #[must_use]
    pub const fn dotted(self) -> Ipv4Addr {
        Ipv4Addr::from_bits(self.bits())
    }
}

impl TryFrom<Ipv4Addr> for Mask {
    type Error = MaskError;

    fn try_from(dotted: Ipv4Addr) -> Result<Self, MaskError> {
        let ones = dotted.to_bits().leading_ones();
        let mask = u8::try_from(ones).ok().and_then(Self::from_prefix);
        mask.filter(|mask| mask.dotted() == dotted).ok_or(MaskError::Broken(dotted))
    }
}

impl FromStr for Mask {
    type Err = MaskError;

    fn from_str(text: &str) -> Result<Self, MaskError> {
        if let Ok(dotted) = text.parse::<Ipv4Addr>() {
            return dotted.try_into();
        }
        let prefix = text.strip_prefix('/').unwrap_or(text);
        prefix.parse().ok().and_then(Self::from_prefix).ok_or(MaskError::Unreadable)
    }
}

impl fmt::Display for Mask {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.dotted().fmt(f)
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case("255.255.0.0", 16)]
    #[case("/16", 16)]
    #[case("24", 24)]
    #[case("255.255.255.255", 32)]
    #[case("0.0.0.0", 0)]
    #[case("255.255.254.0", 23)]
    fn masks_are_read_in_both_forms(#[case] text: &str, #[case] prefix: u8) {
        let mask: Mask = text.parse().unwrap();
        assert_eq!(mask.prefix(), prefix);
        assert_eq!(mask.dotted().to_string().parse(), Ok(mask));
    }

    #[rstest]
    #[case("255.0.255.0")]
    #[case("0.255.255.255")]
    #[case("/33")]
    #[case("255.255.0")]
    #[case("")]
    #[case("-1")]
    fn anything_else_is_refused(#[case] text: &str) {
        assert!(text.parse::<Mask>().is_err());
    }
}
