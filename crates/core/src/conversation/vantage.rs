//! From where a conversation is held: what this computer is on the network, and what its system allows.

use std::net::Ipv4Addr;

use lantern_wire::MacAddress;

use super::Seat;

/// What the system lets the program do.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Means {
    /// Hear and send Ethernet frames.
    pub frames: bool,
    /// Send echo requests.
    pub echo: bool,
    /// Read the table of neighbours.
    pub neighbours: bool,
}

/// From where a conversation is held.
#[derive(Debug, Clone, Default)]
pub struct Vantage {
    /// Where this computer sits, on the adapter of the conversation.
    pub seats: Vec<Seat>,
    /// This computer's own MAC address on the adapter.
    pub own_mac: Option<MacAddress>,
    /// The gateways of the adapter.
    pub gateways: Vec<Ipv4Addr>,
    /// What the system lets the program do.
    pub means: Means,
    /// Tells this conversation's questions from others'.
    pub mark: u16,
}

impl Vantage {
    /// From these seats, with sockets only.
    #[must_use]
    pub fn of_seats(seats: Vec<Seat>) -> Self {
        Self { seats, ..Self::default() }
    }

    /// Whether this is an address of this computer.
    #[must_use]
    pub fn is_own(&self, address: Ipv4Addr) -> bool {
        self.seats.iter().any(|seat| seat.own == address)
    }

    /// The MAC address to send frames from, where frames can be sent.
    #[must_use]
    pub fn frames_from(&self) -> Option<MacAddress> {
        self.own_mac.filter(|_| self.means.frames)
    }

    /// Whether the conversation takes place on simulated nodes on loopback, where there are no frames, and the system
    /// itself answers every echo.
    #[must_use]
    pub fn is_on_loopback(&self) -> bool {
        self.seats.iter().any(|seat| seat.own.is_loopback())
    }

    /// The seat in the subnet of `address`.
    #[must_use]
    pub fn seat_beside(&self, address: Ipv4Addr) -> Option<usize> {
        Seat::beside(&self.seats, address)
    }
}
