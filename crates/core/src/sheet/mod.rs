//! The rig sheet: what the show network should be.
//!
//! [`RigSheet::parse`] turns text into the types here, or into every mistake it finds, each with its place. A
//! sheet that parses may still contradict itself: that is judged by [`crate::clash`].

mod draft;
mod error;
mod fields;
mod names;
mod parse;
mod parse_node;
mod place;
mod relocate;

use std::fmt;
use std::net::Ipv4Addr;
use std::str::FromStr;

use lantern_wire::MacAddress;

use crate::address::{AddressRange, Subnet};
use crate::universe::{DeskBase, OutOfRange, Universe, UniverseBlock};
use crate::{DataLoss, Direction, Merge};

pub use draft::Draft;
pub use error::{SheetError, SheetErrors};
pub use place::{Placed, Position, Span};

/// A whole rig sheet.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RigSheet {
    /// The rig's name.
    pub name: Placed<String>,
    /// What the desk calls the first universe.
    pub desk: DeskBase,
    /// The networks.
    pub networks: Vec<Network>,
    /// The areas.
    pub areas: Vec<Area>,
    /// The nodes.
    pub nodes: Vec<SheetNode>,
    text: String,
    lines: place::LineIndex,
}

/// One network of the rig.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Network {
    /// Its name.
    pub name: Placed<String>,
    /// Its addresses.
    pub range: Placed<Subnet>,
    /// The way out; `None` inside means a closed network, `None` outside that the sheet does not say.
    pub gateway: Option<Placed<Gateway>>,
    /// Addresses never handed out: desks, servers.
    pub keep_free: Vec<Placed<AddressRange>>,
    /// Addresses somebody else hands out by DHCP.
    pub dhcp: Vec<Placed<AddressRange>>,
    /// Addresses whose devices are never touched.
    pub locked: Vec<Placed<AddressRange>>,
}

/// The way out of a network.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Gateway(pub Option<Ipv4Addr>);

/// A place or department with its own block of addresses and universes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Area {
    /// Its name.
    pub name: Placed<String>,
    /// Which of [`RigSheet::networks`] it belongs to.
    pub network: usize,
    /// Its addresses.
    pub range: Option<Placed<AddressRange>>,
    /// The number within its range from which nodes are placed.
    pub nodes_from: Option<Placed<u32>>,
    /// Its universes.
    pub universes: Option<Placed<UniverseBlock>>,
}

/// A node as it should be.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SheetNode {
    /// Its name, as Art-Net's short name.
    pub name: Placed<String>,
    /// A longer text, as Art-Net's long name.
    pub label: Option<Placed<String>>,
    /// Which of [`RigSheet::areas`] it stands in.
    pub area: Option<usize>,
    /// Its model.
    pub kind: Option<Placed<String>>,
    /// Its MAC address: how to know it again.
    pub mac: Option<Placed<MacAddress>>,
    /// Its address.
    pub address: Placed<WantedAddress>,
    /// The firmware it should run, as major and minor.
    pub firmware: Option<Placed<Firmware>>,
    /// What it should do when data stops.
    pub on_data_loss: Option<Placed<DataLoss>>,
    /// Its ports.
    pub ports: Vec<SheetPort>,
}

/// One port as it should be.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SheetPort {
    /// Its number on the node, from 1.
    pub number: Placed<u32>,
    /// Whether it sends to its socket or takes from it.
    pub direction: Direction,
    /// Its universe.
    pub universe: Placed<AskedUniverse>,
    /// How two sources are combined.
    pub merge: Option<Placed<Merge>>,
    /// How many sources are meant.
    pub sources: Option<Placed<u32>>,
    /// How many outputs carry this universe on purpose, this one included.
    pub splits: Option<Placed<u32>>,
}

/// Where a node's address is to come from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum WantedAddress {
    /// Fixed.
    Fixed(Ipv4Addr),
    /// By DHCP.
    Dhcp,
    /// Not decided yet.
    Fill,
}

/// A universe as the sheet asks for it: well written, but perhaps none that exists.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum AskedUniverse {
    /// One that exists.
    Real(Universe),
    /// A number outside the standard.
    Impossible(OutOfRange),
}

/// A firmware version of two parts, compared as numbers.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct Firmware {
    /// The first part.
    pub major: u8,
    /// The second part.
    pub minor: u8,
}

impl RigSheet {
    /// The text it was read from.
    #[must_use]
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Line and column of a place.
    #[must_use]
    pub fn position(&self, span: Span) -> Position {
        self.lines.position(&self.text, span.start)
    }

    /// The network a node belongs to: its area's, or the one its address lies in, or the only one there is.
    #[must_use]
    pub fn network_of(&self, node: &SheetNode) -> Option<&Network> {
        if let Some(area) = node.area {
            return Some(&self.networks[self.areas[area].network]);
        }
        let by_address = node
            .fixed_address()
            .and_then(|address| self.networks.iter().find(|network| network.range.value.contains(address)));
        match &self.networks[..] {
            [only] => Some(only),
            _ => by_address,
        }
    }
}

impl SheetNode {
    /// Its address when that is fixed.
    #[must_use]
    pub fn fixed_address(&self) -> Option<Ipv4Addr> {
        match self.address.value {
            WantedAddress::Fixed(address) => Some(address),
            WantedAddress::Dhcp | WantedAddress::Fill => None,
        }
    }

    /// The highest port number it plans; 0 without ports.
    #[must_use]
    pub fn last_port(&self) -> u32 {
        self.ports.iter().map(|port| port.number.value).max().unwrap_or(0)
    }
}

impl AskedUniverse {
    /// The universe, when it exists.
    #[must_use]
    pub const fn real(&self) -> Option<Universe> {
        match self {
            Self::Real(universe) => Some(*universe),
            Self::Impossible(_) => None,
        }
    }
}

impl FromStr for WantedAddress {
    type Err = &'static str;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        match text {
            "dhcp" => Ok(Self::Dhcp),
            "fill" => Ok(Self::Fill),
            _ => {
                text.parse().map(Self::Fixed).map_err(|_| "an address like \"10.40.1.100\", \"dhcp\" or \"fill\"")
            }
        }
    }
}

impl FromStr for Gateway {
    type Err = &'static str;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        match text {
            "none" => Ok(Self(None)),
            _ => text.parse().map(|a| Self(Some(a))).map_err(|_| "an address like \"10.40.0.1\", or \"none\""),
        }
    }
}

impl FromStr for Firmware {
    type Err = &'static str;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        let (major, minor) = text.split_once('.').ok_or("two numbers like \"1.4\"")?;
        let part = |p: &str| p.parse().map_err(|_| "two numbers from 0 to 255 like \"1.4\"");
        Ok(Self { major: part(major)?, minor: part(minor)? })
    }
}

impl fmt::Display for Firmware {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}.{}", self.major, self.minor)
    }
}

impl fmt::Display for WantedAddress {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Fixed(address) => address.fmt(f),
            Self::Dhcp => f.write_str("dhcp"),
            Self::Fill => f.write_str("fill"),
        }
    }
}

#[cfg(test)]
mod tests;
