//! A pretended cable: the nodes stand behind a switch, each with its own MAC address and stack, and what would go over the cable
//! goes as datagrams between this ground and a program on the same computer. It needs one address and one port, no rights, and
//! nothing outside this computer is touched.
//!
//! On the cable: a datagram is a frame. A program plugs itself in by an empty one, and out by one of a single byte. What one of
//! several says is heard by all, itself among them, as a system lets its programs hear what leaves by an adapter. There is no
//! system at the near end: that its address is answered for when somebody asks by ARP (RFC 826) is the cable's own doing.

mod near_end;

use std::io;
use std::net::{Ipv4Addr, SocketAddr};

use lantern_wire::MacAddress;

use super::switched::{Running, Switch, run};
use crate::{FixtureTruth, Scene, Truth};

use near_end::NearEnd;

/// The MAC address of whoever is plugged in.
const GUEST: MacAddress = MacAddress([0x02, 0x4d, 0x42, 0, 0, 7]);

/// Simulated nodes at the far end of a pretended cable, until dropped.
#[derive(Debug)]
pub struct CableGround {
    switch: Running,
    place: SocketAddr,
    guest: Ipv4Addr,
}

impl CableGround {
    /// Lets the nodes of `scene` stand there, at the very addresses of the scene.
    ///
    /// # Errors
    /// When the system refuses a socket or a thread.
    pub fn start(scene: &Scene) -> io::Result<Self> {
        let guest = scene.guest();
        let near_end = NearEnd::open((guest, GUEST))?;
        let (place, scene) = (near_end.place()?, scene.clone());
        let switch = Running::start("pretended cable", move |orders| run(Switch::new(&scene, near_end), orders))?;
        Ok(Self { switch, place, guest })
    }

    /// Where a program plugs itself in.
    #[must_use]
    pub const fn place(&self) -> SocketAddr {
        self.place
    }

    /// The addresses of whoever is plugged in.
    #[must_use]
    pub const fn guest(&self) -> (Ipv4Addr, MacAddress) {
        (self.guest, GUEST)
    }

    /// Switches the power of the node that started with this name.
    pub fn switch(&self, name: &str, on: bool) {
        self.switch.switch(name, on);
    }

    /// What every Art-Net node really is at this moment, in the order of the scene.
    #[must_use]
    pub fn truth(&self) -> Vec<Truth> {
        self.switch.truth()
    }

    /// What every unit on the cables of nodes really is at this moment.
    #[must_use]
    pub fn fixtures(&self) -> Vec<FixtureTruth> {
        self.switch.fixtures()
    }
}

#[cfg(test)]
mod tests;
