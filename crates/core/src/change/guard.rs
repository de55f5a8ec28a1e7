//! What speaks against a change: looked at before anything is sent.

use std::net::Ipv4Addr;

use lantern_wire::art_net::{LongName, ShortName};

use super::Change;
use super::holders::{Earlier, Holder, is_same};
use super::rules::{
    EARLIER, GATEWAY, IMPOSSIBLE, LOCKED, NAME_TAKEN, NO_HOST, NO_MAC, NO_NODE, NOT_FROM_HERE, OUT_OF_REACH,
    OUTSIDE, OWN, PAGE_SPLIT, PAGE_UNNAMED, PAGES_MISSING, RING, SETTINGS_UNTOLD, SHARED, TAKEN, TOO_LONG, TWINS,
    UNABLE, UNREACHABLE,
};
use crate::address::{Mask, Role, Subnet, Unusable};
use crate::census::{Census, Device, FoundNode};
use crate::clash::standing;
use crate::conversation::Seat;
use crate::facts::{Difference, Field, PortField, Value};
use crate::finding::Finding;
use crate::sheet::{Network, RigSheet};
use crate::universe::PortAddress;

/// What is known about the surroundings of a change.
#[derive(Debug, Clone, Copy)]
pub struct Protection<'a> {
    /// The Art-Net nodes, services and streams that were seen.
    pub census: &'a Census,
    /// Everybody who was seen, whatever family.
    pub devices: &'a [Device],
    /// What the sheet protects, where there is one.
    pub sheet: Option<&'a RigSheet>,
    /// Where this computer sits.
    pub seats: &'a [Seat],
    /// All addresses of this computer, on whatever adapter.
    pub own: &'a [Ipv4Addr],
    /// Who was seen by earlier surveys, and is silent now.
    pub earlier: &'a [Earlier],
    /// Whether an address outside the sheet's networks and areas is meant.
    pub outside: bool,
}

impl Protection<'_> {
    /// What speaks against `change`, when the nodes in `leaving` will have left their addresses before.
    pub(super) fn against(&self, change: &Change, leaving: &[&FoundNode]) -> Vec<Finding> {
        let mut findings: Vec<Finding> = too_long(change);
        findings.extend(self.against_name(change));
        if change.differences.iter().any(|difference| difference.field.is_ip()) {
            findings.extend(self.against_moving(change, leaving));
        }
        findings
    }

    fn networks(&self) -> &[Network] {
        self.sheet.map_or(&[][..], |sheet| &sheet.networks)
    }

    /// What speaks against sending anything to this node.
    pub(super) fn against_touching(&self, node: &FoundNode) -> Vec<Finding> {
        let mut findings = Vec::new();
        let (name, address) = (node.title(), node.address);
        if !node.is_node() {
            findings.push(NO_NODE.finding(
                format!("{name} at {address} says that it is a {}", node.style),
                "set it where it runs; a node that it controls is named by the node's own name or address",
            ));
        }
        if !self.seats.iter().any(|seat| seat.subnet.contains(address)) {
            findings.push(UNREACHABLE.finding(
                format!("{name} has {address}, which this computer is not in a subnet with"),
                format!("give this computer a second address there: deft-lantern adapters advise {address}"),
            ));
        }
        let networks = self.networks();
        let locked = networks.iter().flat_map(|network| &network.locked).find(|r| r.value.contains(address));
        let device =
            networks.iter().flat_map(|network| &network.locked_devices).find(|d| Some(d.value) == node.mac);
        if let Some(device) = device {
            findings.push(LOCKED.finding(
                format!("{name} at {address} is the locked device {}", device.value),
                "leave it, or take it off the sheet's locked_devices",
            ));
        }
        if let Some(range) = locked {
            findings.push(LOCKED.finding(
                format!("{name} at {address} stands in the locked range {}", range.value),
                "leave it, or take the range off the sheet's locked list",
            ));
        }
        if let Some(other) = self.seen_at(address, node) {
            findings.push(SHARED.finding(
                format!("{address} is held by {name} and by {other}"),
                "unplug one of the two, then try again",
            ));
        }
        let twin =
            self.census.nodes().iter().find(|one| one.mac.is_some() && one.mac == node.mac && !is_same(one, node));
        if let Some(twin) = twin {
            let what =
                format!("{name} at {address} and {} at {} bear one MAC address", twin.title(), twin.address);
            findings.push(TWINS.finding(what, "unplug one of the two, then try again"));
        }
        findings
    }

    fn against_name(&self, change: &Change) -> Option<Finding> {
        let name = |difference: &Difference| match (difference.field, &difference.planned) {
            (Field::Name, Value::Text(planned)) => Some(planned.raw().to_owned()),
            _ => None,
        };
        let wanted = change.differences.iter().find_map(name)?;
        let nodes = self.census.nodes().iter().filter(|node| !is_same(node, &change.node));
        let other = nodes.into_iter().find(|node| node.name().raw() == wanted)?;
        Some(NAME_TAKEN.finding(
            format!("{wanted} is the name of the node at {} too", other.address),
            "choose another name, unless the other one is renamed next",
        ))
    }

    fn against_moving(&self, change: &Change, leaving: &[&FoundNode]) -> Vec<Finding> {
        let node = &change.node;
        let name = node.title();
        let mut findings = Vec::new();
        if node.mac.is_none() {
            findings.push(
                NO_MAC.finding(format!("{name} does not tell its MAC address"), "set it at the unit itself"),
            );
        }
        let after = Settings::after(change);
        let Some(wanted) = change.new_address() else {
            findings.extend(after.faults(&name));
            return findings;
        };
        let on_loopback = self.seats.iter().any(|seat| seat.own.is_loopback());
        if let Some(unusable) = Unusable::of(wanted, on_loopback) {
            findings
                .push(IMPOSSIBLE.finding(format!("{wanted}, wanted for {name}: {unusable}"), unusable.remedy()));
            return findings;
        }
        findings.extend(after.faults(&name));
        findings.extend(self.against_address(wanted, change, leaving));
        findings
    }

    fn against_address(&self, wanted: Ipv4Addr, change: &Change, leaving: &[&FoundNode]) -> Vec<Finding> {
        let node = &change.node;
        let name = node.title();
        let mut findings = Vec::new();
        if self.own.contains(&wanted) || self.seats.iter().any(|seat| seat.own == wanted) {
            findings.push(OWN.finding(
                format!("{wanted} is this computer's own address"),
                format!("choose another address for {name}"),
            ));
        }
        let leaves = |holder: &Holder<'_>| match holder {
            Holder::Node(other) => leaving.contains(other),
            _ => false,
        };
        match self.holder(wanted, node).filter(|holder| !leaves(holder)) {
            Some(Holder::Planned(other)) => findings.push(TAKEN.finding(
                format!("{wanted}, wanted for {name}, is planned for {}", Holder::Planned(other)),
                format!(
                    "choose another address for {name}, or give {} another one on the sheet",
                    other.name.value
                ),
            )),
            Some(holder) => findings.push(TAKEN.finding(
                format!("{wanted}, wanted for {name}, is held by {holder}"),
                format!("choose another address for {name}, or move the other device away first"),
            )),
            None => {
                let silent = |one: &Earlier| {
                    let mac = one.mac.map(|mac| format!(" ({mac})")).unwrap_or_default();
                    EARLIER.finding(
                        format!("{wanted} was held by {}{mac} on {}, and is silent now", one.name, one.last_seen),
                        format!("make sure that it does not come back, or choose another address for {name}"),
                    )
                };
                findings.extend(self.earlier_at(wanted, node).map(silent));
            }
        }
        findings.extend(self.against_place(wanted, node));
        if !self.seats.iter().any(|seat| seat.subnet.contains(wanted)) {
            findings.push(OUT_OF_REACH.finding(
                format!("{name} goes to {wanted}, which this computer is not in a subnet with"),
                format!("to go on working with the node: deft-lantern adapters advise {wanted}"),
            ));
        }
        findings
    }

    /// What the sheet's networks and areas have against a node at `wanted`.
    fn against_place(&self, wanted: Ipv4Addr, node: &FoundNode) -> Vec<Finding> {
        let (Some(sheet), name) = (self.sheet, node.title()) else { return Vec::new() };
        let outside = |what: String| {
            OUTSIDE
                .finding(what, format!("choose an address inside, or say that {wanted} is meant with --outside"))
        };
        let Some(network) = sheet.networks.iter().position(|n| n.range.value.contains(wanted)) else {
            let is_strange = !sheet.networks.is_empty() && !self.outside;
            let what = format!("{wanted}, wanted for {name}, lies outside every network of the sheet");
            return is_strange.then(|| outside(what)).into_iter().collect();
        };
        let findings = standing(&sheet.networks[network], wanted, &name);
        if !findings.is_empty() || self.outside {
            return findings;
        }
        let own = self.planned_as(node).and_then(|planned| sheet.area_of(planned));
        let areas = sheet.areas.iter().filter(|area| area.network == network);
        let meant: Vec<_> = own.map_or_else(|| areas.collect(), |area| vec![area]);
        let ranged: Vec<_> = meant.iter().filter_map(|area| Some((area, area.range.as_ref()?.value))).collect();
        if ranged.is_empty() || ranged.iter().any(|(_, range)| range.contains(wanted)) {
            return Vec::new();
        }
        let which = match &ranged[..] {
            [(area, range)] => format!("{} ({range})", area.name.value),
            _ => "every area of the sheet".to_owned(),
        };
        vec![outside(format!("{wanted}, wanted for {name}, lies outside {which}"))]
    }
}

/// Address, mask and gateway as they will be, as far as known.
struct Settings {
    address: Option<Ipv4Addr>,
    mask: Option<Mask>,
    gateway: Option<Ipv4Addr>,
}

impl Settings {
    fn after(change: &Change) -> Self {
        let told = change.node.settings;
        let mut after = Self {
            address: Some(change.node.address),
            mask: told.and_then(|s| Mask::try_from(s.mask).ok()),
            gateway: told.map(|s| s.gateway),
        };
        for difference in &change.differences {
            match (difference.field, &difference.planned) {
                (Field::Address, Value::Address(planned)) => after.address = Some(*planned),
                (Field::Mask, Value::Address(planned)) => after.mask = Mask::try_from(*planned).ok(),
                (Field::Gateway, Value::Address(planned)) => after.gateway = Some(*planned),
                (Field::Addressing, Value::Flag(true)) => after.address = None,
                _ => {}
            }
        }
        after
    }

    fn faults(&self, name: &str) -> Vec<Finding> {
        let (Some(address), Some(mask)) = (self.address, self.mask) else { return Vec::new() };
        let subnet = Subnet::around(address, mask);
        let mut findings = Vec::new();
        if subnet.role(address) != Role::Host {
            findings.push(NO_HOST.finding(
                format!("{address} with mask {mask} is not a device's address, wanted for {name}"),
                format!("choose an address between {}", subnet.hosts()),
            ));
        }
        let gateway = self.gateway.filter(|gateway| !gateway.is_unspecified());
        if let Some(gateway) = gateway.filter(|gateway| subnet.role(*gateway) != Role::Host) {
            findings.push(GATEWAY.finding(
                format!("the gateway {gateway} of {name} would lie outside {subnet}"),
                "set --gateway 0.0.0.0 for none, or a router inside the subnet",
            ));
        }
        findings
    }
}

fn too_long(change: &Change) -> Vec<Finding> {
    let finding = |what: &str, text: &str, most: usize| {
        TOO_LONG.finding(
            format!("the {what} {text:?} has {} bytes, {most} are kept", text.len()),
            format!("shorten it to {most} bytes"),
        )
    };
    let long = |difference: &Difference| match (difference.field, &difference.planned) {
        (Field::Name, Value::Text(planned)) if !ShortName::fits(planned.raw()) => {
            Some(finding("name", planned.raw(), ShortName::CAPACITY))
        }
        (Field::Label, Value::Text(planned)) if !LongName::fits(planned.raw()) => {
            Some(finding("label", planned.raw(), LongName::CAPACITY))
        }
        _ => None,
    };
    change.differences.iter().filter_map(long).collect()
}

/// Why a difference cannot be made to vanish from here, if it cannot.
pub(super) fn not_settable(node: &FoundNode, difference: &Difference) -> Option<Finding> {
    let name = node.title();
    let unable = |what: String, remedy: &str| Some(UNABLE.finding(what, remedy));
    match (difference.field, &difference.planned) {
        (Field::Firmware, _) => Some(NOT_FROM_HERE.finding(
            format!("{name}: {difference}"),
            "load the firmware with the maker's tool, or correct the sheet",
        )),
        (Field::OnDataLoss, _) if node.can.data_loss == Some(false) => unable(
            format!("{name} cannot be told what to do on data loss"),
            "set it at the unit, or take on_data_loss off the sheet",
        ),
        (Field::Addressing, Value::Flag(true)) if node.can.dhcp == Some(false) => {
            unable(format!("{name} cannot take its address by DHCP"), "give it a fixed address")
        }
        (Field::Port(number, field), planned) => match (field, planned) {
            (PortField::Presence, _) => unable(
                format!("{name} has no port {number}, it states {}", node.port_count()),
                "choose one of its ports",
            ),
            (PortField::Direction, _) if node.can.direction == Some(false) => unable(
                format!("{name} cannot switch port {number} between input and output"),
                "switch it at the unit, or use another port",
            ),
            (PortField::Protocol, _) if node.can.protocol == Some(false) => unable(
                format!("{name} cannot switch port {number} to {}", difference.planned_in_words()),
                "use the protocol it speaks, or another node",
            ),
            (PortField::Universe, Value::Universe(planned)) if planned.port_address().is_none() => unable(
                format!("{planned} on {name} port {number} is above what can be programmed"),
                "choose an sACN universe up to 32767",
            ),
            (PortField::Merge | PortField::OnDataLoss, _) if difference.cannot_be_told() => {
                Some(NOT_FROM_HERE.finding(
                    format!("{name}: {difference}"),
                    "set and check it at the unit itself; Art-Net has no message for it",
                ))
            }
            _ if is_unnamed(node, number) => Some(PAGE_UNNAMED.finding(
                format!("{name} port {number} is on a page that does not say which it is"),
                "set this port at the unit itself: several of its pages answer to one index",
            )),
            _ => None,
        },
        (Field::Pages, _) => Some(PAGES_MISSING.finding(
            format!("only {} of the pages of {name} were heard", node.pages.len()),
            "run the same command again; a lost answer is the usual cause",
        )),
        _ => None,
    }
}

fn is_unnamed(node: &FoundNode, port: u32) -> bool {
    let page = node.port(port).map(|(place, _)| place.page);
    node.pages.iter().any(|one| Some(one.index) == page && !one.says_index)
}

/// The finding for a node that does not tell what would have to go along with an address.
pub(super) fn settings_untold(node: &FoundNode, lacks: &str, by_dhcp: bool) -> Finding {
    let remedy = if by_dhcp {
        "set it at the unit itself".to_owned()
    } else {
        format!(
            "say them too, as in --mask 255.255.0.0 --gateway 0.0.0.0 (for none), or write {lacks} into the sheet's network"
        )
    };
    SETTINGS_UNTOLD.finding(format!("{} does not tell its {lacks}", node.title()), remedy)
}

/// The finding for a page whose ports would be torn apart.
pub(super) fn page_split(node: &FoundNode, number: u32, stays: PortAddress, wanted: PortAddress) -> Finding {
    PAGE_SPLIT.finding(
        format!("{} port {number} has {stays}, on one page with a port wanted on {wanted}", node.title()),
        format!("move all ports of the page to net {} sub {}, or use another page", wanted.net(), wanted.sub()),
    )
}

/// The finding for nodes whose new addresses are each held by the next.
pub(super) fn ring(names: &[String]) -> Finding {
    RING.finding(
        format!("{} each want the next one's address", names.join(", ")),
        format!(
            "move {} to a free address first, with deft-lantern set",
            names.first().map_or("", String::as_str)
        ),
    )
}
