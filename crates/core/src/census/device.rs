//! Devices: everything seen, one for each piece of equipment, put together by MAC address.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;
use serde::{Deserialize, Serialize};

use super::presence::Seen;
use super::{Census, FoundNode, Roles, Standing, Unit, Way};
use crate::address::Subnet;
use crate::facts::{Field, Known, Tells, Value};
use crate::{Said, as_text};

/// A device, whatever its family.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Device {
    /// What it calls itself; empty when it told no name.
    pub name: Said,
    /// What it is, in words.
    pub what: Said,
    /// Its MAC address, where that is known.
    #[serde(with = "as_text::option")]
    pub mac: Option<MacAddress>,
    /// Its address; the one this computer can reach when it has several. `None` when it has none.
    pub address: Option<Ipv4Addr>,
    /// All its addresses.
    pub addresses: Vec<Ipv4Addr>,
    /// How it stands with this computer.
    pub standing: Standing,
    /// How it was seen.
    pub seen_by: Vec<SeenBy>,
    /// Its place among [`Census::nodes`], when it is an Art-Net node.
    #[serde(skip)]
    pub node: Option<usize>,
    /// The places of what belongs to it among [`Census::units`].
    #[serde(skip)]
    pub units: Vec<usize>,
    /// What to call it by where it can be set wherever it stands, by a family that needs no address for that.
    #[serde(skip)]
    pub set_as: Option<String>,
}

/// One way in which a device was seen.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct SeenBy {
    /// The way.
    pub way: Way,
    /// When for the first time, since the survey began.
    #[serde(rename = "first_ms", with = "crate::as_millis")]
    pub first: Duration,
    /// When for the last time.
    #[serde(rename = "last_ms", with = "crate::as_millis")]
    pub last: Duration,
}

/// From where the devices are looked at.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Viewpoint {
    /// The subnets this computer is in; empty when they are not known.
    pub subnets: Vec<Subnet>,
    /// This computer's own addresses: whoever else is seen with one is in its way.
    pub own: Vec<Ipv4Addr>,
    /// Its own MAC address there.
    pub own_mac: Option<MacAddress>,
    /// The gateways of this computer: what comes through one carries its MAC address.
    pub gateways: Vec<Ipv4Addr>,
    /// Whether anything was asked at all, or only listened.
    pub asked: bool,
    /// Whether every device within reach was asked for an echo.
    pub echo_asked: bool,
}

/// Two devices or more that hold one address.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Contested {
    /// The address.
    pub address: Ipv4Addr,
    /// Who holds it.
    pub macs: Vec<MacAddress>,
}

/// What belongs to one piece of equipment.
#[derive(Debug, Default)]
struct Group {
    mac: Option<MacAddress>,
    addresses: BTreeSet<Ipv4Addr>,
    ways: BTreeMap<Way, (Duration, Duration)>,
    to_us: bool,
    node: Option<usize>,
    units: Vec<usize>,
    set_as: Option<String>,
}

impl Group {
    fn is_placeless(&self) -> bool {
        self.mac.is_none() && self.addresses.is_empty()
    }

    fn add(&mut self, address: Ipv4Addr, seen: &Seen) {
        if !address.is_unspecified() {
            self.addresses.insert(address);
        }
        self.to_us |= seen.to_us;
        for (way, first, last) in seen.ways() {
            let times = self.ways.entry(*way).or_insert((*first, *last));
            *times = (times.0.min(*first), times.1.max(*last));
        }
    }
}

/// Groups being put together.
#[derive(Debug, Default)]
struct Groups {
    all: Vec<Group>,
    by_mac: HashMap<MacAddress, usize>,
    by_address: BTreeMap<Ipv4Addr, Vec<usize>>,
}

impl Groups {
    fn with_mac(&mut self, mac: MacAddress) -> usize {
        *self.by_mac.entry(mac).or_insert_with(|| {
            self.all.push(Group { mac: Some(mac), ..Group::default() });
            self.all.len() - 1
        })
    }

    fn without_place(&mut self) -> usize {
        self.all.push(Group::default());
        self.all.len() - 1
    }

    fn hold(&mut self, address: Ipv4Addr, group: usize) {
        let holders = self.by_address.entry(address).or_default();
        if !address.is_unspecified() && !holders.contains(&group) {
            holders.push(group);
        }
    }

    fn holders(&self, address: Ipv4Addr) -> &[usize] {
        self.by_address.get(&address).map_or(&[], Vec::as_slice)
    }

    fn bare(&mut self, address: Ipv4Addr) -> Vec<usize> {
        if self.holders(address).is_empty() {
            self.all.push(Group::default());
            self.hold(address, self.all.len() - 1);
        }
        self.holders(address).to_vec()
    }
}

impl Census {
    /// Every device, in the order of addresses, as they look from there.
    #[must_use]
    pub fn devices(&self, from: &Viewpoint) -> Vec<Device> {
        let groups = self.grouped(from);
        let (roles, units) = (Roles::of(self), self.units());
        let mut devices: Vec<Device> =
            groups.all.iter().map(|group| self.device(group, from, &roles, &units)).collect();
        devices.sort_by_key(|device| (device.address.is_none(), device.address, device.mac));
        devices
    }

    /// The addresses that several devices hold.
    #[must_use]
    pub fn contested(&self, from: &Viewpoint) -> Vec<Contested> {
        let groups = self.grouped(from);
        let mac = |index: &usize| groups.all[*index].mac;
        let contested = groups.by_address.iter().map(|(address, holders)| {
            let mut macs: Vec<MacAddress> = holders.iter().filter_map(mac).collect();
            macs.sort_unstable();
            Contested { address: *address, macs }
        });
        contested.filter(|contested| contested.macs.len() > 1).collect()
    }

    fn grouped(&self, from: &Viewpoint) -> Groups {
        let presence = self.presence.sorted();
        let is_gateway = |address: &Ipv4Addr| from.gateways.contains(address);
        let routers: HashSet<MacAddress> = presence
            .iter()
            .filter(|((_, address), _)| is_gateway(address))
            .filter_map(|((mac, _), _)| *mac)
            .collect();
        // What a router passes on carries the router's MAC address, not the sender's.
        let is_passed_on = |mac: MacAddress, address: Ipv4Addr| {
            let is_own = is_gateway(&address) || from.subnets.iter().any(|subnet| subnet.contains(address));
            routers.contains(&mac) && !is_own && !address.is_unspecified()
        };
        let mut groups = Groups::default();
        let (with_mac, bare): (Vec<_>, Vec<_>) = presence
            .into_iter()
            .partition(|((mac, address), _)| mac.is_some_and(|mac| !is_passed_on(mac, *address)));
        for ((mac, address), seen) in with_mac {
            let Some(mac) = mac else { continue };
            let group = groups.with_mac(mac);
            groups.all[group].add(address, seen);
            groups.hold(address, group);
        }
        for ((_, address), seen) in bare {
            for group in groups.bare(address) {
                groups.all[group].add(address, seen);
            }
        }
        self.place_nodes(&mut groups);
        self.place_units(&mut groups);
        groups
    }

    /// Finds the group of every unit: by its MAC address, or its address. One that tells neither, as behind a broker, is a device of
    /// its own.
    fn place_units(&self, groups: &mut Groups) {
        let mut placeless: HashMap<String, usize> = HashMap::new();
        for (index, unit) in self.units().iter().enumerate() {
            let by_mac = unit.mac.and_then(|mac| groups.by_mac.get(&mac)).copied();
            let group = by_mac.or_else(|| groups.holders(unit.address).first().copied());
            let group = group.or_else(|| {
                let is_placeless = unit.mac.is_none() && unit.address.is_unspecified();
                is_placeless
                    .then(|| *placeless.entry(unit.identity.to_string()).or_insert_with(|| groups.without_place()))
            });
            if let Some(group) = group {
                groups.all[group].units.push(index);
                if groups.all[group].is_placeless() {
                    groups.all[group].ways.entry(unit.family).or_default();
                }
                let set_as = unit.is_settable_anywhere().then(|| unit.identity.to_string());
                groups.all[group].set_as = set_as.or_else(|| groups.all[group].set_as.take());
            }
        }
    }

    /// Finds the group of every Art-Net node: by the MAC address it spoke from, the one it states, or its address.
    fn place_nodes(&self, groups: &mut Groups) {
        for (index, node) in self.nodes.iter().enumerate() {
            let by_mac = |mac: Option<MacAddress>| mac.and_then(|mac| groups.by_mac.get(&mac)).copied();
            let by_address = || groups.holders(node.address).first().copied();
            // What a router passed on has the router's MAC address, but is not at its address.
            let holds = |group: &usize| groups.all[*group].addresses.contains(&node.address);
            let heard = by_mac(node.heard_mac).filter(holds);
            let found = heard.or_else(|| by_mac(node.mac)).or_else(by_address);
            match found.filter(|group| groups.all[*group].node.is_none()) {
                Some(group) => groups.all[group].node = Some(index),
                None => {
                    groups.all.push(Group {
                        mac: node.mac,
                        addresses: BTreeSet::from([node.address]),
                        ways: BTreeMap::from([(Way::ArtNet, (node.first_heard, node.last_heard))]),
                        to_us: false,
                        node: Some(index),
                        units: Vec::new(),
                        set_as: None,
                    });
                    groups.hold(node.address, groups.all.len() - 1);
                }
            }
        }
    }

    fn device(&self, group: &Group, from: &Viewpoint, roles: &Roles, units: &[Unit]) -> Device {
        let node = group.node.map(|index| &self.nodes[index]);
        let reachable = |address: &&Ipv4Addr| from.subnets.iter().any(|subnet| subnet.contains(**address));
        let stated = node.map(|node| node.address);
        let address = stated
            .or_else(|| group.addresses.iter().find(reachable).copied())
            .or_else(|| group.addresses.first().copied());
        let seen_by =
            group.ways.iter().map(|(way, (first, last))| SeenBy { way: *way, first: *first, last: *last });
        let seen_by: Vec<SeenBy> = seen_by.collect();
        let (mut name, mut what) = roles.of_device(node, group.mac, &group.addresses, &seen_by);
        let unit = group.units.first().filter(|_| group.is_placeless()).and_then(|place| units.get(*place));
        if let Some(unit) = unit {
            name = if unit.name().is_empty() { unit.identity.clone() } else { unit.name() };
            what = unit.what.clone();
        }
        Device {
            name,
            what,
            mac: group.mac.or_else(|| node.and_then(|node| node.mac)),
            address,
            addresses: group.addresses.iter().copied().collect(),
            standing: Standing::of(address, node.is_some(), group.to_us, &seen_by, from),
            seen_by,
            node: group.node,
            units: group.units.clone(),
            set_as: group.set_as.clone(),
        }
    }
}

impl Device {
    /// Whether it was seen so.
    #[must_use]
    pub fn is_seen_by(&self, way: Way) -> bool {
        self.seen_by.iter().any(|seen| seen.way == way)
    }

    /// Whether it is the one at this address: its MAC address says so where both are known.
    pub(crate) fn is_at(&self, address: Ipv4Addr, mac: Option<MacAddress>) -> bool {
        match (mac, self.mac) {
            (Some(one), Some(own)) => one == own,
            _ => self.addresses.contains(&address),
        }
    }

    /// Whether it asks for an address by DHCP, and nobody gives it one. Art-Net nodes are set where they are.
    #[must_use]
    pub fn asks_for_an_address(&self) -> bool {
        let has_none = self.address.is_none_or(|address| address.is_link_local());
        self.node.is_none() && has_none && self.is_seen_by(Way::Dhcp)
    }

    /// What it told of a field: as one of these nodes, else as one of these units, those of the census it is of.
    #[must_use]
    pub fn told(&self, field: Field, nodes: &[FoundNode], units: &[Unit]) -> Option<Value> {
        let node = self.node.and_then(|index| nodes.get(index)).map(|node| node.tells(field, &Value::All));
        let of_units = || self.units.iter().find_map(|index| units.get(*index)?.facts.get(field).cloned());
        match node {
            Some(Known::Told(value)) => Some(value),
            _ => of_units(),
        }
    }

    /// Its name, or its address, or its MAC address.
    #[must_use]
    pub fn title(&self) -> String {
        match (self.name.is_empty(), self.address, self.mac) {
            (false, ..) => self.name.to_string(),
            (true, Some(address), _) => address.to_string(),
            (true, None, Some(mac)) => mac.to_string(),
            (true, None, None) => "nameless".to_owned(),
        }
    }

    /// Its name, or its MAC address: what to say beside its address.
    #[must_use]
    pub fn title_beside_address(&self) -> String {
        match (self.name.is_empty(), self.mac) {
            (false, _) => self.name.to_string(),
            (true, Some(mac)) => mac.to_string(),
            (true, None) => "a device".to_owned(),
        }
    }

    /// What the program's user can type to get further with it; `None` when it is all right.
    #[must_use]
    pub fn next(&self) -> Option<String> {
        if let (Some(name), Standing::OtherSubnet | Standing::NoAddress) = (&self.set_as, self.standing) {
            return Some(format!("deft-lantern set {name} --address ADDRESS"));
        }
        if self.asks_for_an_address() {
            return Some("deft-lantern lease".to_owned());
        }
        let range = || self.address.map(|address| format!("deft-lantern survey --range {address}"));
        match self.standing {
            Standing::Answers => None,
            Standing::OtherSubnet => self.address.map(|address| format!("deft-lantern adapters advise {address}")),
            Standing::NoAddress => Some("deft-lantern arrivals".to_owned()),
            // Of those who answer everybody only, most have a narrower mask than this computer.
            Standing::OneWay => self.address.map(|address| format!("deft-lantern adapters advise {address}/24")),
            Standing::OnlyArp | Standing::SilentToEcho | Standing::NotAsked => range(),
            Standing::Missing => self.mac.map(|mac| format!("deft-lantern survey --mac {mac}")),
        }
    }
}
