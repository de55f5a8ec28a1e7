//! One that can be changed: an Art-Net node, a unit of another family, a fixture on a gateway's cable, or what of a device is patched.

use std::net::Ipv4Addr;

use lantern_wire::MacAddress;

use super::{FoundFixture, FoundNode, NodeName, PatchPoint, Unit, Way};
use crate::facts::{Facts, Field, Known, Tells, Value};
use crate::universe::PortAddress;
use crate::{Said, family};

/// One that is to be changed, as it was found.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Subject {
    /// By Art-Net.
    Node(Box<FoundNode>),
    /// By the family of the unit.
    Unit(Box<Unit>),
    /// By RDM, through its gateway.
    Fixture(Box<FoundFixture>),
    /// What it sends, receives or maps, by the family of its device.
    PatchPoint(Box<PatchPoint>),
}

/// What one at a time of several is spoken to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Lane {
    /// The units on a cable, as requests reach it.
    Cable(Ipv4Addr, PortAddress),
    /// What of one device is patched: its web server is a small one.
    Device(Ipv4Addr),
}

impl Subject {
    /// This Art-Net node.
    #[must_use]
    pub fn of_node(node: &FoundNode) -> Self {
        Self::Node(Box::new(node.clone()))
    }

    /// This unit.
    #[must_use]
    pub fn of_unit(unit: &Unit) -> Self {
        Self::Unit(Box::new(unit.clone()))
    }

    /// This fixture.
    #[must_use]
    pub fn of_fixture(fixture: &FoundFixture) -> Self {
        Self::Fixture(Box::new(fixture.clone()))
    }

    /// This sender, receiver or output.
    #[must_use]
    pub fn of_patch_point(point: &PatchPoint) -> Self {
        Self::PatchPoint(Box::new(point.clone()))
    }

    /// As what is patched.
    #[must_use]
    pub fn patch_point(&self) -> Option<&PatchPoint> {
        match self {
            Self::PatchPoint(point) => Some(point),
            Self::Node(_) | Self::Unit(_) | Self::Fixture(_) => None,
        }
    }

    /// Whether it is a device by itself, and no part of one.
    #[must_use]
    pub const fn is_device(&self) -> bool {
        matches!(self, Self::Node(_) | Self::Unit(_))
    }

    /// As a fixture.
    #[must_use]
    pub fn fixture(&self) -> Option<&FoundFixture> {
        match self {
            Self::Fixture(fixture) => Some(fixture),
            Self::Node(_) | Self::Unit(_) | Self::PatchPoint(_) => None,
        }
    }

    /// What is told things one after the other; `None` for one that is by itself.
    #[must_use]
    pub fn lane(&self) -> Option<Lane> {
        match self {
            Self::Fixture(fixture) => Some(Lane::Cable(fixture.behind.address, fixture.behind.universe)),
            Self::PatchPoint(point) => Some(Lane::Device(point.unit.address)),
            Self::Node(_) | Self::Unit(_) => None,
        }
    }

    /// The family by which it is changed.
    #[must_use]
    pub fn family(&self) -> Way {
        match self {
            Self::Node(_) => Way::ArtNet,
            Self::Unit(unit) => unit.family,
            Self::Fixture(_) => Way::Rdm,
            Self::PatchPoint(point) => point.unit.family,
        }
    }

    /// Whether it is told things at its address: then this computer has to be in a subnet with it.
    pub(crate) fn is_told_at_address(&self) -> bool {
        family::is_told_at_address(self.family())
    }

    /// Its MAC address, where it is known; of what is patched, its device's. A fixture has none.
    #[must_use]
    pub fn mac(&self) -> Option<MacAddress> {
        match self {
            Self::Node(node) => node.mac,
            Self::Unit(unit) => unit.mac,
            Self::PatchPoint(point) => point.unit.mac,
            Self::Fixture(_) => None,
        }
    }

    /// Every MAC address it is known by.
    pub fn macs(&self) -> impl Iterator<Item = MacAddress> {
        let heard = match self {
            Self::Node(node) => node.heard_mac,
            Self::Unit(_) | Self::Fixture(_) | Self::PatchPoint(_) => None,
        };
        self.mac().into_iter().chain(heard)
    }

    /// Its address; all zero for one that has none. Of a fixture, its gateway's; of what is patched, its device's.
    #[must_use]
    pub fn address(&self) -> Ipv4Addr {
        match self {
            Self::Node(node) => node.address,
            Self::Unit(unit) => unit.address,
            Self::Fixture(fixture) => fixture.behind.address,
            Self::PatchPoint(point) => point.unit.address,
        }
    }

    /// Whether it answers from this address.
    #[must_use]
    pub fn has(&self, address: Ipv4Addr) -> bool {
        match self {
            Self::Node(node) => node.addresses().any(|own| own == address),
            Self::Unit(unit) => !address.is_unspecified() && unit.address == address,
            Self::PatchPoint(point) => !address.is_unspecified() && point.unit.address == address,
            Self::Fixture(_) => false,
        }
    }

    /// What it calls itself.
    #[must_use]
    pub fn name(&self) -> Said {
        match self {
            Self::Node(node) => node.name(),
            Self::Unit(unit) => unit.name(),
            Self::Fixture(fixture) => fixture.label(),
            Self::PatchPoint(point) => point.label(),
        }
    }

    /// How to name it to people.
    #[must_use]
    pub fn title(&self) -> String {
        match self {
            Self::Node(node) => node.title(),
            Self::Unit(unit) => unit.title(),
            Self::Fixture(fixture) => fixture.title(),
            Self::PatchPoint(point) => point.title(),
        }
    }

    /// How messages and the logbook name it.
    #[must_use]
    pub fn node_name(&self) -> NodeName {
        let identity = match self {
            Self::Node(_) => None,
            Self::Unit(unit) => Some(unit.identity.to_string()),
            Self::Fixture(fixture) => Some(fixture.uid.to_string()),
            Self::PatchPoint(point) => return point.node_name(),
        };
        NodeName { family: self.family(), mac: self.mac(), identity, name: self.title(), address: self.address() }
    }

    /// Everything it tells of its settings.
    #[must_use]
    pub fn told_facts(&self) -> Facts {
        match self {
            Self::Node(node) => {
                let mut facts = Facts::default();
                node.told().into_iter().for_each(|(field, value)| facts.learn(field, value));
                facts
            }
            Self::Unit(unit) => unit.facts.clone(),
            Self::Fixture(fixture) => fixture.facts.clone(),
            Self::PatchPoint(point) => point.unit.facts.clone(),
        }
    }

    /// The same with what it tells now; of an Art-Net node its replies say that.
    #[must_use]
    pub(crate) fn telling(mut self, facts: Facts) -> Self {
        match &mut self {
            Self::Unit(unit) => unit.facts = facts,
            Self::Fixture(fixture) => fixture.facts = facts,
            Self::PatchPoint(point) => point.unit.facts = facts,
            Self::Node(_) => {}
        }
        self
    }

    /// As an Art-Net node.
    #[must_use]
    pub fn node(&self) -> Option<&FoundNode> {
        match self {
            Self::Node(node) => Some(node),
            Self::Unit(_) | Self::Fixture(_) | Self::PatchPoint(_) => None,
        }
    }

    /// Whether this Art-Net node is the same device. Two that bear one MAC address at two addresses are two nodes.
    #[must_use]
    pub fn is_node(&self, other: &FoundNode) -> bool {
        match self {
            Self::Node(node) => node.mac == other.mac && node.address == other.address,
            Self::Unit(unit) => unit.mac.is_some() && [other.mac, other.heard_mac].contains(&unit.mac),
            Self::Fixture(_) | Self::PatchPoint(_) => false,
        }
    }

    /// The same, as it will be once it has this address and keeps it.
    #[must_use]
    pub(crate) fn parked_at(&self, address: Ipv4Addr) -> Self {
        let mut parked = self.clone();
        match &mut parked {
            Self::Node(node) => {
                let before = std::mem::replace(&mut node.address, address);
                let pages = node.pages.iter_mut().filter(|page| page.address == Some(before));
                pages.for_each(|page| page.address = Some(address));
                node.dhcp = node.dhcp.map(|_| false);
            }
            Self::Unit(unit) => {
                unit.address = address;
                if unit.facts.get(Field::Addressing).is_some() {
                    unit.facts.learn(Field::Addressing, Value::Flag(false));
                }
            }
            Self::PatchPoint(point) => point.unit.address = address,
            Self::Fixture(_) => {}
        }
        parked
    }

    /// The address that `field` has, where it was told and is one.
    pub(crate) fn told_address(&self, field: Field) -> Option<Ipv4Addr> {
        match self.tells(field, &Value::All) {
            Known::Told(Value::Address(address)) => Some(address),
            _ => None,
        }
    }
}

impl Tells for Subject {
    fn tells(&self, field: Field, wanted: &Value) -> Known<Value> {
        match self {
            Self::Node(node) => node.tells(field, wanted),
            Self::Unit(unit) => unit.tells(field, wanted),
            Self::Fixture(fixture) => fixture.facts.tells(field, wanted),
            Self::PatchPoint(point) => point.unit.facts.tells(field, wanted),
        }
    }
}

impl Unit {
    /// What its owner calls it; empty where it does not tell that.
    #[must_use]
    pub fn name(&self) -> Said {
        let text = |field| match self.facts.get(field) {
            Some(Value::Text(text)) if !text.is_empty() => Some(text.clone()),
            _ => None,
        };
        text(Field::Name).or_else(|| text(Field::Label)).unwrap_or_default()
    }

    /// Its name, or how its family knows it.
    #[must_use]
    pub fn title(&self) -> String {
        let name = self.name();
        if name.is_empty() { format!("{} {}", self.family, self.identity) } else { name.to_string() }
    }
}

impl Tells for Unit {
    /// Where it is, the packet it came in says, but not that of a broker; the rest is what it told.
    fn tells(&self, field: Field, wanted: &Value) -> Known<Value> {
        match field {
            Field::Address if self.family != Way::Rdmnet => Known::Told(Value::Address(self.address)),
            _ => Facts::tells(&self.facts, field, wanted),
        }
    }
}
