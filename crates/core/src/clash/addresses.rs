//! Clashes of addresses on the sheet.

use std::net::Ipv4Addr;

use super::{named, open, repeated};
use crate::address::{AddressRange, Role, Subnet};
use crate::finding::{Finding, Rule, Severity};
use crate::sheet::{Member, Network, Placed, RigSheet, SheetNode, Span, WantedAddress};

pub(super) static RULES: &[&Rule] = &[
    &TWICE,
    &OUTSIDE_NETWORK,
    &OUTSIDE_AREA,
    &RESERVED,
    &KEPT_FREE,
    &POOL,
    &LOCKED,
    &GATEWAY,
    &OPEN,
    &LINK_LOCAL,
    &FACTORY,
    &SCHEME,
    &NOT_PERMITTED,
    &NO_POOL,
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
static OPEN: Rule = Rule {
    code: "A010",
    severity: Severity::Warning,
    title: "an address still to be filled in",
    why: "a node without a planned address can be neither set nor checked for its address",
};

static LINK_LOCAL: Rule = Rule {
    code: "A013",
    severity: Severity::Warning,
    title: "a link-local address",
    why: "devices choose such addresses themselves when they find no server, so it is taken or lost at any time",
};
static FACTORY: Rule = Rule {
    code: "A014",
    severity: Severity::Warning,
    title: "an address that units have from the factory",
    why: "the next new unit of this kind that is plugged in has the same address",
};
static SCHEME: Rule = Rule {
    code: "A015",
    severity: Severity::Warning,
    title: "an address against the network's scheme",
    why: "whoever reads the address takes the device for another one, or looks for it in another place",
};
static NOT_PERMITTED: Rule = Rule {
    code: "A016",
    severity: Severity::Error,
    title: "an address that the kind does not accept",
    why: "the unit refuses the address, or is not found any more once it has it",
};
static NO_POOL: Rule = Rule {
    code: "A019",
    severity: Severity::Note,
    title: "DHCP without a pool on the sheet",
    why: "without a DHCP server the device has no address, and the sheet does not say where one hands them out",
};

pub(super) fn clashes(sheet: &RigSheet) -> Vec<Finding> {
    let mut findings = twice(sheet);
    let mut without = Vec::new();
    for member in sheet.members() {
        match member.address() {
            Some((WantedAddress::Fill, span)) => without.push((member.name().value.clone(), span)),
            _ => findings.extend(place_of(sheet, member)),
        }
    }
    findings.extend(open(sheet, &OPEN, "address", &without));
    findings
}

fn twice(sheet: &RigSheet) -> Vec<Finding> {
    let fixed = sheet.members().filter_map(|member| {
        let (address, span) = member.address()?;
        Some((address.fixed()?, span, member))
    });
    let finding = |group: Vec<(Ipv4Addr, Span, Member<'_>)>| {
        let names = group.iter().map(|(_, _, member)| member.name().value.as_str());
        let what = format!("{} is given to {}", group[0].0, named(names, " and "));
        let finding = TWICE.finding(what, "give all but one of them another address");
        // The later one is the one to mend.
        group.iter().rev().fold(finding, |finding, (_, span, member)| {
            finding.at(sheet, *span, format!("given to {}", member.name().value))
        })
    };
    repeated(fixed, |(address, _, _)| *address).into_iter().map(finding).collect()
}

fn place_of(sheet: &RigSheet, member: Member<'_>) -> Vec<Finding> {
    let Some((wanted, span)) = member.address() else { return Vec::new() };
    let name = &member.name().value;
    let network = sheet.network_at(member.area(), wanted).map(|index| &sheet.networks[index]);
    let address = match wanted {
        WantedAddress::Fixed(address) => address,
        WantedAddress::Dhcp => {
            return no_pool(name, network).map(|f| f.at(sheet, span, "by DHCP")).into_iter().collect();
        }
        WantedAddress::Fill => return Vec::new(),
    };
    if address.is_link_local() && !network.is_some_and(|network| network.range.value.contains(address)) {
        let what = format!("{name} has {address}, out of the link-local 169.254.0.0/16");
        let finding = LINK_LOCAL.finding(what, "give it an address of its network, or write \"dhcp\"");
        return vec![finding.at(sheet, span, format!("the address of {name}"))];
    }
    let mut findings: Vec<Finding> = match network {
        Some(network) => standing(network, address, name),
        None if sheet.networks.is_empty() => Vec::new(),
        None => vec![outside(address, name, "every network of the sheet", None)],
    };
    // Desks, servers and switches are what addresses are kept free and locked for.
    if !matches!(member, Member::Node(_)) {
        findings.retain(|finding| finding.rule.code != KEPT_FREE.code && finding.rule.code != LOCKED.code);
    }
    if findings.is_empty() {
        // The first of these says all there is to say: the others would follow from it.
        if let Member::Node(node) = member {
            let by_scheme = || network.and_then(|network| against_scheme(sheet, network, node, address));
            let by_kind = || against_kind(sheet, node, address);
            findings.extend(outside_area(sheet, node, address).or_else(by_scheme).or_else(by_kind));
        }
    }
    findings.into_iter().map(|finding| finding.at(sheet, span, format!("the address of {name}"))).collect()
}

fn no_pool(name: &str, network: Option<&Network>) -> Option<Finding> {
    let network = network.filter(|network| network.dhcp.is_empty())?;
    let what = format!("{name} takes its address by DHCP, but {} has no pool on the sheet", network.name.value);
    Some(NO_POOL.finding(what, "write dhcp = \"…-…\" under the network, or give a fixed address"))
}

fn outside_area(sheet: &RigSheet, node: &SheetNode, address: Ipv4Addr) -> Option<Finding> {
    let area = sheet.area_of(node)?;
    let range = area.range.as_ref().filter(|range| !range.value.contains(address))?.value;
    let (name, area) = (&node.name.value, &area.name.value);
    let what = format!("{name} has {address}, outside {area} ({range})");
    Some(OUTSIDE_AREA.finding(what, format!("choose an address of {area}, or put {name} into another area")))
}

/// The number of an address that means an area or a kind must mean the node's own.
fn against_scheme(sheet: &RigSheet, network: &Network, node: &SheetNode, address: Ipv4Addr) -> Option<Finding> {
    let name = &node.name.value;
    for part in &network.scheme {
        let number = part.number_in(address);
        let meant = part.means.value.as_str();
        let own = match meant {
            "area" => sheet.area_of(node).map(|area| area.name.value.as_str()),
            "kind" => node.kind.as_ref().map(|kind| kind.value.as_str()),
            _ => None,
        };
        let what = match (part.word(address), own) {
            (None, _) => {
                format!("{name} has {address}, but the scheme has no word for the {number} (its {meant})")
            }
            (Some((_, word)), Some(own)) if word.value != own => {
                format!("{name} has {address}, where {number} means {meant} {}, but it is {own}", word.value)
            }
            (Some(_), _) => continue,
        };
        let remedy = match own {
            Some(own) => format!("choose an address whose number means {own}, or correct the scheme"),
            None => "choose an address the scheme has words for, or add the word".to_owned(),
        };
        return Some(SCHEME.finding(what, remedy));
    }
    None
}

fn against_kind(sheet: &RigSheet, node: &SheetNode, address: Ipv4Addr) -> Option<Finding> {
    let name = &node.name.value;
    let kind = sheet.kind_of(node);
    if let Some(kind) = kind
        && !kind.permitted.is_empty()
        && !kind.permitted.iter().any(|range| range.contains(address))
    {
        let ranges = named(kind.permitted.iter().map(ToString::to_string), ", ");
        let what = format!("{name} has {address}, but a {} accepts only {ranges}", kind.title());
        return Some(NOT_PERMITTED.finding(what, format!("choose an address of {ranges}")));
    }
    let kind = kind.filter(|kind| kind.factory.is_some_and(|range| range.contains(address)))?;
    let what = format!("{name} has {address}, where a {} stands as it leaves the factory", kind.title());
    Some(FACTORY.finding(what, "give it an address of its area"))
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
    let within_one =
        |ranges: &[Placed<AddressRange>]| ranges.iter().map(|r| r.value).find(|r| r.contains(address));
    if network.way_out() == Some(address) {
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
