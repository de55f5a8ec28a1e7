//! Linux: netlink, packet sockets, and sockets bound to a device.

pub(crate) mod addressing;
pub(crate) mod bind;
pub(crate) mod computer;
pub(crate) mod frames;
pub(crate) mod neighbours;
mod netlink;
