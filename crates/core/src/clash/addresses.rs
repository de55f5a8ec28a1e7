//! Clashes of addresses on the sheet.

use std::net::Ipv4Addr;

use super::repeated;
use crate::address::{Role, Subnet};
use crate::finding::{Finding, Rule, Severity};
use crate::sheet::{Gateway, Network, RigSheet, SheetNode, WantedAddress};

pub(super) static RULES: &[&Rule] = &[
    &TWICE,
    &OUTSIDE_NETWORK,
    &OUTSIDE_AREA,
    &RESERVED,
    &KEPT_FREE,
    &POOL,
    &LOCKED,
    &GATEWAY,
    &GATEWAY_OUTSIDE,
    &OPEN,
];

static TWICE: Rule = Rule {
    code: "A001",
    severity: Severity::Error,
    title: "the same address twice",
    why: "two devices with one address disturb each other, and which of them answers changes from minute to minute",
};
static OUTSIDE_NETWORK: Rule = Rule {
    code: "A002",
    severity: Severity::Error,
    title: "an address outside its network",
    why: "a device outside the network's range is heard but cannot be talked to",
};
static OUTSIDE_AREA: Rule = Rule {
    code: "A003",
    severity: Severity::Warning,
    title: "an address outside its area",
    why: "the address would tell the next person a wrong place, and may be handed out again there",
};
static RESERVED: Rule = Rule {
    code: "A004",
    severity: Severity::Error,
    title: "the network's own or its broadcast address",
    why: "the first and the last address of a network mean the network itself and everybody in it",
};
static KEPT_FREE: Rule = Rule {
    code: "A005",
    severity: Severity::Error,
    title: "an address that is kept free",
    why: "somebody keeps it for a desk or a server that may be switched on at any time",
};
static POOL: Rule = Rule {
    code: "A006",
    severity: Severity::Error,
    title: "an address inside a DHCP pool",
    why: "the DHCP server may give the same address to another device",
};
static LOCKED: Rule = Rule {
    code: "A007",
    severity: Severity::Error,
    title: "an address in a locked range",
    why: "what stands there must never be touched",
};
static GATEWAY: Rule = Rule {
    code: "A008",
    severity: Severity::Error,
    title: "the gateway's address",
    why: "a device on the gateway's address cuts the network off from everything outside",
};
static GATEWAY_OUTSIDE: Rule = Rule {
    code: "A009",
    severity: Severity::Error,
    title: "a gateway that cannot be reached",
    why: "a gateway must stand inside the network it leads out of",
};
static OPEN: Rule = Rule {
    code: "A010",
    severity: Severity::Warning,
    title: "an address still to be filled in",
    why: "a node without a planned address can be neither set nor checked for its address",
};

pub(super) fn clashes(sheet: &RigSheet) -> Vec<Finding> {
    let mut findings = twice(sheet);
    findings.extend(sheet.networks.iter().filter_map(|network| gateway_outside(sheet, network)));
    for node in &sheet.nodes {
        findings.extend(place_of(sheet, node));
    }
    findings
}

fn twice(sheet: &RigSheet) -> Vec<Finding> {
    let fixed = sheet.nodes.iter().filter_map(|node| node.fixed_address().map(|address| (address, node)));
    let finding = |group: Vec<(Ipv4Addr, &SheetNode)>| {
        let names: Vec<&str> = group.iter().map(|(_, node)| node.name.value.as_str()).collect();
        let what = format!("{} is given to {}", group[0].0, names.join(" and "));
        let mut finding = TWICE.finding(what, "give all but one of them another address");
        // The later one is the one to mend.
        for (_, node) in group.into_iter().rev() {
            finding = finding.at(sheet, node.address.span, format!("given to {}", node.name.value));
        }
        finding
    };
    repeated(fixed, |(address, _)| *address).into_iter().map(finding).collect()
}

fn gateway_outside(sheet: &RigSheet, network: &Network) -> Option<Finding> {
    let gateway = network.gateway.as_ref()?;
    let Gateway(Some(address)) = gateway.value else { return None };
    let range = network.range.value;
    let what = match range.role(address) {
        Role::Host => return None,
        Role::Outside => format!("the gateway {address} is outside {range}"),
        Role::Network | Role::Broadcast => format!("the gateway {address} is no device's address in {range}"),
    };
    let remedy = format!("name a router between {}, or \"none\" on a closed network", range.hosts());
    Some(GATEWAY_OUTSIDE.finding(what, remedy).at(sheet, gateway.span, "the gateway"))
}

fn place_of(sheet: &RigSheet, node: &SheetNode) -> Vec<Finding> {
    let name = &node.name.value;
    let span = node.address.span;
    let address = match node.address.value {
        WantedAddress::Fixed(address) => address,
        WantedAddress::Dhcp => return Vec::new(),
        WantedAddress::Fill => {
            let what = format!("{name} has no address yet");
            let finding = OPEN.finding(what, "write an address, or \"dhcp\"");
            return vec![finding.at(sheet, span, "still \"fill\"")];
        }
    };
    let mut findings: Vec<Finding> = match sheet.network_of(node) {
        Some(network) => standing(network, address, name),
        None if sheet.networks.is_empty() => Vec::new(),
        None => vec![outside(address, name, "every network of the sheet", None)],
    };
    if let Some(area) = node.area.map(|index| &sheet.areas[index])
        && let Some(range) = &area.range
        && !range.value.contains(address)
        && findings.is_empty()
    {
        let what = format!("{name} has {address}, outside {} ({})", area.name.value, range.value);
        let remedy = format!("choose an address of {}, or put {name} into another area", area.name.value);
        findings.push(OUTSIDE_AREA.finding(what, remedy));
    }
    findings.into_iter().map(|finding| finding.at(sheet, span, format!("the address of {name}"))).collect()
}

fn outside(address: Ipv4Addr, name: &str, of: &str, network: Option<Subnet>) -> Finding {
    let remedy = network.map_or_else(
        || "choose an address inside one of them".to_owned(),
        |range| format!("choose an address between {}", range.hosts()),
    );
    OUTSIDE_NETWORK.finding(format!("{name} has {address}, outside {of}"), remedy)
}

/// What speaks against `address` for a device called `name` in this network, as far as the sheet knows.
#[must_use]
pub fn standing(network: &Network, address: Ipv4Addr, name: &str) -> Vec<Finding> {
    let range = network.range.value;
    let called = &network.name.value;
    let within = format!("choose an address between {}", range.hosts());
    match range.role(address) {
        Role::Outside => return vec![outside(address, name, &format!("{called} ({range})"), Some(range))],
        Role::Network => {
            return vec![
                RESERVED.finding(format!("{name} has {address}, the address of {called} itself"), within),
            ];
        }
        Role::Broadcast => {
            let what = format!("{name} has {address}, which means everybody in {called}");
            return vec![RESERVED.finding(what, within)];
        }
        Role::Host => {}
    }
    let mut findings = Vec::new();
    let within_one = |ranges: &[crate::sheet::Placed<crate::address::AddressRange>]| {
        ranges.iter().map(|r| r.value).find(|r| r.contains(address))
    };
    if network.gateway.as_ref().is_some_and(|g| g.value == Gateway(Some(address))) {
        findings.push(GATEWAY.finding(
            format!("{name} has {address}, the gateway of {called}"),
            "choose another address; the gateway keeps its own",
        ));
    }
    if let Some(kept) = within_one(&network.keep_free) {
        findings.push(KEPT_FREE.finding(
            format!("{name} has {address}, kept free in {called} ({kept})"),
            format!("choose an address outside {kept}, or shorten keep_free"),
        ));
    }
    if let Some(pool) = within_one(&network.dhcp) {
        findings.push(POOL.finding(
            format!("{name} has {address}, inside the DHCP pool of {called} ({pool})"),
            format!("choose an address outside {pool}, or write \"dhcp\""),
        ));
    }
    if let Some(locked) = within_one(&network.locked) {
        findings.push(LOCKED.finding(
            format!("{name} has {address}, in a locked range of {called} ({locked})"),
            format!("choose an address outside {locked}"),
        ));
    }
    findings
}
