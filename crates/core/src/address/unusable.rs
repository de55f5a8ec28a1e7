//! Addresses that no device can have, whatever its mask.

use std::fmt;
use std::net::Ipv4Addr;

/// Why no device can have an address (RFC 6890 lists the blocks).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Unusable {
    /// 0.0.0.0: none at all.
    None,
    /// 0.0.0.0/8: "this network" (RFC 791).
    ThisNetwork,
    /// 127.0.0.0/8: every computer's own inside (RFC 1122).
    Loopback,
    /// 224.0.0.0/4: groups (RFC 1112).
    Group,
    /// 255.255.255.255: everybody (RFC 919).
    Everybody,
    /// 240.0.0.0/4: reserved (RFC 1112).
    Reserved,
}

impl Unusable {
    /// Why no device can have `address`; `None` when one can. On a loopback ground loopback addresses are usable.
    #[must_use]
    pub fn of(address: Ipv4Addr, on_loopback: bool) -> Option<Self> {
        Some(match address.octets() {
            [0, 0, 0, 0] => Self::None,
            [0, ..] => Self::ThisNetwork,
            [127, ..] if !on_loopback => Self::Loopback,
            [255, 255, 255, 255] => Self::Everybody,
            [224..=239, ..] => Self::Group,
            [240..=255, ..] => Self::Reserved,
            _ => return None,
        })
    }

    /// What to do instead.
    #[must_use]
    pub const fn remedy(self) -> &'static str {
        match self {
            Self::None => "this means DHCP in some tools; here write --dhcp",
            _ => "choose an address of the rig's network",
        }
    }
}

impl fmt::Display for Unusable {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::None => "it means no address at all",
            Self::ThisNetwork => "0.0.0.0/8 means this network, not a device in it",
            Self::Loopback => "127.0.0.0/8 is every computer's own inside and never on a wire",
            Self::Group => "224.0.0.0/4 is for multicast groups",
            Self::Everybody => "it means everybody",
            Self::Reserved => "240.0.0.0/4 is reserved",
        })
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case("0.0.0.0", Some(Unusable::None))]
    #[case("0.1.2.3", Some(Unusable::ThisNetwork))]
    #[case("1.0.0.1", None)]
    #[case("126.255.255.254", None)]
    #[case("127.0.0.1", Some(Unusable::Loopback))]
    #[case("223.255.255.254", None)]
    #[case("224.0.0.1", Some(Unusable::Group))]
    #[case("239.255.0.1", Some(Unusable::Group))]
    #[case("240.0.0.1", Some(Unusable::Reserved))]
    #[case("255.255.255.255", Some(Unusable::Everybody))]
    fn each_block_ends_where_the_standard_says(#[case] address: &str, #[case] expected: Option<Unusable>) {
        assert_eq!(Unusable::of(address.parse().unwrap(), false), expected);
    }
}
