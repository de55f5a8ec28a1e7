//! Fixtures: the units on the cables of gateways, as RDM tells them.

use std::collections::{BTreeMap, BTreeSet};
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;
use lantern_wire::rdm::Uid;
use serde::{Deserialize, Serialize};

use super::{FoundNode, Health, PortPlace};
use crate::facts::{Facts, Field, Value};
use crate::universe::PortAddress;
use crate::{Said, as_text};

/// One unit on a cable.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct FoundFixture {
    /// Its RDM identifier.
    #[serde(with = "as_text")]
    pub uid: Uid,
    /// The cable it hangs on.
    pub behind: Behind,
    /// What it told of itself, and what it could. Where it was only counted, it was asked nothing.
    pub facts: Facts,
    /// How it is, where it was asked.
    #[serde(default, skip_serializing_if = "Health::is_untold")]
    pub health: Health,
}

impl FoundFixture {
    /// What its owner calls it; empty where it does not tell that.
    #[must_use]
    pub fn label(&self) -> Said {
        match self.facts.get(Field::Label) {
            Some(Value::Text(text)) => text.clone(),
            _ => Said::default(),
        }
    }

    /// Its label and identifier, or that alone.
    #[must_use]
    pub fn title(&self) -> String {
        let label = self.label();
        if label.is_empty() { self.uid.to_string() } else { format!("{label} ({})", self.uid) }
    }

    /// Whether it answers anything.
    #[must_use]
    pub fn answers(&self) -> bool {
        self.facts.told().next().is_some()
    }

    /// The first slot it takes, where it tells that.
    #[must_use]
    pub fn start(&self) -> Option<u32> {
        match self.facts.get(Field::StartAddress) {
            Some(Value::Count(start)) => Some(*start),
            _ => None,
        }
    }

    /// The slots it takes, first and last, as far as it tells them.
    #[must_use]
    pub fn slots(&self) -> Option<(u32, u32)> {
        match (self.start(), self.facts.get(Field::Footprint)) {
            (Some(first), Some(Value::Count(length))) if *length > 0 => Some((first, first + length - 1)),
            _ => None,
        }
    }
}

/// Where a cable begins.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct Behind {
    /// The gateway's address.
    pub address: Ipv4Addr,
    /// The gateway's MAC address, where it is known.
    #[serde(with = "as_text::option")]
    pub mac: Option<MacAddress>,
    /// The page of its port.
    pub page: u8,
    /// The place on the page, 0 to 3.
    pub slot: u8,
    /// The universe of its port.
    #[serde(with = "as_text")]
    pub universe: PortAddress,
}

impl Behind {
    /// Whether it is a port of this node.
    #[must_use]
    pub fn is_of(&self, node: &FoundNode) -> bool {
        let is_known = self.mac.is_some() && node.mac.is_some();
        self.address == node.address && (!is_known || [node.mac, node.heard_mac].contains(&self.mac))
    }

    /// The number of the port on its node, counted over all pages from 1; `None` where the node does not state it.
    #[must_use]
    pub fn port_of(&self, node: &FoundNode) -> Option<u32> {
        let own = PortPlace { page: self.page, slot: self.slot };
        node.ports().find(|(_, place, _)| *place == own).map(|(number, ..)| number)
    }
}

/// All fixtures. Several may bear one identifier: each hangs on a cable of its own.
#[derive(Debug, Clone, Default)]
pub(crate) struct Fixtures {
    known: BTreeMap<(Behind, Uid), FoundFixture>,
    /// Cables of which the gateway told everybody who hangs there.
    cables: BTreeSet<Behind>,
    overlooked: u64,
}

impl Fixtures {
    /// The most fixtures, and cables, kept.
    const MOST: usize = 65_536;

    pub(crate) fn take(&mut self, fixture: &FoundFixture) {
        let key = (fixture.behind, fixture.uid);
        if self.known.len() >= Self::MOST && !self.known.contains_key(&key) {
            self.overlooked += 1;
            return;
        }
        self.known.insert(key, fixture.clone());
    }

    /// The gateway has told everybody who hangs on this cable, if anybody.
    pub(crate) fn take_cable(&mut self, cable: Behind) {
        if self.cables.len() < Self::MOST {
            self.cables.insert(cable);
        }
    }

    /// In the order of gateways and ports.
    pub(crate) fn cables(&self) -> Vec<Behind> {
        self.cables.iter().copied().collect()
    }

    /// In the order of gateways, ports and identifiers.
    pub(crate) fn sorted(&self) -> Vec<FoundFixture> {
        self.known.values().cloned().collect()
    }

    pub(crate) const fn overlooked(&self) -> u64 {
        self.overlooked
    }
}
