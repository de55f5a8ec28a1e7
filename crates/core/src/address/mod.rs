//! Addresses, masks, subnets and ranges: what is local, what is usable, what lies where.

use std::net::Ipv4Addr;

mod mask;
mod range;
mod seat;
mod subnet;
mod unusable;

pub use mask::{Mask, MaskError};
pub use range::{AddressRange, RangeError};
pub use seat::Seat;
pub use subnet::{Role, Subnet, SubnetError};
pub use unusable::Unusable;

/// Whether an address belongs to somebody on the internet (RFC 1918, 3927, 6598, 5737 name those that do not).
#[must_use]
pub const fn is_public(address: Ipv4Addr) -> bool {
    let [a, b, ..] = address.octets();
    let shared = a == 100 && b & 0xc0 == 64;
    !(address.is_private()
        || address.is_link_local()
        || address.is_loopback()
        || address.is_documentation()
        || shared)
}
