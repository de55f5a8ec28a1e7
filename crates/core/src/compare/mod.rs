//! Comparing what should be with what was found.

mod announced;
mod beside;
mod counting;
mod fixtures;
mod health;
mod matching;
mod patching;
mod places;
mod power;
mod sending;
mod tables;
mod together;
mod verdict;
mod walk;
mod wanted;

use std::collections::{BTreeSet, HashMap};
use std::net::Ipv4Addr;

use crate::address::Subnet;
use crate::census::{Census, Device, FoundNode, Standing, Unit, Way};
use crate::facts::{Difference, Field};
use crate::finding::{Finding, Rule, Severity};
use crate::lease::Lease;
use crate::sheet::kind::Kind;
use crate::sheet::{Member, RigSheet, SheetNode};

use together::Together;

pub use beside::{Beside, WasSeen};
pub(crate) use fixtures::CablesInWords;
pub use fixtures::{FixtureComparison, FixtureRow, FixtureState, Hanging, Port, compare_fixtures};
pub use health::{Trouble, troubles};
pub use matching::{Match, Matching};
pub use patching::{PatchComparison, PatchRow, PatchState, PlannedPatch, compare_patches, routed};
pub use places::{OpenCable, Order, OrderError, Place};
pub use power::{AfterPower, Kept, after_power};
pub use tables::Untold;
pub use verdict::{Tally, Verdict};
pub use walk::Walk;
pub use wanted::{Addressing, Wanted, WantedBroker, WantedPort};

/// The rules about what is sent, announced, and hangs on cables.
pub(crate) fn sending_rules() -> Vec<&'static Rule> {
    [sending::RULES, announced::RULES, fixtures::RULES, health::RULES, counting::RULES, patching::RULES].concat()
}

pub(crate) static RULES: &[&Rule] = &[&MISSING, &UNEXPECTED, &DIFFERENT, &AMBIGUOUS, &HELD, &UNTOLD, &UNCHECKED];

static MISSING: Rule = Rule {
    code: "R001",
    severity: Severity::Error,
    title: "a device of the sheet does not answer",
    why: "whatever hangs on it will stay dark or silent",
};
static UNEXPECTED: Rule = Rule {
    code: "R002",
    severity: Severity::Warning,
    title: "a node that is not on the sheet",
    why: "it may use an address or a universe that the sheet gives to another",
};
static DIFFERENT: Rule = Rule {
    code: "R003",
    severity: Severity::Error,
    title: "a node is set otherwise than planned",
    why: "the plan and the rig do not agree, so one of them will surprise somebody",
};
static AMBIGUOUS: Rule = Rule {
    code: "R004",
    severity: Severity::Error,
    title: "a node that cannot be told from another",
    why: "several units answer to what the sheet knows of it, and changing the wrong one would be worse than none",
};

static HELD: Rule = Rule {
    code: "R005",
    severity: Severity::Error,
    title: "a planned address that another device holds",
    why: "as soon as the node gets its address, two devices have it",
};

static UNTOLD: Rule = Rule {
    code: "R006",
    severity: Severity::Warning,
    title: "a node that did not tell everything planned",
    why: "what it does not tell may be as planned or not, and nobody knows",
};
static UNCHECKED: Rule = Rule {
    code: "R007",
    severity: Severity::Note,
    title: "a setting that cannot be checked from here",
    why: "no message of the protocol tells it, so only a look at the unit says whether it is as planned",
};

/// Sheet and census side by side.
#[derive(Debug, Clone)]
pub struct Comparison<'a> {
    /// One row for each node of the sheet, in its order.
    pub rows: Vec<Row<'a>>,
    /// What the sheet has besides nodes and where: desks, servers, switches.
    pub beside: Vec<Beside<'a>>,
    /// Nodes found that are not on the sheet, in the order of their addresses.
    pub unexpected: Vec<&'a FoundNode>,
}

/// One node of the sheet and what became of it.
#[derive(Debug, Clone)]
pub struct Row<'a> {
    /// The node as planned.
    pub planned: &'a SheetNode,
    /// What was found.
    pub state: State<'a>,
}

/// What was found of a planned node.
#[derive(Debug, Clone)]
pub enum State<'a> {
    /// It speaks no Art-Net, and this computer is in no subnet with it where it could be asked otherwise.
    NotAsked,
    /// It does not answer.
    Missing,
    /// It should speak this, and does not; the device is there all the same.
    Mute(&'a Device, Way),
    /// Several units could be it.
    Ambiguous(Vec<&'a FoundNode>),
    /// It answers; where it differs from the plan, if anywhere, and what it did not tell.
    Found(&'a FoundNode, Vec<Difference>),
    /// It speaks no Art-Net, and was seen; where it differs from the plan, if anywhere.
    Seen(&'a Device, Vec<Difference>),
}

/// Everybody who was seen, whatever family.
#[derive(Debug, Clone, Copy, Default)]
pub struct Everybody<'a> {
    /// The devices.
    pub devices: &'a [Device],
    /// The subnets in which every planned address was asked by ARP or echo: who was not seen there is not there.
    pub asked_in: &'a [Subnet],
    /// This computer's own addresses.
    pub own: &'a [Ipv4Addr],
    /// What was given by DHCP from here, and still runs.
    pub leases: &'a [Lease],
}

/// Devices that hold an address planned for a node that they are not, as their MAC addresses tell.
#[must_use]
pub fn held_addresses(sheet: &RigSheet, devices: &[Device]) -> Vec<Finding> {
    let planned: HashMap<Ipv4Addr, &SheetNode> =
        sheet.nodes.iter().filter_map(|node| Some((node.fixed_address()?, node))).collect();
    let holds = || devices.iter().flat_map(|device| device.addresses.iter().map(move |address| (device, address)));
    // Where its own node has it too, two have it, which is told as that.
    let is_held_by =
        |mac, at: &Ipv4Addr| holds().any(|(device, address)| address == at && device.mac == Some(mac));
    let finding = |(device, address): (&Device, &Ipv4Addr)| {
        let node = planned.get(address)?;
        let own = node.mac.as_ref()?.value;
        let other = device.mac.filter(|mac| *mac != own && !is_held_by(own, address))?;
        let name = &node.name.value;
        let holder = if device.name.is_empty() { other.to_string() } else { format!("{} ({other})", device.name) };
        let what = format!("{address}, planned for {name} ({own}), is held by {holder}");
        let remedy = format!("give {holder} another address, or plan another one for {name}");
        Some(HELD.finding(what, remedy).at(sheet, node.address.span, format!("planned for {name}")))
    };
    holds().filter_map(finding).collect()
}

/// Compares every node of the sheet with the Art-Net nodes of a census.
#[must_use]
pub fn compare<'a>(sheet: &'a RigSheet, census: &'a Census) -> Comparison<'a> {
    compare_all(sheet, census, Everybody::default())
}

/// Compares every node of the sheet with everybody who was seen.
#[must_use]
pub fn compare_all<'a>(sheet: &'a RigSheet, census: &'a Census, everybody: Everybody<'a>) -> Comparison<'a> {
    let matching = Matching::new(sheet, census);
    let (nodes, units) = (census.nodes(), census.units());
    let row = |(planned, matched): (&'a SheetNode, &Match)| {
        let state = match matched {
            Match::Missing => without_art_net(sheet, planned, everybody, &units),
            Match::Ambiguous(candidates) => State::Ambiguous(candidates.iter().map(|i| &nodes[*i]).collect()),
            Match::Found(index) => {
                let found = &nodes[*index];
                let mut differences = Wanted::by_sheet(sheet, planned).differences(found);
                // What is locked is not asked for its settings.
                if sheet.is_locked(found.address, found.mac) {
                    differences.retain(|difference| !difference.is_untold());
                }
                State::Found(found, differences)
            }
        };
        Row { planned, state }
    };
    let mut unexpected: Vec<&FoundNode> = matching.unexpected.iter().map(|i| &nodes[*i]).collect();
    unexpected.sort_by_key(|node| (node.address, node.mac));
    Comparison {
        rows: sheet.nodes.iter().zip(&matching.of_sheet).map(row).collect(),
        beside: beside::all(sheet, everybody),
        unexpected,
    }
}

/// What is known of a planned node that answers no Art-Net.
fn without_art_net<'a>(
    sheet: &RigSheet,
    planned: &'a SheetNode,
    everybody: Everybody<'a>,
    units: &[Unit],
) -> State<'a> {
    let device = device_of(planned, everybody.devices);
    let should = sheet.kind_of(planned).map_or(&[Way::ArtNet][..], Kind::should_speak);
    let art_net = should.contains(&Way::ArtNet);
    // Of several, one that is heard will do.
    let heard = |device: &Device| should.is_empty() || should.iter().any(|way| device.is_seen_by(*way));
    match (device, art_net) {
        (Some(device), _) if !heard(device) => State::Mute(device, should[0]),
        (None, true) => State::Missing,
        (Some(device), _) => {
            let lease = everybody.leases.iter().find(|lease| lease.is_of(device));
            let told_by = Together { device, units, lease };
            let mut differences = Wanted::by_sheet(sheet, planned).differences_of_unit(&told_by);
            // Only what the device has a word for by some family; but where it is and how it got there is everybody's.
            differences.retain(|difference| difference.field.is_ip() || !difference.cannot_be_told());
            // A name that nothing sets from here is its owner's business.
            let is_set_by_name = device.units.iter().filter_map(|place| units.get(*place)).any(Unit::is_settable);
            differences.retain(|difference| difference.field != Field::Name || is_set_by_name);
            State::Seen(device, differences)
        }
        (None, false)
            if planned.fixed_address().is_some_and(|a| everybody.asked_in.iter().any(|s| s.contains(a))) =>
        {
            State::Missing
        }
        (None, false) => State::NotAsked,
    }
}

/// Which node of the sheet a device is.
#[must_use]
pub fn planned_as<'a>(sheet: &'a RigSheet, device: &Device) -> Option<&'a SheetNode> {
    sheet.nodes.iter().find(|planned| device_of(planned, std::slice::from_ref(device)).is_some())
}

/// Which device a planned node is: by its MAC address; where the sheet gives none, by its address or its name.
fn device_of<'a>(planned: &SheetNode, devices: &'a [Device]) -> Option<&'a Device> {
    let mut seen = devices.iter().filter(|device| device.standing != Standing::Missing);
    if let Some(mac) = &planned.mac {
        // Without frames nobody's MAC address may be known.
        let bare = |device: &&Device| device.mac.is_none() && is_at(planned, device);
        let by_mac = seen.clone().find(|device| device.mac == Some(mac.value));
        return by_mac.or_else(|| seen.find(bare));
    }
    let mut others = seen.clone().filter(|device| device.node.is_none());
    let by_address = others.find(|device| is_at(planned, device));
    by_address.or_else(|| seen.find(|device| device.name.raw() == planned.name.value))
}

fn is_at(planned: &SheetNode, device: &Device) -> bool {
    planned.fixed_address().is_some_and(|address| device.addresses.contains(&address))
}

impl<'a> Comparison<'a> {
    /// The node of the sheet that this one of the census is.
    #[must_use]
    pub fn row_of(&self, node: &FoundNode) -> Option<&Row<'a>> {
        self.rows.iter().find(|row| matches!(row.state, State::Found(found, _) if std::ptr::eq(found, node)))
    }
}

impl<'a> Comparison<'a> {
    /// Only what is meant by these nodes, and by these desks, servers and switches; who is on no sheet is nobody's part.
    #[must_use]
    pub fn only(mut self, node: impl Fn(&SheetNode) -> bool, beside: impl Fn(Member<'a>) -> bool) -> Self {
        self.rows.retain(|row| node(row.planned));
        self.beside.retain(|one| beside(one.member));
        self.unexpected.clear();
        self
    }
}

impl Comparison<'_> {
    /// Whether every node answers, tells everything planned, all as planned, and no other is there.
    #[must_use]
    pub fn is_as_planned(&self) -> bool {
        let fine = |row: &Row<'_>| match &row.state {
            State::Found(_, differences) | State::Seen(_, differences) => differences.is_empty(),
            State::NotAsked => true,
            State::Missing | State::Mute(..) | State::Ambiguous(_) => false,
        };
        let none_missing = self.beside.iter().all(|one| !matches!(one.seen, WasSeen::Not));
        self.unexpected.is_empty() && self.rows.iter().all(fine) && none_missing
    }

    /// How many nodes were asked, and how many were not.
    #[must_use]
    pub fn asked(&self) -> (usize, usize) {
        let not_asked = self.rows.iter().filter(|row| matches!(row.state, State::NotAsked)).count();
        (self.rows.len() - not_asked, not_asked)
    }

    /// How many nodes answer otherwise than planned.
    #[must_use]
    pub fn different(&self) -> usize {
        self.rows.iter().filter(|row| row.is_different()).count()
    }

    /// How many nodes did not tell everything planned, and how many settings nobody can tell.
    #[must_use]
    pub fn untold(&self) -> (usize, usize) {
        let untold = self.rows.iter().filter(|row| row.differences().iter().any(Difference::is_untold)).count();
        let unchecked = self.rows.iter().flat_map(Row::differences).filter(|d| d.cannot_be_told()).count();
        (untold, unchecked)
    }

    /// Everything that is not as planned.
    #[must_use]
    pub fn findings(&self, sheet: &RigSheet) -> Vec<Finding> {
        let rows = self.rows.iter().flat_map(|row| row.findings(sheet)).chain(self.unchecked());
        let rows = rows.chain(self.beside.iter().filter_map(|one| one.finding(sheet)));
        rows.chain(self.unexpected.iter().map(|node| unexpected(node, sheet))).collect()
    }

    /// What is sent otherwise than planned: universes and streams.
    #[must_use]
    pub fn sending(&self, sheet: &RigSheet, census: &Census) -> Vec<Finding> {
        let mut findings = sending::findings(self, sheet, census);
        findings.extend(announced::findings(sheet, &census.streams()));
        findings
    }

    /// What no message tells of devices that speak no Art-Net: one finding for all of them.
    fn unchecked(&self) -> Option<Finding> {
        let mut fields = BTreeSet::new();
        let mut names = Vec::new();
        for row in self.rows.iter().filter(|row| matches!(row.state, State::Seen(..))) {
            let of_row = row.differences().iter().filter(|difference| difference.cannot_be_told());
            let of_row: Vec<Field> = of_row.map(|difference| difference.field).collect();
            if !of_row.is_empty() {
                names.push(row.planned.name.value.as_str());
            }
            fields.extend(of_row);
        }
        let (first, more) = (names.first()?, names.len() - 1);
        let who = match more {
            0 => format!("{first} speaks"),
            more => format!("{first} and {more} more speak"),
        };
        let fields: Vec<String> = fields.iter().map(ToString::to_string).collect();
        let what = format!("{who} nothing that tells {}", fields.join(", "));
        Some(UNCHECKED.finding(what, "look at the units themselves, or at their web pages"))
    }

    /// The same, but for the nodes that answer otherwise than planned.
    #[must_use]
    pub fn absences(&self, sheet: &RigSheet) -> Vec<Finding> {
        let rows = self.rows.iter().flat_map(|row| row.findings(sheet)).chain(self.unchecked());
        let rows = rows.filter(|finding| !std::ptr::eq(finding.rule, &DIFFERENT));
        let rows = rows.chain(self.beside.iter().filter_map(|one| one.finding(sheet)));
        rows.chain(self.unexpected.iter().map(|node| unexpected(node, sheet))).collect()
    }
}

impl Row<'_> {
    /// Where it differs from the plan, what it did not tell, and what cannot be told.
    #[must_use]
    pub fn differences(&self) -> &[Difference] {
        match &self.state {
            State::Found(_, differences) | State::Seen(_, differences) => differences,
            _ => &[],
        }
    }

    /// Whether the node answers, but otherwise than planned.
    #[must_use]
    pub fn is_different(&self) -> bool {
        self.differences().iter().any(Difference::is_told)
    }

    fn findings(&self, sheet: &RigSheet) -> Vec<Finding> {
        let name = &self.planned.name;
        let called = &name.value;
        let mut all = Vec::new();
        match &self.state {
            State::Missing => all.push(MISSING.finding(
                format!("{called} does not answer"),
                "look at its power, its link light and its cable, then check again",
            )),
            State::Mute(device, way) => {
                let at = device.address.map_or_else(String::new, |address| format!(" at {address}"));
                all.push(MISSING.finding(
                    format!(
                        "{called} answers no {way}; {} is seen{at} ({})",
                        device.title_beside_address(),
                        device.standing
                    ),
                    format!("it is there: look whether it has started, or whether {way} is switched off on it"),
                ));
            }
            State::Ambiguous(candidates) => {
                let who: Vec<String> = candidates.iter().map(|node| identity(node)).collect();
                all.push(AMBIGUOUS.finding(
                    format!("{called} could be {}", who.join(" or ")),
                    format!("write the MAC address of the right one into the sheet, under {called}"),
                ));
            }
            State::NotAsked => {}
            State::Found(node, differences) => {
                let address = node.address;
                let remedy = format!("see what is wrong with it: deft-lantern survey --range {address}");
                let who = format!("{called} at {address}");
                all.extend(of_differences(called, &who, differences, self.remedy(sheet), &remedy));
                all.extend(counting::finding(self, sheet));
            }
            State::Seen(device, differences) => {
                let remedy = "set it at the unit itself, or correct the sheet".to_owned();
                let who =
                    device.address.map_or_else(|| called.clone(), |address| format!("{called} at {address}"));
                let known: Vec<_> = differences.iter().filter(|d| !d.cannot_be_told()).cloned().collect();
                all.extend(of_differences(called, &who, &known, self.remedy(sheet), &remedy));
            }
        }
        all.into_iter().map(|finding| finding.at(sheet, name.span, called.clone())).collect()
    }

    /// What makes it as planned.
    fn remedy(&self, sheet: &RigSheet) -> &'static str {
        let is_by_lease = |one: &Difference| one.is_told() && one.field.comes_with_lease();
        match sheet.is_reserved(self.planned) && self.differences().iter().any(is_by_lease) {
            true => {
                "let it ask for its address, which is reserved for it: deft-lantern lease; the rest is set with deft-lantern apply"
            }
            false => "set the nodes as planned with deft-lantern apply, or correct the sheet",
        }
    }
}

/// What is otherwise, what was not told, and what cannot be told: a finding each.
fn of_differences(
    called: &str,
    who: &str,
    differences: &[Difference],
    remedy: &str,
    untold_remedy: &str,
) -> Vec<Finding> {
    let list = |which: &dyn Fn(&Difference) -> bool| {
        let some: Vec<String> = differences.iter().filter(|d| which(d)).map(ToString::to_string).collect();
        (!some.is_empty()).then(|| some.join("; "))
    };
    let mut all = Vec::new();
    // What was not told stands beside what was told otherwise: one finding for one node.
    if differences.iter().any(Difference::is_told) {
        let what = list(&|difference| !difference.cannot_be_told()).unwrap_or_default();
        all.push(DIFFERENT.finding(format!("{who}: {what}"), remedy));
    } else if let Some(what) = list(&Difference::is_untold) {
        all.push(UNTOLD.finding(format!("{called} {what}"), untold_remedy));
    }
    if let Some(what) = list(&Difference::cannot_be_told) {
        all.push(UNCHECKED.finding(format!("{called} {what}"), "look at the unit itself"));
    }
    all
}

fn unexpected(node: &FoundNode, sheet: &RigSheet) -> Finding {
    let home = sheet.networks.iter().any(|network| Subnet::contains(network.range.value, node.address));
    let place = if home { "" } else { ", outside every network of the sheet" };
    UNEXPECTED.finding(
        format!("{} at {} is not on the sheet{place}", node.title(), identity(node)),
        "add it to the sheet, or unplug it",
    )
}

fn identity(node: &FoundNode) -> String {
    node.mac.map_or_else(|| node.address.to_string(), |mac| format!("{} ({mac})", node.address))
}

#[cfg(test)]
mod tests;
