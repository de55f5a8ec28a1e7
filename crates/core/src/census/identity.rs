//! How somebody is known again.

use std::fmt;
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;
use serde::{Deserialize, Serialize};

use super::{Census, Device, FoundFixture, FoundNode, Subject, Unit, Way};
use crate::as_text;

/// A device as messages and the logbook name it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct NodeName {
    /// The family that told of it.
    #[serde(default = "NodeName::usual_family")]
    pub family: Way,
    /// Its MAC address, when it tells it.
    #[serde(with = "as_text::option")]
    pub mac: Option<MacAddress>,
    /// How its family knows it; `None` for an Art-Net node.
    #[serde(default)]
    pub identity: Option<String>,
    /// Its name before the change.
    pub name: String,
    /// Its address before the change.
    pub address: Ipv4Addr,
}

impl NodeName {
    /// The first version of the logbook knew no other.
    const fn usual_family() -> Way {
        Way::ArtNet
    }

    /// How it is known again.
    #[must_use]
    pub fn identity(&self) -> Identity {
        match (self.mac, &self.identity) {
            (Some(mac), _) => Identity::Mac(mac),
            (None, Some(text)) => Identity::OfFamily(text.clone()),
            (None, None) => Identity::Address(self.address),
        }
    }
}

/// How somebody is known again, the surest first: nothing else may change what it is.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Identity {
    /// By its MAC address.
    Mac(MacAddress),
    /// As its family calls it: an RDM identifier, for instance.
    OfFamily(String),
    /// By nothing but its address.
    Address(Ipv4Addr),
}

impl fmt::Display for Identity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Mac(mac) => mac.fmt(f),
            Self::OfFamily(text) => f.write_str(text),
            Self::Address(address) => address.fmt(f),
        }
    }
}

impl Device {
    /// How it is known again; `None` for one of which neither MAC address nor address is known.
    pub(super) fn identity(&self) -> Option<Identity> {
        self.mac.map(Identity::Mac).or_else(|| self.address.map(Identity::Address))
    }
}

/// Who of a census somebody is that was known before.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Again {
    /// This one.
    Is(Subject),
    /// Nobody who answers.
    Nobody,
    /// Several could be it: two that bear one MAC address, for instance.
    Several,
}

impl Census {
    /// Whoever is the one of this name and identity, by the family that told of it then if that is heard still.
    #[must_use]
    pub fn again(&self, who: &NodeName) -> Again {
        let mut found = match who.family {
            Way::Rdm => self.fixtures_again(who),
            Way::Nmos => self.patch_points_again(who),
            _ => self.devices_again(who),
        };
        // Of several that claim to be what is at a device, the one that is at the same.
        if found.len() > 1 && matches!(who.family, Way::Rdm | Way::Nmos) {
            found.retain(|one| one.address() == who.address);
        }
        match found.len() {
            0 => Again::Nobody,
            1 => Again::Is(found.remove(0)),
            _ => Again::Several,
        }
    }

    fn fixtures_again(&self, who: &NodeName) -> Vec<Subject> {
        let is_it = |fixture: &&FoundFixture| who.identity.as_ref() == Some(&fixture.uid.to_string());
        let fixtures = self.fixtures();
        fixtures.iter().filter(is_it).filter(|fixture| fixture.answers()).map(Subject::of_fixture).collect()
    }

    fn patch_points_again(&self, who: &NodeName) -> Vec<Subject> {
        self.patch_points().iter().filter(|point| point.is(who)).map(Subject::of_patch_point).collect()
    }

    fn devices_again(&self, who: &NodeName) -> Vec<Subject> {
        let identity = who.identity();
        let nodes = || self.nodes().iter().filter(|node| is_node(node, &identity)).map(Subject::of_node).collect();
        let units = |is_meant: &dyn Fn(&Unit) -> bool| -> Vec<Subject> {
            let all = self.units();
            all.iter().filter(|unit| is_unit(unit, &identity) && is_meant(unit)).map(Subject::of_unit).collect()
        };
        let found: Vec<Subject> =
            if who.family == Way::ArtNet { nodes() } else { units(&|unit| unit.family == who.family) };
        match found.is_empty() {
            false => found,
            true if who.family == Way::ArtNet => units(&|_| true),
            true => nodes(),
        }
    }
}

fn is_node(node: &FoundNode, identity: &Identity) -> bool {
    match identity {
        Identity::Mac(mac) => node.mac == Some(*mac) || node.heard_mac == Some(*mac),
        Identity::OfFamily(_) => false,
        Identity::Address(address) => node.mac.is_none() && node.address == *address,
    }
}

fn is_unit(unit: &Unit, identity: &Identity) -> bool {
    match identity {
        Identity::Mac(mac) => unit.mac == Some(*mac),
        Identity::OfFamily(text) => unit.identity.to_string() == *text,
        Identity::Address(address) => unit.mac.is_none() && unit.address == *address,
    }
}
