//! Where this computer sits on a network.

use std::net::Ipv4Addr;

use super::Subnet;

/// An address of this computer as a conversation sees it: where it sits on the network.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Seat {
    /// This computer's own address there.
    pub own: Ipv4Addr,
    /// The subnet around it.
    pub subnet: Subnet,
    /// Whether 255.255.255.255 reaches the wire from here. On loopback it would reach every other ground.
    pub limited_broadcast: bool,
}

impl Seat {
    /// Which of these seats is in the subnet of `address`; of several the one in the narrowest, by which the system sends.
    #[must_use]
    pub fn beside(seats: &[Self], address: Ipv4Addr) -> Option<usize> {
        let here = seats.iter().enumerate().filter(|(_, seat)| seat.subnet.contains(address));
        here.min_by_key(|(_, seat)| std::cmp::Reverse(seat.subnet.mask().prefix())).map(|(index, _)| index)
    }

    /// Where to send what a whole group shall hear. On loopback there are no groups: the wire of the ground is one.
    #[must_use]
    pub const fn everybody(&self, group: Ipv4Addr) -> Ipv4Addr {
        if self.own.is_loopback() { self.subnet.broadcast() } else { group }
    }
}
