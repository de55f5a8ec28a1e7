//! What speaks against a change: looked at before anything is sent.

use std::collections::{HashMap, HashSet};
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;

use super::holders::{Earlier, Holder, Surroundings};
use super::rules::{
    EARLIER, FACTORY, GATEWAY, IMPOSSIBLE, LOCKED, NAME_TAKEN, NO_HOST, NO_MAC, NO_NODE, NOT_KEPT, OUT_OF_REACH,
    OUTSIDE, OWN, PAGE_SPLIT, RING, SETTINGS_UNTOLD, SHARED, TAKEN, TWINS, UNREACHABLE,
};
use super::settable::too_long;
use super::{Change, Silent};
use crate::address::Seat;
use crate::address::{AddressRange, Mask, Role, Subnet, Unusable};
use crate::census::Subject;
use crate::census::{Census, Device, FoundNode, NodeName};
use crate::clash::standing;
use crate::facts::{Difference, Field, Value};
use crate::finding::Finding;
use crate::sheet::kind::FactoryMode;
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
    /// Who belongs to the rig and does not answer now: no address of theirs is given to anybody.
    pub silent: &'a [Silent],
    /// Whether an address outside the sheet's networks and areas is meant.
    pub outside: bool,
    /// Whether everybody goes back to where they were: then what the sheet plans for others holds no address.
    pub going_back: bool,
    /// Whether what cannot be set over the network is left to a person: then it speaks against nothing.
    pub by_hand: bool,
    /// The unit whose place the one that is changed takes: it is gone, and what the sheet has for it is this one's.
    pub stands_for: Option<&'a NodeName>,
    /// Where a device may wait until its place is left; `None` for any free address of its subnet.
    pub parking: Option<AddressRange>,
}

impl<'a> Protection<'a> {
    /// Nothing is known but these nodes, and where this computer sits.
    #[must_use]
    pub const fn of(census: &'a Census, seats: &'a [Seat]) -> Self {
        Self {
            census,
            devices: &[],
            sheet: None,
            seats,
            own: &[],
            earlier: &[],
            silent: &[],
            outside: false,
            going_back: false,
            by_hand: false,
            stands_for: None,
            parking: None,
        }
    }
}

impl Surroundings<'_> {
    /// What speaks against `change`, when whoever is `leaving` will have left before.
    pub(super) fn against(&self, change: &Change, leaving: &Leaving) -> Vec<Finding> {
        let mut findings: Vec<Finding> = too_long(change);
        findings.extend(self.against_forgetting(change));
        findings.extend(self.against_name(change));
        if change.differences.iter().any(|difference| difference.field.is_ip()) {
            findings.extend(self.against_moving(change, leaving));
        }
        findings
    }

    /// Its kind is known to keep nothing when its power goes.
    fn against_forgetting(&self, change: &Change) -> Option<Finding> {
        let kind = self.kind_of(&change.subject).filter(|kind| kind.keeps == Some(false))?;
        let name = change.subject.title();
        Some(NOT_KEPT.finding(
            format!("{name} is a {} and keeps none of it when its power goes", kind.title()),
            "apply again after every power cut; see who it is about with: deft-lantern check SHEET --after-power-cycle",
        ))
    }

    fn networks(&self) -> &[Network] {
        self.around.sheet.map_or(&[][..], |sheet| &sheet.networks)
    }

    /// What speaks against sending anything to this one.
    pub(super) fn against_touching(&self, subject: &Subject) -> Vec<Finding> {
        let mut findings = Vec::new();
        if let Some(node) = subject.node() {
            findings.extend(self.against_orders_to(node, subject));
        }
        if subject.is_told_at_address() {
            findings.extend(self.against_speaking_to(subject));
        }
        let (name, address) = (subject.title(), subject.address());
        let networks = self.networks();
        let locked = networks.iter().flat_map(|network| &network.locked).find(|r| r.value.contains(address));
        // A fixture is as locked as its gateway is.
        let mac = subject.fixture().map_or_else(|| subject.mac(), |fixture| fixture.behind.mac);
        let device = networks.iter().flat_map(|network| &network.locked_devices).find(|d| Some(d.value) == mac);
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
        findings
    }

    /// What speaks against sending to the address of one that is told things there. Other families reach a unit by its identity.
    fn against_speaking_to(&self, subject: &Subject) -> Vec<Finding> {
        let mut findings = Vec::new();
        let (name, address) = (subject.title(), subject.address());
        if !self.reaches(address) {
            findings.push(UNREACHABLE.finding(
                format!("{name} has {address}, which this computer is not in a subnet with"),
                format!("give this computer a second address there: deft-lantern adapters advise {address}"),
            ));
        }
        if let Some(other) = self.seen_at(address, subject) {
            findings.push(SHARED.finding(
                format!("{address} is held by {name} and by {other}"),
                "unplug one of the two, then try again",
            ));
        }
        findings
    }

    /// What speaks against orders to an Art-Net node.
    fn against_orders_to(&self, node: &FoundNode, subject: &Subject) -> Vec<Finding> {
        let mut findings = Vec::new();
        let (name, address) = (node.title(), node.address);
        if !node.is_node() {
            findings.push(NO_NODE.finding(
                format!("{name} at {address} says that it is a {}", node.style),
                "set it where it runs; a node that it controls is named by the node's own name or address",
            ));
        }
        if let Some(twin) = self.twin_of(node, subject) {
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
        // What it was called before is no news to anybody.
        let wanted = change.differences.iter().find_map(name).filter(|_| !self.around.going_back)?;
        let other = self.namesake(&wanted, &change.subject)?;
        Some(NAME_TAKEN.finding(
            format!("{wanted} is the name of the node at {} too", other.address),
            "choose another name, unless the other one is renamed next",
        ))
    }

    fn against_moving(&self, change: &Change, leaving: &Leaving) -> Vec<Finding> {
        let name = change.subject.title();
        let mut findings = Vec::new();
        if change.subject.mac().is_none() {
            findings.push(
                NO_MAC.finding(format!("{name} does not tell its MAC address"), "set it at the unit itself"),
            );
        }
        if change.differences.iter().any(|difference| difference.field == Field::FactoryNetwork) {
            findings.extend(self.against_factory(change));
            return findings;
        }
        let after = Settings::after(change);
        let Some(wanted) = change.new_address() else {
            findings.extend(after.faults(&name));
            return findings;
        };
        let on_loopback = self.around.seats.iter().any(|seat| seat.own.is_loopback());
        if let Some(unusable) = Unusable::of(wanted, on_loopback) {
            findings
                .push(IMPOSSIBLE.finding(format!("{wanted}, wanted for {name}: {unusable}"), unusable.remedy()));
            return findings;
        }
        findings.extend(after.faults(&name));
        findings.extend(self.against_address(wanted, change, leaving));
        findings
    }

    /// Where it will stand by itself is known at best from its kind.
    fn against_factory(&self, change: &Change) -> Vec<Finding> {
        let (name, from) = (change.subject.title(), change.subject.address());
        let kind = self.kind_of(&change.subject);
        let (there, range) = match kind.map(|kind| (kind.factory_mode, kind.factory)) {
            Some((FactoryMode::Dhcp, _)) => ("an address that a DHCP server gives it".to_owned(), None),
            Some((FactoryMode::LinkLocal, _)) => ("a link-local address".to_owned(), None),
            Some((FactoryMode::Fixed, Some(range))) => (range.to_string(), Some(range)),
            _ => ("an address that its kind does not tell".to_owned(), None),
        };
        let mut findings = vec![FACTORY.finding(
            format!("{name} leaves {from} for {there}"),
            "find it afterwards with: deft-lantern survey; undo gives it back what it had, where it is in reach",
        )];
        // Units of one kind choose by themselves, and may choose the same.
        let taken = range.and_then(|range| self.seen_within(range, &change.subject));
        findings.extend(taken.map(|(at, other)| {
            TAKEN.finding(
                format!("{name} would choose an address by itself, perhaps {at}, where {other} stands"),
                format!("give {other} another address first"),
            )
        }));
        findings
    }

    fn against_address(&self, wanted: Ipv4Addr, change: &Change, leaving: &Leaving) -> Vec<Finding> {
        let subject = &change.subject;
        let name = subject.title();
        let mut findings = Vec::new();
        if self.around.own.contains(&wanted) || self.around.seats.iter().any(|seat| seat.own == wanted) {
            findings.push(OWN.finding(
                format!("{wanted} is this computer's own address"),
                format!("choose another address for {name}"),
            ));
        }
        let leaves = |holder: &Holder<'_>| match holder {
            Holder::Node(other) => leaving.is_left_by(wanted, other.mac),
            Holder::Device(device) => leaving.is_left_by(wanted, device.mac),
            Holder::Announced(_) | Holder::Planned(_) => false,
        };
        if leaving.is_wanted_twice(wanted) {
            findings.push(TAKEN.finding(
                format!("{wanted}, wanted for {name}, is wanted for another one too"),
                "give each its own address",
            ));
        }
        match self.holder(wanted, subject).filter(|holder| !leaves(holder)) {
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
                findings.extend(self.earlier_at(wanted, subject).map(silent));
            }
        }
        findings.extend(self.against_place(wanted, subject));
        // A unit that is reached by its identity stays in reach wherever it goes.
        if subject.is_told_at_address() && !self.reaches(wanted) {
            findings.push(OUT_OF_REACH.finding(
                format!("{name} goes to {wanted}, which this computer is not in a subnet with"),
                format!("to go on working with the node: deft-lantern adapters advise {wanted}"),
            ));
        }
        findings
    }

    /// What the sheet's networks and areas have against this one at `wanted`.
    fn against_place(&self, wanted: Ipv4Addr, subject: &Subject) -> Vec<Finding> {
        let (Some(sheet), name) = (self.around.sheet, subject.title()) else { return Vec::new() };
        let outside = |what: String| {
            OUTSIDE
                .finding(what, format!("choose an address inside, or say that {wanted} is meant with --outside"))
        };
        let Some(network) = sheet.networks.iter().position(|n| n.range.value.contains(wanted)) else {
            let is_strange = !sheet.networks.is_empty() && !self.around.outside;
            let what = format!("{wanted}, wanted for {name}, lies outside every network of the sheet");
            return is_strange.then(|| outside(what)).into_iter().collect();
        };
        let findings = standing(&sheet.networks[network], wanted, &name);
        if !findings.is_empty() || self.around.outside {
            return findings;
        }
        let own = self.planned_as(subject).and_then(|planned| sheet.area_of(planned));
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

/// Who leaves which address in the course of a plan, and which addresses are wanted.
#[derive(Default)]
pub(super) struct Leaving {
    left: HashSet<(Ipv4Addr, MacAddress)>,
    wanted: HashMap<Ipv4Addr, u32>,
}

impl Leaving {
    pub(super) fn of(changes: &[Change]) -> Self {
        let mut all = Self::default();
        for change in changes {
            let (from, wanted) = (change.subject.address(), change.new_address());
            *wanted.map_or(&mut 0, |to| all.wanted.entry(to).or_default()) += 1;
            if wanted.is_some_and(|to| to != from) {
                all.left.extend(change.subject.macs().map(|mac| (from, mac)));
            }
        }
        all
    }

    fn is_left_by(&self, address: Ipv4Addr, mac: Option<MacAddress>) -> bool {
        mac.is_some_and(|mac| self.left.contains(&(address, mac)))
    }

    fn is_wanted_twice(&self, address: Ipv4Addr) -> bool {
        self.wanted.get(&address).is_some_and(|count| *count > 1)
    }

    pub(super) fn is_wanted(&self, address: Ipv4Addr) -> bool {
        self.wanted.contains_key(&address)
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
        let subject = &change.subject;
        let mut after = Self {
            address: Some(subject.address()),
            mask: subject.told_address(Field::Mask).and_then(|mask| Mask::try_from(mask).ok()),
            gateway: subject.told_address(Field::Gateway),
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

/// Whether it would not be said by a computer that reaches everybody.
pub(super) fn is_about_reach(finding: &Finding) -> bool {
    [&UNREACHABLE, &OUT_OF_REACH].iter().any(|rule| std::ptr::eq(*rule, finding.rule))
}

/// The finding for a node that does not tell what would have to go along with an address.
pub(super) fn settings_untold(name: &str, lacks: &str, by_dhcp: bool) -> Finding {
    let remedy = if by_dhcp {
        "set it at the unit itself".to_owned()
    } else {
        format!(
            "say them too, as in --mask 255.255.0.0 --gateway 0.0.0.0 (for none), or write {lacks} into the sheet's network"
        )
    };
    SETTINGS_UNTOLD.finding(format!("{name} does not tell its {lacks}"), remedy)
}

/// The finding for a page whose ports would be torn apart.
pub(super) fn page_split(node: &FoundNode, number: u32, stays: PortAddress, wanted: PortAddress) -> Finding {
    PAGE_SPLIT.finding(
        format!("{} port {number} has {stays}, on one page with a port wanted on {wanted}", node.title()),
        format!("move all ports of the page to net {} sub {}, or use another page", wanted.net(), wanted.sub()),
    )
}

/// The finding for nodes whose new addresses are each held by the next, and none of which can be parked.
pub(super) fn ring(names: &[String], parking: Option<AddressRange>) -> Finding {
    let first = names.first().map_or("", String::as_str);
    let (what, remedy) = match parking {
        Some(range) => (
            format!("no address of {range} is free for {first} to wait at"),
            "name another range with --parking".to_owned(),
        ),
        None => (
            format!("no address of its subnet is free for {first} to wait at"),
            format!("name a range with --parking, or move {first} away first, with deft-lantern set"),
        ),
    };
    RING.finding(format!("{} each want the next one's address, and {what}", names.join(", ")), remedy)
}
