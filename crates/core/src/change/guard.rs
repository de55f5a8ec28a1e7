//! What speaks against a change: looked at before anything is sent.

use std::net::Ipv4Addr;

use lantern_wire::art_net::{LongName, ShortName};

use super::Change;
use super::rules::{
    GATEWAY, LOCKED, NO_HOST, NO_MAC, NOT_FROM_HERE, OUT_OF_REACH, OWN, PAGE_SPLIT, PAGES_MISSING, RING, SHARED,
    TAKEN, TOO_LONG, UNABLE, UNREACHABLE,
};
use crate::address::{Mask, Role, Subnet};
use crate::census::{Census, FoundNode};
use crate::clash::standing;
use crate::compare::{Difference, PortDifference};
use crate::conversation::Seat;
use crate::finding::Finding;
use crate::sheet::RigSheet;
use crate::universe::PortAddress;

/// What is known about the surroundings of a change.
#[derive(Debug, Clone, Copy)]
pub struct Protection<'a> {
    /// Who is there.
    pub census: &'a Census,
    /// What the sheet protects, where there is one.
    pub sheet: Option<&'a RigSheet>,
    /// Where this computer sits.
    pub seats: &'a [Seat],
}

impl Protection<'_> {
    /// What speaks against `change`, when the nodes in `leaving` will have left their addresses before.
    pub(super) fn against(&self, change: &Change, leaving: &[&FoundNode]) -> Vec<Finding> {
        let mut findings = self.against_touching(&change.node);
        findings.extend(too_long(change));
        if change.differences.iter().any(Difference::is_ip) {
            findings.extend(self.against_moving(change, leaving));
        }
        findings
    }

    fn against_touching(&self, node: &FoundNode) -> Vec<Finding> {
        let mut findings = Vec::new();
        let (name, address) = (node.title(), node.address);
        if !self.seats.iter().any(|seat| seat.subnet.contains(address)) {
            findings.push(UNREACHABLE.finding(
                format!("{name} has {address}, which this computer is not in a subnet with"),
                format!("give this computer a second address there: deft-lantern adapters advise {address}"),
            ));
        }
        let networks = self.sheet.map_or(&[][..], |sheet| &sheet.networks);
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
        if let Some(other) = self.holder(address, node) {
            findings.push(SHARED.finding(
                format!("{address} is held by {name} and by {}", described(other)),
                "unplug one of the two, then try again",
            ));
        }
        findings
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
        findings.extend(after.faults(&name));
        let Some(wanted) = change.new_address() else { return findings };
        if self.seats.iter().any(|seat| seat.own == wanted) {
            findings.push(OWN.finding(
                format!("{wanted} is this computer's own address"),
                format!("choose another address for {name}"),
            ));
        }
        if let Some(holder) = self.holder(wanted, node)
            && !leaving.contains(&holder)
        {
            findings.push(TAKEN.finding(
                format!("{wanted}, wanted for {name}, is held by {}", described(holder)),
                format!("choose another address for {name}, or move {} away first", holder.title()),
            ));
        }
        let network = self.sheet.and_then(|s| s.networks.iter().find(|n| n.range.value.contains(wanted)));
        findings.extend(network.map_or_else(Vec::new, |network| standing(network, wanted, &name)));
        if !self.seats.iter().any(|seat| seat.subnet.contains(wanted)) {
            findings.push(OUT_OF_REACH.finding(
                format!("{name} goes to {wanted}, which this computer is not in a subnet with"),
                format!("to go on working with the node: deft-lantern adapters advise {wanted}"),
            ));
        }
        findings
    }

    /// Who else holds `address`.
    fn holder(&self, address: Ipv4Addr, but: &FoundNode) -> Option<&FoundNode> {
        let same = |node: &FoundNode| node.mac == but.mac && node.address == but.address;
        self.census.nodes().iter().find(|node| node.address == address && !same(node))
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
            match difference {
                Difference::Address { planned, .. } => after.address = Some(*planned),
                Difference::Mask { planned, .. } => after.mask = Some(*planned),
                Difference::Gateway { planned, .. } => after.gateway = Some(*planned),
                Difference::Dhcp { planned: true } => after.address = None,
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
    let long = |difference: &Difference| match difference {
        Difference::Name { planned, .. } if !ShortName::fits(planned) => {
            Some(finding("name", planned, ShortName::CAPACITY))
        }
        Difference::Label { planned, .. } if !LongName::fits(planned) => {
            Some(finding("label", planned, LongName::CAPACITY))
        }
        _ => None,
    };
    change.differences.iter().filter_map(long).collect()
}

/// Why a difference cannot be made to vanish from here, if it cannot.
pub(super) fn not_settable(node: &FoundNode, difference: &Difference) -> Option<Finding> {
    let name = node.title();
    let unable = |what: String, remedy: &str| Some(UNABLE.finding(what, remedy));
    match difference {
        Difference::Firmware { .. } => Some(NOT_FROM_HERE.finding(
            format!("{name}: {difference}"),
            "load the firmware with the maker's tool, or correct the sheet",
        )),
        Difference::DataLoss { .. } if !node.can.data_loss => unable(
            format!("{name} cannot be told what to do on data loss"),
            "set it at the unit, or take on_data_loss off the sheet",
        ),
        Difference::Dhcp { planned: true } if !node.can.dhcp => {
            unable(format!("{name} cannot take its address by DHCP"), "give it a fixed address")
        }
        Difference::Port { number, what } => match what {
            PortDifference::Absent { has } => {
                unable(format!("{name} has no port {number}, it states {has}"), "choose one of its ports")
            }
            PortDifference::Direction { .. } if !node.can.direction => unable(
                format!("{name} cannot switch port {number} between input and output"),
                "switch it at the unit, or use another port",
            ),
            PortDifference::Protocol { .. } if !node.can.protocol => unable(
                format!("{name} cannot switch port {number} to {}", difference.planned()),
                "use the protocol it speaks, or another node",
            ),
            PortDifference::Universe { planned, .. } if planned.port_address().is_none() => unable(
                format!("{planned} on {name} port {number} is above what can be programmed"),
                "choose an sACN universe up to 32767",
            ),
            _ => None,
        },
        Difference::Pages { heard } => Some(PAGES_MISSING.finding(
            format!("only {heard} of the pages of {name} were heard"),
            "run the same command again; a lost answer is the usual cause",
        )),
        _ => None,
    }
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

fn described(node: &FoundNode) -> String {
    let mac = node.mac.map_or_else(|| "MAC not told".to_owned(), |mac| mac.to_string());
    format!("{} ({mac})", node.title())
}
