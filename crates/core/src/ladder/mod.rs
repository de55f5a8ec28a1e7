//! The ladder: why one device is silent, or half silent. From this computer's own cable to the levels at the device's ports, one rung
//! after the other; the first that is broken is the reason, whatever would be found above it.

mod contact;
mod data;
mod ourselves;
mod rules;

use std::fmt;
use std::net::Ipv4Addr;

use serde::{Serialize, Serializer};

use crate::adapter::{Adapter, Computer};
use crate::census::{Census, Device, FoundNode, Viewpoint};
use crate::compare::Everybody;
use crate::conversation::{Reached, Vantage};
use crate::finding::Finding;
use crate::sheet::{RigSheet, SheetNode};

pub(crate) use rules::RULES;

/// Everything that is known about the silence of one device.
#[derive(Debug, Clone, Copy)]
pub struct Circumstances<'a> {
    /// What it is called by whoever asks.
    pub called: &'a str,
    /// Where it should be: the address that was asked.
    pub address: Ipv4Addr,
    /// As the sheet has it, where it does.
    pub planned: Option<&'a SheetNode>,
    /// The sheet, and the file it stands in.
    pub sheet: Option<(&'a RigSheet, &'a str)>,
    /// This computer.
    pub computer: &'a Computer,
    /// The adapter that should lead there; `None` where there is none, or where a file is read.
    pub adapter: Option<&'a Adapter>,
    /// What was heard; `None` where nothing could be asked.
    pub heard: Option<WasHeard<'a>>,
}

/// What was heard on the adapter.
#[derive(Debug, Clone, Copy)]
pub struct WasHeard<'a> {
    /// From where it was asked.
    pub vantage: &'a Vantage,
    /// What came from the address, when it was asked by itself.
    pub reached: &'a Reached,
    /// Everybody who was seen.
    pub census: &'a Census,
    /// The same as devices.
    pub devices: &'a [Device],
    /// From where they were looked at.
    pub from: &'a Viewpoint,
}

/// One thing that must hold before the next can.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Rung {
    /// The adapter is on, and something answers at the other end of its cable.
    Link,
    /// It has an address.
    OwnAddress,
    /// Both sides take each other for neighbours.
    Subnet,
    /// What is sent there leaves by this adapter.
    WayOut,
    /// The device has the address.
    Arp,
    /// Nobody else has it, nor one of ours.
    Alone,
    /// It answers an echo.
    Echo,
    /// No other program here keeps the answers.
    Port,
    /// It speaks what it should.
    Protocol,
    /// Its web page answers.
    Page,
    /// Its ports are on the universes that are planned and sent.
    Patch,
    /// The levels arrive at its ports.
    Data,
    /// One source is in control of each.
    Merge,
}

/// How one rung is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Step {
    /// It holds, as this shows.
    Holds(String),
    /// It was not looked at, for this reason.
    NotLooked(String),
    /// It is broken.
    Broken(Box<Finding>),
}

impl Rung {
    /// All of them, from the bottom.
    pub const ALL: [Self; 13] = [
        Self::Link,
        Self::OwnAddress,
        Self::Subnet,
        Self::WayOut,
        Self::Arp,
        Self::Alone,
        Self::Echo,
        Self::Port,
        Self::Protocol,
        Self::Page,
        Self::Patch,
        Self::Data,
        Self::Merge,
    ];

    fn look(self, at: &Circumstances<'_>) -> Step {
        match self {
            Self::Link => ourselves::link(at),
            Self::OwnAddress => ourselves::own_address(at),
            Self::Subnet => ourselves::subnet(at),
            Self::WayOut => ourselves::way_out(at),
            Self::Arp => contact::arp(at),
            Self::Alone => contact::alone(at),
            Self::Echo => contact::echo(at),
            Self::Port => contact::port(at),
            Self::Protocol => contact::protocol(at),
            Self::Page => contact::page(at),
            Self::Patch => data::patch(at),
            Self::Data => data::arrives(at),
            Self::Merge => data::merge(at),
        }
    }
}

/// Climbs until a rung is broken, or to the top.
#[must_use]
pub fn climb(at: &Circumstances<'_>) -> Vec<(Rung, Step)> {
    let mut climbed = Vec::new();
    for rung in Rung::ALL {
        let step = rung.look(at);
        let is_broken = matches!(step, Step::Broken(_));
        climbed.push((rung, step));
        if is_broken {
            break;
        }
    }
    climbed
}

impl Step {
    fn broken(finding: Finding) -> Self {
        Self::Broken(Box::new(finding))
    }

    /// Its word: `holds`, `not looked at`, `broken`.
    #[must_use]
    pub const fn word(&self) -> &'static str {
        match self {
            Self::Holds(_) => "holds",
            Self::NotLooked(_) => "not looked at",
            Self::Broken(_) => "broken",
        }
    }

    /// What shows it.
    #[must_use]
    pub fn fact(&self) -> &str {
        match self {
            Self::Holds(fact) | Self::NotLooked(fact) => fact,
            Self::Broken(finding) => &finding.what,
        }
    }
}

impl<'a> Circumstances<'a> {
    /// Whoever is seen at the address; of several the planned one.
    fn device(&self) -> Option<&'a Device> {
        let heard = self.heard?;
        let mut there = heard.devices.iter().filter(|device| device.addresses.contains(&self.address));
        let is_planned = |device: &&Device| self.planned_mac().is_none() || device.mac == self.planned_mac();
        there.clone().find(is_planned).or_else(|| there.next())
    }

    /// The same as an Art-Net node.
    fn node(&self) -> Option<&'a FoundNode> {
        let heard = self.heard?;
        self.device().and_then(|device| heard.census.nodes().get(device.node?))
    }

    fn planned_mac(&self) -> Option<lantern_wire::MacAddress> {
        self.planned.and_then(|planned| planned.mac.as_ref()).map(|mac| mac.value)
    }

    /// The device that is meant, where it is seen at another address.
    fn elsewhere(&self) -> Option<&'a Device> {
        let (heard, mac) = (self.heard?, self.planned_mac()?);
        heard.devices.iter().find(|device| device.mac == Some(mac) && !device.addresses.contains(&self.address))
    }
}

impl<'a> WasHeard<'a> {
    fn everybody(&self) -> Everybody<'a> {
        let asked_in = if self.from.echo_asked { &self.from.subnets[..] } else { &[] };
        Everybody { devices: self.devices, asked_in, own: &self.from.own, leases: &[] }
    }
}

impl fmt::Display for Rung {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Link => "link",
            Self::OwnAddress => "own address",
            Self::Subnet => "subnet",
            Self::WayOut => "way out",
            Self::Arp => "ARP",
            Self::Alone => "alone",
            Self::Echo => "echo",
            Self::Port => "port here",
            Self::Protocol => "protocol",
            Self::Page => "web page",
            Self::Patch => "patch",
            Self::Data => "data",
            Self::Merge => "merge",
        })
    }
}

impl Serialize for Step {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.serialize_str(match self {
            Self::Holds(_) => "holds",
            Self::NotLooked(_) => "not-looked-at",
            Self::Broken(_) => "broken",
        })
    }
}
