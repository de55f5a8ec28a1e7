//! Who holds an address: everybody counts, whatever family told of it, whether it is on now or only planned.

use std::fmt;
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;

use super::Protection;
use crate::census::Subject;
use crate::census::{Device, FoundNode};
use crate::sheet::SheetNode;
use crate::sheet::kind::Kind;

/// A device that an earlier survey saw, and that is silent now.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Earlier {
    /// Its address then.
    pub address: Ipv4Addr,
    /// Its MAC address, where it was known.
    pub mac: Option<MacAddress>,
    /// What it called itself, or was.
    pub name: String,
    /// The day on which it was last seen.
    pub last_seen: String,
}

/// Somebody who holds an address.
#[derive(Debug, Clone)]
pub(super) enum Holder<'a> {
    /// An Art-Net node that answers.
    Node(&'a FoundNode),
    /// Another device that was seen.
    Device(&'a Device),
    /// Somebody who is only told of: a service or a stream that names this address.
    Announced(String),
    /// Another node of the sheet, whether it is on or not.
    Planned(&'a SheetNode),
}

impl Protection<'_> {
    /// Who holds `address` but this node: whoever was seen there first, then whoever it is planned for.
    pub(super) fn holder(&self, address: Ipv4Addr, but: &Subject) -> Option<Holder<'_>> {
        self.seen_at(address, but).or_else(|| self.planned_at(address, but).map(Holder::Planned))
    }

    /// Who else was seen at `address`.
    pub(super) fn seen_at(&self, address: Ipv4Addr, but: &Subject) -> Option<Holder<'_>> {
        let nodes = self.census.nodes();
        let other_node =
            nodes.iter().filter(|node| !but.is_node(node)).find(|n| n.addresses().any(|a| a == address));
        if let Some(node) = other_node {
            return Some(Holder::Node(node));
        }
        let is_own = |device: &Device| match device.node {
            Some(index) => nodes.get(index).is_some_and(|node| but.is_node(node)),
            None => but.macs().any(|own| Some(own) == device.mac),
        };
        // Seen without a MAC address, whoever is at the node's own address is the node.
        let is_bare_self = |device: &Device| device.mac.is_none() && but.has(address);
        let other = self
            .devices
            .iter()
            .filter(|device| device.addresses.contains(&address))
            .find(|device| !is_own(device) && !is_bare_self(device));
        if let Some(device) = other {
            return Some(Holder::Device(device));
        }
        if but.has(address) {
            return None;
        }
        let service = self.census.services().into_iter().find(|service| service.address == address);
        let stream = || {
            let stream = self.census.streams().into_iter().find(|s| s.sender == address && !s.over)?;
            Some(format!("the sender of the stream {}", stream.session))
        };
        let told = service.map(|service| format!("the service {}", service.name)).or_else(stream);
        told.map(Holder::Announced)
    }

    /// For which other node of the sheet `address` is planned.
    fn planned_at(&self, address: Ipv4Addr, but: &Subject) -> Option<&SheetNode> {
        let sheet = self.sheet?;
        let own = self.planned_as(but);
        let is_own = |node: &&SheetNode| own.is_some_and(|own| std::ptr::eq(own, *node));
        sheet.nodes.iter().find(|node| node.fixed_address() == Some(address) && !is_own(node))
    }

    /// Which node of the sheet this one is: by its MAC address, or where the sheet gives none by its name.
    pub(super) fn planned_as(&self, subject: &Subject) -> Option<&SheetNode> {
        let nodes = &self.sheet?.nodes;
        let by_mac = nodes.iter().find(|one| one.mac.as_ref().is_some_and(|mac| Some(mac.value) == subject.mac()));
        by_mac.or_else(|| nodes.iter().find(|one| one.mac.is_none() && one.name.value == subject.name().raw()))
    }

    /// The kind that the sheet says it is.
    pub(super) fn kind_of(&self, subject: &Subject) -> Option<&Kind> {
        self.sheet?.kind_of(self.planned_as(subject)?)
    }

    /// Who was seen at `address` by an earlier survey, and is not the node.
    pub(super) fn earlier_at(&self, address: Ipv4Addr, but: &Subject) -> Option<&Earlier> {
        let is_other = |one: &&Earlier| one.mac.is_none() || one.mac != but.mac();
        self.earlier.iter().filter(is_other).find(|one| one.address == address)
    }
}

impl fmt::Display for Holder<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let mac = |mac: Option<MacAddress>| mac.map_or_else(|| "MAC not told".to_owned(), |mac| mac.to_string());
        match self {
            Self::Node(node) => write!(f, "{} ({})", node.title(), mac(node.mac)),
            Self::Device(device) if device.name.is_empty() => match device.mac {
                Some(mac) => mac.fmt(f),
                None => f.write_str("a device whose MAC address was not seen"),
            },
            Self::Device(device) => write!(f, "{} ({})", device.name, mac(device.mac)),
            Self::Announced(what) => f.write_str(what),
            Self::Planned(node) => write!(f, "{} of the sheet, whether it is on or not", node.name.value),
        }
    }
}
