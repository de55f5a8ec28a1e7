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
        let identity = who.identity();
        if who.family == Way::Rdm {
            return self.fixture_again(who);
        }
        if who.family == Way::Nmos {
            return self.patch_point_again(who);
        }
        let nodes = || self.nodes().iter().filter(|node| is_node(node, &identity)).collect::<Vec<_>>();
        let units = || self.units().into_iter().filter(|unit| is_unit(unit, &identity)).collect::<Vec<_>>();
        let of_nodes = |nodes: Vec<&FoundNode>| nodes.into_iter().map(Subject::of_node).collect::<Vec<_>>();
        let of_units = |units: Vec<Unit>| units.iter().map(Subject::of_unit).collect::<Vec<_>>();
        let mut found = if who.family == Way::ArtNet {
            of_nodes(nodes())
        } else {
            of_units(units().into_iter().filter(|unit| unit.family == who.family).collect())
        };
        if found.is_empty() {
            found = if who.family == Way::ArtNet { of_units(units()) } else { of_nodes(nodes()) };
        }
        match found.len() {
            0 => Again::Nobody,
            1 => Again::Is(found.remove(0)),
            _ => Again::Several,
        }
    }
}

impl Census {
    /// The fixture of this identifier; of several the one behind the same gateway.
    fn fixture_again(&self, who: &NodeName) -> Again {
        let is_it = |fixture: &FoundFixture| who.identity.as_ref() == Some(&fixture.uid.to_string());
        let mut found = self.fixtures();
        found.retain(|fixture| is_it(fixture) && fixture.answers());
        if found.len() > 1 {
            found.retain(|fixture| fixture.behind.address == who.address);
        }
        match &found[..] {
            [] => Again::Nobody,
            [only] => Again::Is(Subject::of_fixture(only)),
            _ => Again::Several,
        }
    }
}

impl Census {
    /// What is patched and known so; of several that claim to be it, the one at the same address.
    fn patch_point_again(&self, who: &NodeName) -> Again {
        let mut found = self.patch_points();
        found.retain(|point| point.is(who));
        if found.len() > 1 {
            found.retain(|point| point.unit.address == who.address);
        }
        match &found[..] {
            [] => Again::Nobody,
            [only] => Again::Is(Subject::of_patch_point(only)),
            _ => Again::Several,
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
