//! The address that a unit chooses by itself where nobody gives it one (RFC 3927).

use std::net::Ipv4Addr;

use lantern_wire::MacAddress;

/// The mask that goes with it.
pub(crate) const MASK: Ipv4Addr = Ipv4Addr::new(255, 255, 0, 0);

/// The one that a unit with this MAC address chooses: the same at each start (section 2.1).
pub(crate) fn address(mac: MacAddress) -> Ipv4Addr {
    let [.., high, low] = mac.0;
    Ipv4Addr::new(169, 254, high.clamp(1, 254), low)
}
