//! Who holds an address: everybody counts, whatever family told of it, whether it is on now or only planned.

use std::collections::{BTreeSet, HashMap};
use std::fmt;
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;

use super::{Beyond, Protection};
use crate::address::{AddressRange, Mask};
use crate::census::Subject;
use crate::census::{Device, FoundNode, Unit};
use crate::sheet::kind::Kind;
use crate::sheet::{SheetNode, Span};

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

/// Everybody who is known, by what they are asked for: looking one up takes the same time however many there are.
pub(super) struct Surroundings<'a> {
    pub(super) around: Protection<'a>,
    units: Vec<Unit>,
    nodes_at: HashMap<Ipv4Addr, Vec<&'a FoundNode>>,
    nodes_of: HashMap<MacAddress, Vec<&'a FoundNode>>,
    nodes_named: HashMap<String, Vec<&'a FoundNode>>,
    devices_at: HashMap<Ipv4Addr, Vec<&'a Device>>,
    announced_at: HashMap<Ipv4Addr, String>,
    planned_at: HashMap<Ipv4Addr, Vec<&'a SheetNode>>,
    planned_of: HashMap<MacAddress, &'a SheetNode>,
    planned_named: HashMap<&'a str, &'a SheetNode>,
    earlier_at: HashMap<Ipv4Addr, Vec<&'a Earlier>>,
}

impl<'a> Surroundings<'a> {
    pub(super) fn new(around: Protection<'a>) -> Self {
        let mut all = Self {
            around,
            units: around.census.units(),
            nodes_at: HashMap::new(),
            nodes_of: HashMap::new(),
            nodes_named: HashMap::new(),
            devices_at: HashMap::new(),
            announced_at: HashMap::new(),
            planned_at: HashMap::new(),
            planned_of: HashMap::new(),
            planned_named: HashMap::new(),
            earlier_at: HashMap::new(),
        };
        for node in around.census.nodes() {
            node.addresses().for_each(|address| all.nodes_at.entry(address).or_default().push(node));
            node.mac.into_iter().for_each(|mac| all.nodes_of.entry(mac).or_default().push(node));
            all.nodes_named.entry(node.name().raw().to_owned()).or_default().push(node);
        }
        for device in around.devices {
            device.addresses.iter().for_each(|address| all.devices_at.entry(*address).or_default().push(device));
        }
        for stream in around.census.streams().into_iter().filter(|stream| !stream.over) {
            all.announced_at
                .entry(stream.sender)
                .or_insert_with(|| format!("the sender of the stream {}", stream.session));
        }
        for service in around.census.services().into_iter().rev() {
            all.announced_at.insert(service.address, format!("the service {}", service.name));
        }
        let is_replaced = |mac| around.stands_for.is_some_and(|gone| gone.mac.is_some() && gone.mac == mac);
        for earlier in around.earlier.iter().filter(|one| !is_replaced(one.mac)) {
            all.earlier_at.entry(earlier.address).or_default().push(earlier);
        }
        for node in around.sheet.into_iter().flat_map(|sheet| &sheet.nodes) {
            node.fixed_address().into_iter().for_each(|at| all.planned_at.entry(at).or_default().push(node));
            match &node.mac {
                Some(mac) => all.planned_of.entry(mac.value).or_insert(node),
                None => all.planned_named.entry(node.name.value.as_str()).or_insert(node),
            };
        }
        all
    }

    /// Why something is changed that the sheet says there.
    pub(super) fn by_sheet_line(&self, span: Span) -> String {
        format!("sheet line {}", self.around.sheet.map_or(0, |sheet| sheet.position(span).line))
    }

    /// Whether this computer sits in a subnet with this address.
    pub(super) fn reaches(&self, address: Ipv4Addr) -> bool {
        self.around.seats.iter().any(|seat| seat.subnet.contains(address))
    }

    /// An address out of its reach, with the mask that goes with it.
    pub(super) fn beyond(&self, address: Ipv4Addr, mask: Option<Ipv4Addr>) -> Beyond {
        let networks = self.around.sheet.map_or(&[][..], |sheet| &sheet.networks);
        let is_planned = networks.iter().any(|network| network.range.value.contains(address));
        Beyond { address, mask: mask.and_then(|mask| Mask::try_from(mask).ok()), is_planned }
    }

    /// Who holds `address` but this node: whoever was seen there first, then whoever it is planned for.
    pub(super) fn holder(&self, address: Ipv4Addr, but: &Subject) -> Option<Holder<'a>> {
        let planned = || self.planned_at(address, but).filter(|_| !self.around.going_back);
        self.seen_at(address, but).or_else(|| planned().map(Holder::Planned))
    }

    /// Who else was seen at `address`.
    pub(super) fn seen_at(&self, address: Ipv4Addr, but: &Subject) -> Option<Holder<'a>> {
        let there = self.nodes_at.get(&address).into_iter().flatten();
        if let Some(node) = there.into_iter().find(|node| !but.is_node(node)) {
            return Some(Holder::Node(node));
        }
        let nodes = self.around.census.nodes();
        let is_own = |device: &Device| match device.node {
            Some(index) => nodes.get(index).is_some_and(|node| but.is_node(node)),
            None => but.macs().any(|own| Some(own) == device.mac),
        };
        // Seen without a MAC address, whoever is at the node's own address is the node.
        let is_bare_self = |device: &Device| device.mac.is_none() && but.has(address);
        let there = self.devices_at.get(&address).into_iter().flatten();
        if let Some(device) = there.into_iter().find(|device| !is_own(device) && !is_bare_self(device)) {
            return Some(Holder::Device(device));
        }
        let announced = self.announced_at.get(&address).filter(|_| !but.has(address));
        announced.map(|what| Holder::Announced(what.clone()))
    }

    /// Who else was seen in `range`, at the lowest address there.
    pub(super) fn seen_within(&self, range: AddressRange, but: &Subject) -> Option<(Ipv4Addr, Holder<'a>)> {
        let all = self.nodes_at.keys().chain(self.devices_at.keys()).copied();
        let within: BTreeSet<Ipv4Addr> = all.filter(|at| range.contains(*at)).collect();
        within.into_iter().find_map(|at| Some((at, self.seen_at(at, but)?)))
    }

    /// For which other node of the sheet `address` is planned.
    fn planned_at(&self, address: Ipv4Addr, but: &Subject) -> Option<&'a SheetNode> {
        let own = self.planned_as(but);
        let is_own = |node: &SheetNode| own.is_some_and(|own| std::ptr::eq(own, node));
        self.planned_at.get(&address)?.iter().find(|node| !is_own(node)).copied()
    }

    /// Which node of the sheet this one is: the one whose place it takes, else by its MAC address, or where the sheet gives none by
    /// its name.
    pub(super) fn planned_as(&self, subject: &Subject) -> Option<&'a SheetNode> {
        if subject.fixture().is_some() {
            return None;
        }
        if let Some(gone) = self.around.stands_for {
            let by_mac = gone.mac.and_then(|mac| self.planned_of.get(&mac));
            return by_mac.or_else(|| self.planned_named.get(gone.name.as_str())).copied();
        }
        let by_mac = subject.mac().and_then(|mac| self.planned_of.get(&mac));
        by_mac.or_else(|| self.planned_named.get(subject.name().raw())).copied()
    }

    /// The kind that the sheet says it is.
    pub(super) fn kind_of(&self, subject: &Subject) -> Option<&'a Kind> {
        let by_sheet = || self.around.sheet?.kind_of(self.planned_as(subject)?);
        by_sheet().or_else(|| subject.node().and_then(FoundNode::kind))
    }

    /// By how much the sACN universes it listens to are above its Port-Addresses.
    pub(super) fn sacn_offset_of(&self, subject: &Subject) -> u16 {
        let planned = self.around.sheet.zip(self.planned_as(subject));
        planned.map_or(0, |(sheet, node)| sheet.sacn_offset_of(node))
    }

    /// Who was seen at `address` by an earlier survey, and is not the node.
    pub(super) fn earlier_at(&self, address: Ipv4Addr, but: &Subject) -> Option<&'a Earlier> {
        let is_other = |one: &&&Earlier| one.mac.is_none() || one.mac != but.mac();
        self.earlier_at.get(&address)?.iter().find(is_other).copied()
    }

    /// Another node that bears this one's MAC address.
    pub(super) fn twin_of(&self, node: &FoundNode, subject: &Subject) -> Option<&'a FoundNode> {
        self.nodes_of.get(&node.mac?)?.iter().find(|one| !subject.is_node(one)).copied()
    }

    /// Another node that is called so.
    pub(super) fn namesake(&self, name: &str, but: &Subject) -> Option<&'a FoundNode> {
        self.nodes_named.get(name)?.iter().find(|node| !but.is_node(node)).copied()
    }

    /// Those of these units that can be set at all.
    pub(super) fn settable_units(&self, places: &[usize]) -> Vec<&Unit> {
        places.iter().filter_map(|place| self.units.get(*place)).filter(|unit| unit.is_settable()).collect()
    }

    /// The units of the device that this Art-Net node is.
    pub(super) fn units_of_node(&self, node: &FoundNode) -> impl Iterator<Item = &Unit> {
        let macs = [node.mac, node.heard_mac];
        self.units.iter().filter(move |unit| unit.mac.is_some() && macs.contains(&unit.mac) && unit.is_settable())
    }

    /// All units of the device that this one is of, itself first.
    pub(super) fn units_of_same<'b>(&'b self, unit: &'b Unit) -> Vec<&'b Unit> {
        let others = self.units.iter().filter(|one| one.is_settable() && one.family != unit.family);
        std::iter::once(unit).chain(others.filter(|one| one.is_same_device(unit))).collect()
    }

    /// The unit by which an Art-Net node can be set that stands where no datagram of ours reaches it.
    pub(super) fn rescuer(&self, node: &FoundNode) -> Option<&Unit> {
        if self.reaches(node.address) {
            return None;
        }
        self.units_of_node(node).find(|unit| unit.is_settable_anywhere())
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
