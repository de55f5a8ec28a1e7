//! Subnets.

use std::collections::BTreeMap;
use std::fmt;
use std::net::Ipv4Addr;
use std::str::FromStr;

use super::{AddressRange, Mask};

/// A network address with its mask; the host bits are zero.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Subnet {
    network: Ipv4Addr,
    mask: Mask,
}

/// The text is no subnet.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum SubnetError {
    /// Not an address, a slash and a prefix length.
    #[error("a network is written 10.40.0.0/16")]
    Unreadable,
    /// An address inside the subnet rather than the subnet's own.
    #[error("{given} is an address inside {meant}; the network itself is written {meant}")]
    HostBits {
        /// The address as written.
        given: Ipv4Addr,
        /// The subnet it lies in.
        meant: Subnet,
    },
}

/// What an address is with regard to a subnet.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Role {
    /// An address a device can have.
    Host,
    /// The subnet's own address, all host bits zero.
    Network,
    /// The address that means every device, all host bits one.
    Broadcast,
    /// Not in the subnet.
    Outside,
}

impl Subnet {
    /// The subnet in which `address` lies when its mask is `mask`.
    #[must_use]
    pub const fn around(address: Ipv4Addr, mask: Mask) -> Self {
        Self { network: Ipv4Addr::from_bits(address.to_bits() & mask.bits()), mask }
    }

    /// The subnet that most devices of these addresses say they are in; where none tells its mask, the /24 that holds all
    /// of them, or the /16 that holds most. `None` when there are none.
    pub fn holding(devices: impl Iterator<Item = (Ipv4Addr, Option<Mask>)> + Clone) -> Option<Self> {
        let most = |subnets: &mut dyn Iterator<Item = Self>| {
            let mut counts: BTreeMap<(Ipv4Addr, u8), (usize, Self)> = BTreeMap::new();
            for subnet in subnets {
                counts.entry((subnet.network, subnet.mask.prefix())).or_insert((0, subnet)).0 += 1;
            }
            let kinds = counts.len();
            counts.into_values().max_by_key(|(count, _)| *count).map(|(_, subnet)| (subnet, kinds))
        };
        let told = most(&mut devices.clone().filter_map(|(address, mask)| Some(Self::around(address, mask?))));
        let small = Mask::from_prefix(24)?;
        let in_one = most(&mut devices.clone().map(|(address, _)| Self::around(address, small)));
        let told = told.map(|(subnet, _)| subnet);
        told.or_else(|| in_one.filter(|(_, kinds)| *kinds == 1).map(|(subnet, _)| subnet)).or_else(|| {
            most(&mut devices.map(|(address, _)| Self::around(address, Mask::SIXTEEN))).map(|(s, _)| s)
        })
    }

    /// The subnet's own address.
    #[must_use]
    pub const fn network(self) -> Ipv4Addr {
        self.network
    }

    /// Its mask.
    #[must_use]
    pub const fn mask(self) -> Mask {
        self.mask
    }

    /// The address that means every device in it (RFC 919).
    #[must_use]
    pub const fn broadcast(self) -> Ipv4Addr {
        Ipv4Addr::from_bits(self.network.to_bits() | !self.mask.bits())
    }

    /// Whether `address` lies in it.
    #[must_use]
    pub const fn contains(self, address: Ipv4Addr) -> bool {
        address.to_bits() & self.mask.bits() == self.network.to_bits()
    }

    /// What `address` is here. Subnets of /31 and /32 have neither network nor broadcast address (RFC 3021).
    #[must_use]
    pub fn role(self, address: Ipv4Addr) -> Role {
        match address {
            _ if !self.contains(address) => Role::Outside,
            _ if self.mask.prefix() > 30 => Role::Host,
            _ if address == self.network => Role::Network,
            _ if address == self.broadcast() => Role::Broadcast,
            _ => Role::Host,
        }
    }

    /// The addresses devices can have, first and last.
    #[must_use]
    pub fn hosts(self) -> AddressRange {
        let inset = u32::from(self.mask.prefix() <= 30);
        AddressRange::between(
            Ipv4Addr::from_bits(self.network.to_bits() + inset),
            Ipv4Addr::from_bits(self.broadcast().to_bits() - inset),
        )
    }

    /// The same host part in another subnet; `None` when it does not fit there.
    #[must_use]
    pub fn carry(self, address: Ipv4Addr, to: Self) -> Option<Ipv4Addr> {
        let host = address.to_bits() & !self.mask.bits();
        let fits = self.contains(address) && host & to.mask.bits() == 0;
        fits.then(|| Ipv4Addr::from_bits(to.network.to_bits() | host))
    }
}

impl FromStr for Subnet {
    type Err = SubnetError;

    fn from_str(text: &str) -> Result<Self, SubnetError> {
        let (address, prefix) = text.split_once('/').ok_or(SubnetError::Unreadable)?;
        let given: Ipv4Addr = address.trim().parse().map_err(|_| SubnetError::Unreadable)?;
        let mask: Mask = prefix.trim().parse().map_err(|_| SubnetError::Unreadable)?;
        let meant = Self::around(given, mask);
        if meant.network == given { Ok(meant) } else { Err(SubnetError::HostBits { given, meant }) }
    }
}

impl fmt::Display for Subnet {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}/{}", self.network, self.mask.prefix())
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    fn subnet(text: &str) -> Subnet {
        text.parse().unwrap()
    }

    #[rstest]
    #[case("10.40.0.0/16", "10.40.0.0", Role::Network)]
    #[case("10.40.0.0/16", "10.40.0.1", Role::Host)]
    #[case("10.40.0.0/16", "10.40.1.255", Role::Host)]
    #[case("10.40.0.0/16", "10.40.255.254", Role::Host)]
    #[case("10.40.0.0/16", "10.40.255.255", Role::Broadcast)]
    #[case("10.40.0.0/16", "10.41.0.0", Role::Outside)]
    #[case("10.40.0.0/31", "10.40.0.0", Role::Host)]
    #[case("10.40.0.7/32", "10.40.0.7", Role::Host)]
    #[case("0.0.0.0/0", "255.255.255.255", Role::Broadcast)]
    fn an_address_has_one_role(#[case] net: &str, #[case] address: &str, #[case] role: Role) {
        assert_eq!(subnet(net).role(address.parse().unwrap()), role);
    }

    #[rstest]
    #[case("10.40.0.0/16", "10.40.0.1-10.40.255.254")]
    #[case("192.168.0.0/30", "192.168.0.1-192.168.0.2")]
    #[case("192.168.0.0/31", "192.168.0.0-192.168.0.1")]
    fn hosts_lie_between_network_and_broadcast(#[case] net: &str, #[case] hosts: &str) {
        assert_eq!(subnet(net).hosts().to_string(), hosts);
    }

    #[rstest]
    #[case("10.40.1.100", "127.9.0.0/16", Some("127.9.1.100"))]
    #[case("10.40.0.100", "192.168.5.0/24", Some("192.168.5.100"))]
    #[case("10.40.1.100", "192.168.5.0/24", None)]
    #[case("10.41.1.100", "127.9.0.0/16", None)]
    fn the_host_part_is_carried(#[case] address: &str, #[case] to: &str, #[case] there: Option<&str>) {
        let carried = subnet("10.40.0.0/16").carry(address.parse().unwrap(), subnet(to));
        assert_eq!(carried.map(|a| a.to_string()).as_deref(), there);
    }

    #[rstest]
    #[case(
        "10.40.1.0/16",
        "10.40.1.0 is an address inside 10.40.0.0/16; the network itself is written 10.40.0.0/16"
    )]
    #[case("10.40.0.0", "a network is written 10.40.0.0/16")]
    #[case("10.40.0/16", "a network is written 10.40.0.0/16")]
    fn a_wrong_network_says_what_is_meant(#[case] text: &str, #[case] message: &str) {
        assert_eq!(text.parse::<Subnet>().unwrap_err().to_string(), message);
    }
}
