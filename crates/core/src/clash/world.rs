//! Clashes of what was found with itself, known without any sheet.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::net::Ipv4Addr;

use lantern_wire::art_net::ShortName;
use lantern_wire::rdm::Uid;
use lantern_wire::{MacAddress, sacn};

use super::splits::{Meant, SPLIT, splits};
use super::{MOST_NAMED, clocks, named, patched, repeated};
use crate::Access;
use crate::address::{Mask, Subnet};
use crate::census::{
    Behind, Census, Contested, Device, DhcpServer, FoundNode, Sending, Source, Standing, Unit, Viewpoint,
};
use crate::facts::{Field, Value};
use crate::finding::{Finding, Rule, Severity};
use crate::sheet::{RigSheet, SheetPort};
use crate::typed;
use crate::universe::Universe;

pub(super) static RULES: &[&Rule] = &[
    &TWICE,
    &UNREACHABLE,
    &SAME_NAME,
    &SPLIT,
    &FLOOD,
    &DHCP_SERVERS,
    &ONE_MAC,
    &STATES_ANOTHER,
    &WRONG_MASK,
    &RIVALS,
    &NO_LEASE,
    &OURS,
    &TOO_HIGH,
    &LIST_CUT,
    &LOCKED_OUT,
    &FAULTY,
    &TWINS,
];

static TWICE: Rule = Rule {
    code: "W001",
    severity: Severity::Error,
    title: "two devices hold one address",
    why: "they disturb each other, and which of them answers changes from minute to minute",
};
static UNREACHABLE: Rule = Rule {
    code: "W002",
    severity: Severity::Error,
    title: "seen, but cannot be talked to",
    why: "its address lies in another subnet than this computer, so it is heard but not reached",
};
static SAME_NAME: Rule = Rule {
    code: "W003",
    severity: Severity::Warning,
    title: "two nodes say the same name",
    why: "nobody at the desk can tell them apart",
};
static FLOOD: Rule = Rule {
    code: "W005",
    severity: Severity::Error,
    title: "more nodes than a network has",
    why: "somebody floods the network with made-up answers, or a device is badly broken",
};

static DHCP_SERVERS: Rule = Rule {
    code: "W006",
    severity: Severity::Warning,
    title: "several DHCP servers",
    why: "which of them answers first changes from one power-up to the next, and addresses with it",
};

static ONE_MAC: Rule = Rule {
    code: "W007",
    severity: Severity::Error,
    title: "two units bear one MAC address",
    why: "switches send what is for one of them to the other, and neither can be set safely",
};
static STATES_ANOTHER: Rule = Rule {
    code: "W008",
    severity: Severity::Warning,
    title: "a node that is wrong about its own address",
    why: "whoever believes its reply sends to an address where it is not",
};
static WRONG_MASK: Rule = Rule {
    code: "W009",
    severity: Severity::Error,
    title: "a node with another mask than its subnet",
    why: "it answers to a broadcast address that nobody here listens to, so most programs never see it",
};
static RIVALS: Rule = Rule {
    code: "W010",
    severity: Severity::Warning,
    title: "two sources of one universe, neither above the other",
    why: "their levels are merged, so neither of them is in control",
};
static NO_LEASE: Rule = Rule {
    code: "W011",
    severity: Severity::Warning,
    title: "a node by DHCP that was given no address",
    why: "it chose one for itself, and is found only by those who look there",
};

static OURS: Rule = Rule {
    code: "W012",
    severity: Severity::Error,
    title: "a device has this computer's own address",
    why: "what is sent to this computer reaches the other one, or neither, so nodes seem silent that are not",
};

static TOO_HIGH: Rule = Rule {
    code: "W013",
    severity: Severity::Warning,
    title: "a priority above 200",
    why: "the standard ends at 200, so some receivers ignore such a source and others let it win",
};
static LIST_CUT: Rule = Rule {
    code: "W014",
    severity: Severity::Note,
    title: "a source whose list of universes did not come whole",
    why: "it sends more universes than are listed here",
};

static LOCKED_OUT: Rule = Rule {
    code: "W015",
    severity: Severity::Warning,
    title: "a device that is not read for want of its password",
    why: "nobody sees from here how it is, and nothing can be set on it",
};

static FAULTY: Rule = Rule {
    code: "W016",
    severity: Severity::Warning,
    title: "a device that reports a fault of its own",
    why: "it may go dark or switch itself off in the middle of the show",
};

static TWINS: Rule = Rule {
    code: "W017",
    severity: Severity::Error,
    title: "fixtures that bear one RDM identifier",
    why: "an identifier is there once in the world; whatever one of them is told reaches the other, or neither",
};

/// What is wrong in a census whose `devices` look like this from there. What the sheet means to be so is not.
#[must_use]
pub fn world_clashes(
    census: &Census,
    devices: &[Device],
    from: &Viewpoint,
    sheet: Option<&RigSheet>,
) -> Vec<Finding> {
    let nodes: Vec<&FoundNode> = census.by_address().into_iter().filter(|node| node.is_node()).collect();
    let mut findings = shared_addresses(census, devices, from);
    findings.extend(devices.iter().filter_map(|device| at_ours(device, from)));
    findings.extend(one_mac(census));
    findings.extend(nodes.iter().filter_map(|node| wrong_mask(node, from)));
    findings.extend(nodes.iter().filter_map(|node| states_another(node)));
    findings.extend(nodes.iter().filter_map(|node| no_lease(node)));
    let (set_from_here, far): (Vec<&Device>, Vec<_>) = devices
        .iter()
        .filter(|device| device.standing == Standing::OtherSubnet)
        .partition(|device| device.set_as.is_some());
    let (asking, far): (Vec<&Device>, Vec<_>) = far.into_iter().partition(|device| device.asks_for_an_address());
    findings.extend(unreachable(&far, from));
    findings.extend(set_where_they_are(&set_from_here, from));
    findings.extend(elsewhere(&asking, from).map(|what| {
        UNREACHABLE.finding(what, "let it have the address that the sheet plans for it: deft-lantern lease")
    }));
    findings.extend(rivals(census, sheet));
    findings.extend(census.sources().iter().flat_map(about_source));
    findings.extend(same_name(&nodes));
    findings.extend(splits(&nodes, &census.units(), &Meant::of(census, sheet)));
    findings.extend(dhcp_servers(census, devices));
    findings.extend(clocks::clashes(census));
    findings.extend(patched::clashes(census));
    findings.extend(census.units().iter().filter_map(locked_out));
    findings.extend(census.units().iter().filter_map(faulty));
    findings.extend(twins(census));
    if census.overlooked() > 0 {
        let what = format!(
            "{} more sightings were left out after the first {} devices: the network is being flooded",
            census.overlooked(),
            devices.len()
        );
        // Whatever else is found may be made up by the flood.
        findings
            .insert(0, FLOOD.finding(what, "record the traffic (survey --record FILE) and unplug what sends it"));
    }
    findings
}

/// Fixtures of one identifier on cables of their own. Of two on one cable a gateway sees only one.
fn twins(census: &Census) -> Vec<Finding> {
    let mut bearers: BTreeMap<Uid, Vec<Behind>> = BTreeMap::new();
    for fixture in census.fixtures() {
        bearers.entry(fixture.uid).or_default().push(fixture.behind);
    }
    let on = |behind: &Behind| {
        let (gateway, port) = census.cable(behind);
        port.map_or_else(|| gateway.clone(), |port| format!("{gateway} port {port}"))
    };
    // The ports of a split see the same units, where its cables are one.
    let places =
        |behinds: &[Behind]| behinds.iter().map(|one| (one.address, one.universe)).collect::<HashSet<_>>();
    let several = bearers.iter().filter(|(_, behinds)| places(behinds).len() > 1);
    several
        .map(|(uid, behinds)| {
            let cables: Vec<String> = behinds.iter().map(on).collect();
            let remedy = "unplug all but one of them, and ask their maker for another identifier";
            TWINS.finding(format!("{uid} is there {} times: {}", cables.len(), cables.join(", ")), remedy)
        })
        .collect()
}

/// The addresses that several devices hold, as far as one of `devices` is among them.
#[must_use]
pub fn shared_addresses(census: &Census, devices: &[Device], from: &Viewpoint) -> Vec<Finding> {
    let held: HashSet<Ipv4Addr> = devices.iter().flat_map(|device| device.addresses.iter().copied()).collect();
    let by_mac: HashMap<MacAddress, &Device> =
        devices.iter().filter_map(|device| Some((device.mac?, device))).collect();
    let who = |mac: &MacAddress| match by_mac.get(mac) {
        Some(device) if !device.name.is_empty() => format!("{mac} ({})", device.name),
        _ => mac.to_string(),
    };
    let finding = |contested: &Contested| {
        let what = format!("{} is held by {}", contested.address, named(contested.macs.iter().map(who), " and "));
        let settable = contested.macs.iter().find_map(|mac| by_mac.get(mac)?.set_as.as_ref());
        let remedy = settable.map_or_else(
            || "unplug one of them, then set the other's address".to_owned(),
            |name| format!("give one of them another: deft-lantern set {name} --address ADDRESS"),
        );
        TWICE.finding(what, remedy)
    };
    census.contested(from).iter().filter(|one| held.contains(&one.address)).map(finding).collect()
}

/// Who stands in another subnet than this computer, all together; `None` for nobody.
fn elsewhere(devices: &[&Device], from: &Viewpoint) -> Option<String> {
    let place = |device: &&Device| Some(format!("{} has {}", device.title_beside_address(), device.address?));
    let here = named(from.subnets.iter().map(ToString::to_string), ", ");
    let who = named(devices.iter().filter_map(place), ", ");
    (!devices.is_empty()).then(|| format!("{who}, this computer is in {here}"))
}

/// One finding for all of them: one command advises on them together.
fn unreachable(devices: &[&Device], from: &Viewpoint) -> Option<Finding> {
    let what = elsewhere(devices, from)?;
    let mut targets: Vec<Ipv4Addr> = devices.iter().filter_map(|device| device.address).take(MOST_NAMED).collect();
    targets.dedup();
    let targets: Vec<String> = targets.iter().map(ToString::to_string).collect();
    let remedy =
        format!("give this computer a second address there: deft-lantern adapters advise {}", targets.join(" "));
    Some(UNREACHABLE.finding(what, remedy))
}

/// Those of another subnet that a family reaches all the same.
fn set_where_they_are(devices: &[&Device], from: &Viewpoint) -> Option<Finding> {
    let first = devices.first()?.set_as.as_ref()?;
    let remedy = format!("set it where it is: deft-lantern set {first} --address ADDRESS");
    Some(UNREACHABLE.finding(elsewhere(devices, from)?, remedy))
}

fn locked_out(unit: &Unit) -> Option<Finding> {
    let Some(Value::Access(access)) = unit.facts.get(Field::Access) else { return None };
    (*access != Access::Open)
        .then(|| LOCKED_OUT.finding(format!("{} at {} {access}", unit.title(), unit.address), unit.how_to_open()))
}

fn faulty(unit: &Unit) -> Option<Finding> {
    let Some(Value::Text(faults)) = unit.facts.get(Field::Faults) else { return None };
    (faults.raw() != "none").then(|| {
        FAULTY.finding(
            format!("{} at {} reports {faults}", unit.title(), unit.address),
            "look at the device itself before the show",
        )
    })
}

fn about_source(source: &Source) -> Vec<Finding> {
    let who = source.title();
    let high = |sending: &Sending| sending.priority.is_some_and(|priority| priority > sacn::HIGHEST_PRIORITY);
    let too_high: Vec<String> = source
        .universes
        .iter()
        .filter(|(_, sending)| high(sending))
        .map(|(universe, _)| universe.to_string())
        .collect();
    let mut findings = Vec::new();
    if !too_high.is_empty() {
        let what =
            format!("{who} sends sACN universe {} with a priority above 200", named(too_high.into_iter(), ", "));
        findings.push(TOO_HIGH.finding(what, "set its priority to 200 or less"));
    }
    if source.pages_missing > 0 {
        let what =
            format!("{} of the pages on which {who} lists its universes did not come", source.pages_missing);
        findings.push(LIST_CUT.finding(what, "deft-lantern survey --for 35s"));
    }
    findings
}

fn at_ours(device: &Device, from: &Viewpoint) -> Option<Finding> {
    let address = device.addresses.iter().find(|address| from.own.contains(address))?;
    let mac = device.mac.filter(|mac| Some(*mac) != from.own_mac)?;
    let here = from.subnets.iter().find(|subnet| subnet.contains(*address))?;
    Some(own_address_held((*address, *here), from.own_mac, mac, &device.name.to_string()))
}

/// The finding for a device, of this MAC address and perhaps name, that has an address of this computer.
#[must_use]
pub fn own_address_held(
    (address, subnet): (Ipv4Addr, Subnet),
    own: Option<MacAddress>,
    other: MacAddress,
    name: &str,
) -> Finding {
    let own = own.map(|mac| format!(" ({mac})")).unwrap_or_default();
    let other = if name.is_empty() { other.to_string() } else { format!("{name} ({other})") };
    let what = format!("{address} is this computer's{own}, and {other} has it too");
    OURS.finding(what, format!("give this computer another address: deft-lantern adapters advise {subnet}"))
}

fn one_mac(census: &Census) -> Vec<Finding> {
    let finding = |(mac, nodes): (MacAddress, Vec<&FoundNode>)| {
        let who = named(nodes.iter().map(|node| format!("{} at {}", node.title(), node.address)), " and ");
        ONE_MAC
            .finding(format!("{mac} is borne by {who}"), "unplug one of them; its maker can give it another one")
    };
    census.borne_twice().into_iter().map(finding).collect()
}

fn wrong_mask(node: &FoundNode, from: &Viewpoint) -> Option<Finding> {
    let to = node.answers_to?;
    let what = format!("the mask of {} at {} is wrong: it answers to {to}", node.title(), node.address);
    mask_remedy(node, from).map(|remedy| WRONG_MASK.finding(what, remedy))
}

/// What gives a node that answers to a broadcast address of its own the mask of its neighbours.
pub(crate) fn mask_remedy(node: &FoundNode, from: &Viewpoint) -> Option<String> {
    let to = node.answers_to?;
    let mask =
        from.subnets.iter().filter(|subnet| subnet.contains(node.address)).map(|subnet| subnet.mask()).min()?;
    let seems = subnet_of_broadcast(node.address, to)?;
    // Where it does not take us for its neighbour, its answers to us alone go nowhere.
    Some(if from.own.is_empty() || from.own.iter().any(|own| seems.contains(*own)) {
        format!("deft-lantern set {} --mask {mask}", node.address)
    } else {
        let prefix = seems.mask().prefix();
        format!(
            "first get an address that it answers: deft-lantern adapters advise {}/{prefix}; then: \
             deft-lantern set {} --mask {mask}",
            node.address, node.address
        )
    })
}

/// The subnet a device at `address` seems to be in, whose broadcast address is `to`: the /24 around it where that fits.
pub(crate) fn subnet_of_broadcast(address: Ipv4Addr, to: Ipv4Addr) -> Option<Subnet> {
    let hosts = to.to_bits().trailing_ones();
    let widest = u8::try_from(32 - hosts.min(32)).ok()?;
    let around = |prefix| Some(Subnet::around(address, Mask::from_prefix(prefix)?));
    let usual = around(24)?;
    if widest < 24 && usual.contains(to) { Some(usual) } else { around(widest) }
}

fn states_another(node: &FoundNode) -> Option<Finding> {
    let stated = node.states?;
    let what = format!("{} answers from {} and states {stated}", node.title(), node.address);
    Some(
        STATES_ANOTHER
            .finding(what, "use the address it answers from; switched off and on, most units correct theirs"),
    )
}

fn no_lease(node: &FoundNode) -> Option<Finding> {
    (node.dhcp == Some(true) && node.address.is_link_local()).then(|| {
        let what =
            format!("{} takes its address by DHCP and has {}, which it chose itself", node.title(), node.address);
        NO_LEASE.finding(what, format!("deft-lantern adapters advise {}", node.address))
    })
}

/// Sources that send one universe now with the same priority, where the sheet does not mean so many.
fn rivals(census: &Census, sheet: Option<&RigSheet>) -> Vec<Finding> {
    let ports = || sheet.into_iter().flat_map(|sheet| sheet.nodes.iter().flat_map(|node| &node.ports));
    let meant = |universe: Universe| {
        let listens = |port: &&SheetPort| port.universe.value.real() == Some(universe);
        ports().filter(listens).filter_map(|port| Some(port.sources.as_ref()?.value as usize)).max().unwrap_or(1)
    };
    let contenders = contenders(census).into_iter().filter(|(universe, who)| who.len() > meant(*universe));
    contenders.map(|(universe, who)| rivalry(universe, &who)).collect()
}

/// For each universe its live sources of the highest priority, where there are several.
fn contenders(census: &Census) -> Vec<(Universe, Vec<Source>)> {
    let mut by_universe: BTreeMap<Universe, Vec<(Option<u8>, Source)>> = BTreeMap::new();
    for source in census.sources() {
        for (number, sending) in source.universes.iter().filter(|(_, sending)| sending.is_live()) {
            if let Some(universe) = source.universe(*number) {
                by_universe.entry(universe).or_default().push((sending.priority, source.clone()));
            }
        }
    }
    let top = |(universe, sources): (Universe, Vec<(Option<u8>, Source)>)| {
        let most = sources.iter().map(|(priority, _)| *priority).max()?;
        let equal: Vec<_> = sources.into_iter().filter(|(p, _)| *p == most).map(|(_, source)| source).collect();
        (equal.len() > 1).then_some((universe, equal))
    };
    by_universe.into_iter().filter_map(top).collect()
}

fn rivalry(universe: Universe, who: &[Source]) -> Finding {
    let names = named(who.iter().map(Source::title), " and ");
    let (what, how, remedy) = match universe {
        Universe::Sacn(number) => (
            format!("sACN universe {}", number.number()),
            "with equal priority",
            "give one of them a higher priority",
        ),
        Universe::ArtNet(address) => (format!("Art-Net universe {address}"), "at once", "stop one of them"),
    };
    RIVALS.finding(
        format!("{what} is sent {how} by {names}"),
        format!("{remedy}, or say sources = {} on the sheet where all are meant", who.len()),
    )
}

fn dhcp_servers(census: &Census, devices: &[Device]) -> Option<Finding> {
    let servers = census.surroundings().dhcp_servers;
    if servers.len() < 2 {
        return None;
    }
    let named = |server: &DhcpServer| {
        let device = devices.iter().find(|device| server.mac.is_some() && device.mac == server.mac);
        let name = device.map(|device| device.name.to_string()).filter(|name| !name.is_empty());
        let mac = server.mac.map_or_else(|| "MAC not seen".to_owned(), |mac| mac.to_string());
        format!("{} ({})", server.address, name.unwrap_or(mac))
    };
    let list: Vec<String> = servers.iter().map(named).collect();
    Some(
        DHCP_SERVERS
            .finding(format!("{} give addresses", list.join(" and ")), "leave one on, switch the others off"),
    )
}

/// Whether a finding is about nodes of one name, which a sheet settles better than a survey.
#[must_use]
pub fn is_same_name(finding: &Finding) -> bool {
    std::ptr::eq(finding.rule, &SAME_NAME)
}

fn same_name(nodes: &[&FoundNode]) -> Vec<Finding> {
    let with_name = nodes.iter().copied().filter(|node| !node.name().is_empty());
    let finding = |group: Vec<&FoundNode>| {
        let who = named(group.iter().map(|n| format!("{} ({})", n.address, mac(n))), ", ");
        let what = format!("{} nodes say they are {}: {who}", group.len(), group[0].name());
        let last = group[group.len() - 1];
        let remedy = format!("deft-lantern set {} --name {}", last.address, typed(&free_name(last, nodes)));
        SAME_NAME.finding(what, remedy)
    };
    repeated(with_name, |node| node.name()).into_iter().map(finding).collect()
}

/// The node's name with the first number that makes it another, as long as the protocol keeps.
fn free_name(node: &FoundNode, nodes: &[&FoundNode]) -> String {
    let name = node.name().to_string();
    let numbered = (2..).map(|number: u32| {
        let ending = format!("-{number}");
        let room = ShortName::CAPACITY - ending.len();
        format!("{}{ending}", &name[..name.floor_char_boundary(room)])
    });
    let is_free = |wanted: &String| nodes.iter().all(|node| node.name().raw() != wanted);
    let free = numbered.take(nodes.len() + 2).find(is_free).unwrap_or_default();
    if free.contains([' ', '\\', '\'', '"', '$', '`']) { format!("'{}'", free.replace('\'', "")) } else { free }
}

fn mac(node: &FoundNode) -> String {
    node.mac.map_or_else(|| "MAC not told".to_owned(), |mac| mac.to_string())
}
