//! This computer's network adapters: what they are, which to use, and what is wrong with them.

mod advise;
mod choose;
mod join;
mod judge;
mod lasting;
mod state;
mod table;

use std::net::{IpAddr, Ipv4Addr};

use lantern_wire::MacAddress;
use serde::Serialize;

use crate::address::Subnet;
use crate::finding::Rule;
use crate::{Said, as_text};

pub use advise::{Advice, AdviseError, Known, MISBELIEFS, Target, advise, one_for_all};
pub use choose::{Choice, ChooseError, choose, unknown};
pub use join::{
    WantedOwn, against_joining, against_lease, beside_joining, choose_cable, duplicate_finding, joined,
    taken_finding,
};
pub use judge::{judge, rivals_of};
pub(crate) use lasting::{FRAMES_FOR, to_switch};
pub use lasting::{Keeper, lasting};
pub use state::{AdapterState, AddressState, Move, RouteState, moves};
pub use table::{Entry, Held, Planned};

/// Every rule about this computer.
pub(crate) fn rules() -> Vec<&'static Rule> {
    [judge::RULES, join::RULES].concat()
}

/// This computer, as far as the network goes.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize)]
pub struct Computer {
    /// Its adapters.
    pub adapters: Vec<Adapter>,
    /// Programs that hold the Art-Net port.
    pub holders: Vec<Holder>,
    /// The name servers it asks.
    pub name_servers: Vec<IpAddr>,
}

/// A network adapter.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Adapter {
    /// Its name.
    pub name: String,
    /// What its user calls it: show, office.
    pub label: Option<String>,
    /// Whether its user wants it taken when several could be.
    pub preferred: bool,
    /// What it leads over.
    pub medium: Medium,
    /// Whether it is switched on.
    pub on: bool,
    /// Whether something answers at the other end of its cable.
    pub link: bool,
    /// Its speed in Mbit/s, where the system knows.
    pub speed: Option<u32>,
    /// Its MAC address.
    #[serde(serialize_with = "as_text::option::serialize")]
    pub mac: Option<MacAddress>,
    /// Its IPv4 addresses.
    pub addresses: Vec<OwnAddress>,
    /// The gateways of the default routes that leave by it.
    pub gateways: Vec<Ipv4Addr>,
}

/// An address of this computer.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct OwnAddress {
    /// The address.
    pub address: Ipv4Addr,
    /// The subnet around it.
    #[serde(serialize_with = "as_text::serialize")]
    pub subnet: Subnet,
    /// Where it comes from.
    pub origin: Origin,
}

/// Where an address comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Origin {
    /// Somebody wrote it down.
    Fixed,
    /// It was handed out for a time.
    Leased,
    /// The system does not tell.
    Unknown,
}

/// What an adapter leads over.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Medium {
    /// A cable.
    Wired,
    /// Radio.
    Wireless,
    /// Another network: a VPN and the like.
    Tunnel,
    /// Nothing but this computer: bridges, containers and the like.
    Virtual,
    /// Back to this computer.
    Loopback,
}

/// A program that holds a port.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Holder {
    /// Its name, where the system tells it.
    pub program: Option<Said>,
    /// The address it listens on; all zero for every one.
    pub address: Ipv4Addr,
}

impl Adapter {
    /// Whether it is switched on and has link.
    #[must_use]
    pub const fn is_up(&self) -> bool {
        self.on && self.link
    }

    /// Whether it is called so, by its name or its label.
    #[must_use]
    pub fn is_called(&self, wanted: &str) -> bool {
        self.name == wanted || self.label.as_deref() == Some(wanted)
    }

    /// Whether it leads only back to this computer.
    #[must_use]
    pub fn is_loopback(&self) -> bool {
        self.medium == Medium::Loopback
    }

    /// The adapter in one line: name, addresses, and what is the matter with it.
    #[must_use]
    pub fn line(&self) -> String {
        let addresses: Vec<String> = self.addresses.iter().map(ToString::to_string).collect();
        let matter = match self {
            Self { medium: Medium::Loopback, .. } => "  (leads only to this computer)",
            Self { on: false, .. } => "  (switched off)",
            Self { link: false, .. } => "  (no link)",
            Self { addresses, .. } if addresses.is_empty() => "  (no address)",
            _ => "",
        };
        let label = self.label.as_ref().map(|label| format!(" ({label})")).unwrap_or_default();
        format!("{}{label}  {}{matter}", self.name, addresses.join(", "))
    }
}

impl std::fmt::Display for OwnAddress {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}/{}", self.address, self.subnet.mask().prefix())
    }
}

impl std::fmt::Display for Medium {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(match self {
            Self::Wired => "wired",
            Self::Wireless => "wireless",
            Self::Tunnel => "tunnel",
            Self::Virtual => "virtual",
            Self::Loopback => "loopback",
        })
    }
}

#[cfg(test)]
mod tests;
