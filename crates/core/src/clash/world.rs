//! Clashes of what was found with itself, known without any sheet.

use std::collections::{HashMap, HashSet};
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;

use super::{MOST_NAMED, named, repeated};
use crate::Direction;
use crate::census::{Census, Contested, Device, DhcpServer, FoundNode, FoundPort, Standing, Viewpoint};
use crate::finding::{Finding, Rule, Severity};

pub(super) static RULES: &[&Rule] = &[&TWICE, &UNREACHABLE, &SAME_NAME, &SPLIT, &FLOOD, &DHCP_SERVERS];

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
static SPLIT: Rule = Rule {
    code: "W004",
    severity: Severity::Note,
    title: "one universe on several outputs",
    why: "fine for a splitter; otherwise a universe was typed twice",
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

/// What is wrong in a census whose `devices` look like this from there.
#[must_use]
pub fn world_clashes(census: &Census, devices: &[Device], from: &Viewpoint) -> Vec<Finding> {
    let nodes = census.by_address();
    let mut findings = shared_addresses(census, devices, from);
    findings.extend(unreachable(devices, from));
    findings.extend(same_name(&nodes));
    findings.extend(splits(&nodes));
    findings.extend(dhcp_servers(census, devices));
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
        TWICE.finding(what, "unplug one of them, then set the other's address")
    };
    census.contested(from).iter().filter(|one| held.contains(&one.address)).map(finding).collect()
}

/// One finding for all of them: one command advises on them together.
fn unreachable(devices: &[Device], from: &Viewpoint) -> Option<Finding> {
    let far = devices.iter().filter(|device| device.standing == Standing::OtherSubnet);
    let far: Vec<(String, Ipv4Addr)> =
        far.filter_map(|device| Some((device.title_beside_address(), device.address?))).collect();
    if far.is_empty() {
        return None;
    }
    let who = named(far.iter().map(|(title, address)| format!("{title} has {address}")), ", ");
    let here = named(from.subnets.iter().map(ToString::to_string), ", ");
    let what = format!("{who}, this computer is in {here}");
    let mut targets: Vec<Ipv4Addr> = far.iter().map(|(_, address)| *address).take(MOST_NAMED).collect();
    targets.dedup();
    let targets: Vec<String> = targets.iter().map(ToString::to_string).collect();
    let remedy =
        format!("give this computer a second address there: deft-lantern adapters advise {}", targets.join(" "));
    Some(UNREACHABLE.finding(what, remedy))
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

fn same_name(nodes: &[&FoundNode]) -> Vec<Finding> {
    let with_name = nodes.iter().copied().filter(|node| !node.name().is_empty());
    let finding = |group: Vec<&FoundNode>| {
        let who = named(group.iter().map(|n| format!("{} ({})", n.address, mac(n))), ", ");
        let what = format!("{} nodes say they are {}: {who}", group.len(), group[0].name());
        let remedy = format!("deft-lantern set {} --name NEW-NAME", group[group.len() - 1].address);
        SAME_NAME.finding(what, remedy)
    };
    repeated(with_name, |node| node.name()).into_iter().map(finding).collect()
}

/// One note for all of them: on a rig with splitters each by itself would drown the rest.
fn splits(nodes: &[&FoundNode]) -> Option<Finding> {
    let outputs = nodes.iter().flat_map(|node| node.ports().map(|(number, _, port)| (*node, number, *port)));
    let outputs = outputs.filter(|(_, _, port)| port.direction == Direction::Out);
    let several = repeated(outputs, |(_, _, port)| port.universe());
    let described = |group: &Vec<(&FoundNode, u32, FoundPort)>| {
        let ports = named(group.iter().map(|(node, number, _)| format!("{} port {number}", node.title())), ", ");
        format!("{} ({ports})", group[0].2.universe())
    };
    let (node, number, _) = several.first()?.last()?;
    let list = named(several.iter().map(described), "; ");
    let remedy = format!(
        "where it is not meant, give a port another one, as in: deft-lantern set {} --port {number} --universe N",
        node.address
    );
    Some(SPLIT.finding(format!("universes on several outputs: {list}"), remedy))
}

fn mac(node: &FoundNode) -> String {
    node.mac.map_or_else(|| "MAC not told".to_owned(), |mac| mac.to_string())
}
