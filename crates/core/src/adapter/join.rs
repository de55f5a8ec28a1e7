//! What speaks against this computer taking an address.

use std::net::Ipv4Addr;

use lantern_wire::MacAddress;

use super::choose::unknown;
use super::judge::{overlap, switch_off};
use super::{Adapter, AdapterState, AddressState, ChooseError, Computer, Medium};
use crate::address::{Role, Subnet};
use crate::clash::standing;
use crate::conversation::{Duplicate, Taken};
use crate::finding::{Finding, Rule, Severity};
use crate::sheet::RigSheet;

pub(super) static RULES: &[&Rule] = &[&NO_HOST, &OURS, &PLANNED, &TAKEN, &DEFENDED, &DUPLICATE, &SECOND_ADAPTER];

static NO_HOST: Rule = Rule {
    code: "P013",
    severity: Severity::Error,
    title: "an address no computer can have",
    why: "the first and the last address of a subnet mean the subnet itself and everybody in it",
};
static OURS: Rule = Rule {
    code: "P014",
    severity: Severity::Error,
    title: "already this computer's",
    why: "an address belongs to one adapter; on two, answers go to the wrong one",
};
static PLANNED: Rule = Rule {
    code: "P015",
    severity: Severity::Error,
    title: "planned for a node",
    why: "the node may be switched on at any time and would find its address taken",
};
static TAKEN: Rule = Rule {
    code: "P016",
    severity: Severity::Error,
    title: "the address is taken",
    why: "two devices with one address disturb each other, and one of them may be in the show",
};
static DEFENDED: Rule = Rule {
    code: "P017",
    severity: Severity::Error,
    title: "somebody defends the address",
    why: "a device that did not answer the question does hold it; it was given back at once",
};

static DUPLICATE: Rule = Rule {
    code: "P018",
    severity: Severity::Warning,
    title: "two others hold one address",
    why: "they disturb each other, and which of them answers changes from minute to minute",
};

static SECOND_ADAPTER: Rule = Rule {
    code: "P020",
    severity: Severity::Warning,
    title: "another adapter is in that subnet already",
    why: "the system sends everything for that subnet out of one of them, and not always the one that leads to the rig",
};

/// An address this computer is to take, with the subnet around it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct WantedOwn {
    /// The address.
    pub address: Ipv4Addr,
    /// The subnet around it.
    pub subnet: Subnet,
}

impl std::str::FromStr for WantedOwn {
    type Err = &'static str;

    /// `10.40.0.50/16`: without the prefix nobody could say who is in the same subnet.
    fn from_str(text: &str) -> Result<Self, Self::Err> {
        let expected = "an address with the length of its prefix, as in 10.40.0.50/16";
        let (address, prefix) = text.split_once('/').ok_or(expected)?;
        let address = address.parse().map_err(|_| expected)?;
        let mask = prefix.parse().map_err(|_| expected)?;
        Ok(Self { address, subnet: Subnet::around(address, mask) })
    }
}

impl std::fmt::Display for WantedOwn {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}/{}", self.address, self.subnet.mask().prefix())
    }
}

/// The adapter that is to take an address: the one asked for, or the only cable with link.
///
/// # Errors
/// When it does not exist or has no link, or when several could be meant.
pub fn choose_cable<'a>(adapters: &'a [Adapter], wanted: Option<&str>) -> Result<&'a Adapter, ChooseError> {
    let lines = |all: &[&Adapter]| all.iter().map(|adapter| adapter.line()).collect();
    if let Some(wanted) = wanted {
        let own = |adapter: &&Adapter| adapter.addresses.iter().any(|own| own.address.to_string() == wanted);
        let found =
            adapters.iter().find(|adapter| adapter.is_called(wanted)).or_else(|| adapters.iter().find(own));
        let found = found.ok_or_else(|| unknown(adapters, wanted))?;
        return if found.is_up() { Ok(found) } else { Err(ChooseError::Down(found.name.clone())) };
    }
    let cables: Vec<&Adapter> =
        adapters.iter().filter(|adapter| adapter.medium == Medium::Wired && adapter.is_up()).collect();
    let preferred: Vec<&Adapter> = cables.iter().copied().filter(|adapter| adapter.preferred).collect();
    if let [only] = preferred[..] {
        return Ok(only);
    }
    match cables[..] {
        [only] => Ok(only),
        [] => Err(ChooseError::NoneUsable { there: lines(&adapters.iter().collect::<Vec<_>>()) }),
        _ => Err(ChooseError::Several { there: lines(&cables) }),
    }
}

/// What speaks against taking these addresses, before anything is asked or changed. What the adapter `replaced` has now
/// is to make room for them, and may be among them.
#[must_use]
pub fn against_joining(
    computer: &Computer,
    wanted: &[WantedOwn],
    sheet: Option<&RigSheet>,
    replaced: Option<&Adapter>,
) -> Vec<Finding> {
    let others: Vec<&Adapter> = computer.adapters.iter().filter(|adapter| Some(*adapter) != replaced).collect();
    wanted.iter().flat_map(|one| against(&others, one, sheet)).collect()
}

/// What speaks against taking an address that a DHCP server gives away: as for one of our own choice, but that it lies in
/// the pool is as it should be.
#[must_use]
pub fn against_lease(
    computer: &Computer,
    wanted: &WantedOwn,
    sheet: Option<&RigSheet>,
    replaced: &Adapter,
) -> Vec<Finding> {
    // The server may well give again what the adapter has from it.
    let others: Vec<&Adapter> = computer.adapters.iter().filter(|adapter| *adapter != replaced).collect();
    let pool = |finding: &Finding| finding.rule.code == "A006";
    against(&others, wanted, sheet).into_iter().filter(|finding| !pool(finding)).collect()
}

/// What to know before `adapter` takes these addresses: another adapter that reaches the same ones.
#[must_use]
pub fn beside_joining(computer: &Computer, adapter: &Adapter, wanted: &[WantedOwn]) -> Vec<Finding> {
    let others = computer.adapters.iter().filter(|other| other.name != adapter.name && other.is_up());
    let reach = |other: &Adapter| {
        let own = other.addresses.iter();
        let both = own.flat_map(|own| wanted.iter().map(move |one| (own, one)));
        both.into_iter().find(|(own, one)| overlap(own.subnet, one.subnet)).map(|(own, one)| {
            let what = format!("{} ({own}) reaches addresses of {} too", other.name, one.subnet);
            SECOND_ADAPTER.finding(what, switch_off(other))
        })
    };
    others.filter_map(reach).collect()
}

fn against(others: &[&Adapter], wanted: &WantedOwn, sheet: Option<&RigSheet>) -> Vec<Finding> {
    let WantedOwn { address, subnet } = *wanted;
    let elsewhere = address.is_loopback() || address.is_multicast() || address.is_unspecified();
    if elsewhere || subnet.role(address) != Role::Host {
        let what = format!("{wanted} is no computer's address");
        return vec![NO_HOST.finding(what, format!("choose an address between {}", subnet.hosts()))];
    }
    let mut findings = Vec::new();
    let holder = others.iter().find(|a| a.addresses.iter().any(|own| own.address == address));
    if let Some(adapter) = holder {
        let what = format!("{} has {address} already", adapter.name);
        findings.push(OURS.finding(what, "nothing needs to be done, or choose another address"));
    }
    let Some(sheet) = sheet else { return findings };
    if let Some(node) = sheet.nodes.iter().find(|node| node.fixed_address() == Some(address)) {
        let what = format!("{address} is planned for {}", node.name.value);
        let finding = PLANNED.finding(what, "choose an address that is kept free on the sheet");
        findings.push(finding.at(sheet, node.address.span, node.name.value.clone()));
    }
    let network = sheet.networks.iter().find(|network| network.range.value.contains(address));
    // What is kept free is kept for computers like this one.
    let kept = |finding: &Finding| finding.rule.code == "A005";
    findings.extend(network.into_iter().flat_map(|n| standing(n, address, "this computer")).filter(|f| !kept(f)));
    findings
}

/// The finding for an address that somebody else holds; found by asking, or because it was defended afterwards.
#[must_use]
pub fn taken_finding(taken: Taken, defended: bool, sheet: Option<&RigSheet>) -> Finding {
    let who = described(taken.mac, sheet);
    if defended {
        let what = format!("{} is defended by {who}", taken.address);
        DEFENDED.finding(what, "choose another address")
    } else {
        TAKEN.finding(format!("{} is held by {who}", taken.address), "choose another address")
    }
}

/// The finding for an address that two others were heard with.
#[must_use]
pub fn duplicate_finding(duplicate: &Duplicate, sheet: Option<&RigSheet>) -> Finding {
    let [a, b] = duplicate.macs.map(|mac| described(mac, sheet));
    DUPLICATE.finding(
        format!("{} is held by {a} and by {b}", duplicate.address),
        "unplug one of them, then set the other's address",
    )
}

fn described(mac: MacAddress, sheet: Option<&RigSheet>) -> String {
    let nodes = sheet.map_or(&[][..], |sheet| &sheet.nodes);
    let named = nodes.iter().find(|node| node.mac.as_ref().is_some_and(|known| known.value == mac));
    named.map_or_else(|| mac.to_string(), |node| format!("{mac} ({})", node.name.value))
}

/// The state with these addresses beside those already there, or instead of them.
#[must_use]
pub fn joined(now: &AdapterState, wanted: &[WantedOwn], label: &str, instead: bool) -> AdapterState {
    let mut state = if instead { AdapterState::default() } else { now.clone() };
    let fixed = |one: &WantedOwn| {
        AddressState::fixed(one.address, one.subnet.mask().prefix(), one.subnet.broadcast(), label)
    };
    state.addresses.extend(wanted.iter().map(fixed));
    state
}
