//! Addresses, masks, subnets and ranges: what is local, what is usable, what lies where.

mod mask;
mod range;
mod subnet;

pub use mask::{Mask, MaskError};
pub use range::{AddressRange, RangeError};
pub use subnet::{Role, Subnet, SubnetError};
