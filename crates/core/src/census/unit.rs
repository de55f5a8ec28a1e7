//! Units: what a family speaks for by itself, with everything it told of it.

use std::collections::BTreeMap;
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;
use serde::{Deserialize, Serialize};

use super::Way;
use crate::facts::Facts;
use crate::{Said, as_text, family};

/// One thing a family speaks for: a target of LLRP, a projector that speaks its own protocol.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Unit {
    /// By which family.
    pub family: Way,
    /// How its family knows it again: an RDM identifier, for instance.
    pub identity: Said,
    /// How its family reaches it, where that is neither its address nor its identity.
    pub handle: String,
    /// What it is, in words.
    pub what: Said,
    /// The address it spoke from; all zero for one that has none.
    pub address: Ipv4Addr,
    /// The MAC address: the frame's where frames are seen, else the one it states.
    #[serde(with = "as_text::option")]
    pub mac: Option<MacAddress>,
    /// What it told of itself, and what it could.
    pub facts: Facts,
}

impl Unit {
    /// One that its family knows by nothing but its address: it is known again by its MAC address, where that is known.
    pub(crate) fn of_address(
        family: Way,
        address: Ipv4Addr,
        mac: Option<MacAddress>,
        what: &str,
        facts: Facts,
    ) -> Self {
        let identity = mac.map_or_else(|| address.to_string(), |mac| mac.to_string());
        Self {
            family,
            identity: identity.as_str().into(),
            handle: String::new(),
            what: what.into(),
            address,
            mac,
            facts,
        }
    }

    /// Whether both are of one device: by their MAC address, or where one has none by an RDM identifier.
    #[must_use]
    pub fn is_same_device(&self, other: &Self) -> bool {
        match (self.mac, other.mac) {
            (Some(own), Some(other)) => own == other,
            _ => self.identity == other.identity,
        }
    }

    /// The first of each device: one that is spoken to in several ways is one.
    pub(crate) fn one_of_each<'a>(units: impl Iterator<Item = &'a Self>) -> Vec<&'a Self> {
        let mut devices: Vec<&Self> = Vec::new();
        for unit in units {
            if !devices.iter().any(|one| one.is_same_device(unit)) {
                devices.push(unit);
            }
        }
        devices
    }

    /// How the right password for it comes to be kept.
    #[must_use]
    pub(crate) fn how_to_open(&self) -> String {
        format!("keep the right one: deft-lantern access set {} --way {}", self.address, self.family.name())
    }

    /// Whether its family can set anything on it, and it told enough of itself for that.
    #[must_use]
    pub fn is_settable(&self) -> bool {
        family::can_set(self.family) && self.facts.told().next().is_some()
    }

    /// Whether that goes wherever it stands.
    #[must_use]
    pub(crate) fn is_settable_anywhere(&self) -> bool {
        self.is_settable() && !family::is_told_at_address(self.family)
    }
}

/// What tells one unit from another. Several may bear one identity.
type Key = (Way, Said, String, Option<MacAddress>);

/// All units.
#[derive(Debug, Clone, Default)]
pub(crate) struct Units {
    known: BTreeMap<Key, Unit>,
    overlooked: u64,
}

impl Units {
    /// The most units kept.
    const MOST: usize = 16_384;

    pub(crate) fn take(&mut self, unit: &Unit) {
        let key = Self::key(unit);
        if self.known.len() >= Self::MOST && !self.known.contains_key(&key) {
            self.overlooked += 1;
            return;
        }
        if unit.mac.is_some() {
            // Some tell their MAC address only when they are read.
            let (family, identity, handle, _) = key.clone();
            self.known.remove(&(family, identity, handle, None));
        }
        self.known.insert(key, unit.clone());
    }

    /// Who is known by a broker has one identifier, wherever the broker and it stand.
    fn key(unit: &Unit) -> Key {
        match unit.family {
            Way::Rdmnet => (unit.family, unit.identity.clone(), String::new(), None),
            _ => (unit.family, unit.identity.clone(), unit.handle.clone(), unit.mac),
        }
    }

    /// In the order of families and identities.
    pub(crate) fn sorted(&self) -> Vec<Unit> {
        self.known.values().cloned().collect()
    }

    pub(crate) const fn overlooked(&self) -> u64 {
        self.overlooked
    }
}
