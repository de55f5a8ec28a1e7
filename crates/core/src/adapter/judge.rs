//! What is wrong with this computer's adapters, before a single node is asked.

use super::{Adapter, Computer, Holder, Medium, OwnAddress, to_switch};
use crate::ART_NET_PORT;
use crate::address::{Subnet, is_public};
use crate::finding::{Finding, Rule, Severity};
use crate::sheet::RigSheet;

pub(super) static RULES: &[&Rule] = &[
    &NO_LINK,
    &OFF,
    &NO_ADDRESS,
    &LINK_LOCAL,
    &SAME_SUBNET,
    &BESIDE_THE_WIRE,
    &TWO_WAYS_OUT,
    &PUBLIC,
    &OTHER_MASK,
    &PORT_HELD,
    &NOT_IN_SHEET,
    &ONLY_LOOPBACK,
    &PLANNED,
];

static NO_LINK: Rule = Rule {
    code: "P001",
    severity: Severity::Error,
    title: "no link",
    why: "nothing answers at the other end of the cable, so nothing can be found through it",
};
static OFF: Rule = Rule {
    code: "P002",
    severity: Severity::Note,
    title: "switched off",
    why: "an adapter that is switched off does not even look for a link",
};
static NO_ADDRESS: Rule = Rule {
    code: "P003",
    severity: Severity::Error,
    title: "no address",
    why: "without an address this computer can neither ask nor be answered",
};
static LINK_LOCAL: Rule = Rule {
    code: "P004",
    severity: Severity::Warning,
    title: "only a link-local address",
    why: "this computer asked for an address and nobody gave it one; it reaches only devices that fell back in the same way",
};
static SAME_SUBNET: Rule = Rule {
    code: "P005",
    severity: Severity::Error,
    title: "two adapters in one subnet",
    why: "the system sends everything for that subnet out of one of them, and not always the one that leads to the rig",
};
static BESIDE_THE_WIRE: Rule = Rule {
    code: "P006",
    severity: Severity::Warning,
    title: "wireless or tunnel beside the wire",
    why: "it reaches the same addresses as the wire and may take the traffic meant for the rig",
};
static TWO_WAYS_OUT: Rule = Rule {
    code: "P007",
    severity: Severity::Warning,
    title: "two ways out",
    why: "with two default routes the system picks one, and whatever is not local goes the way nobody expected",
};
static PUBLIC: Rule = Rule {
    code: "P008",
    severity: Severity::Warning,
    title: "a public range with a way out",
    why: "these addresses belong to somebody on the internet (2.x, customary for Art-Net, among them), and show data could leave",
};
static OTHER_MASK: Rule = Rule {
    code: "P009",
    severity: Severity::Error,
    title: "another mask than the sheet's",
    why: "with different masks one side takes the other for a stranger: contact goes one way only",
};
static PORT_HELD: Rule = Rule {
    code: "P010",
    severity: Severity::Warning,
    title: "another program holds the Art-Net port",
    why: "answers that nodes send to this computer alone reach only one of the two programs",
};
static NOT_IN_SHEET: Rule = Rule {
    code: "P011",
    severity: Severity::Error,
    title: "no adapter in a network of the sheet",
    why: "nodes in that network will be heard, but not talked to",
};
static ONLY_LOOPBACK: Rule = Rule {
    code: "P012",
    severity: Severity::Error,
    title: "only loopback",
    why: "loopback leads back to this computer, and nothing of the rig is there",
};

static PLANNED: Rule = Rule {
    code: "P019",
    severity: Severity::Error,
    title: "this computer holds a planned address",
    why: "the device it is planned for may be switched on at any time, and then both disturb each other",
};

/// Everything that is wrong, worst first within each adapter.
#[must_use]
pub fn judge(computer: &Computer, sheet: Option<&RigSheet>) -> Vec<Finding> {
    let adapters: Vec<&Adapter> = computer.adapters.iter().filter(|adapter| !adapter.is_loopback()).collect();
    if adapters.is_empty() {
        let what = "loopback is the only adapter of this computer";
        return vec![ONLY_LOOPBACK.finding(what, "plug in an adapter, and look whether its driver is loaded")];
    }
    let mut findings: Vec<Finding> = adapters.iter().filter_map(|adapter| alone(adapter)).collect();
    findings.extend(pairs(&adapters));
    findings.extend(two_ways_out(&adapters));
    findings.extend(adapters.iter().filter_map(|adapter| public(adapter)));
    findings.extend(sheet.map(|sheet| against_sheet(computer, sheet)).unwrap_or_default());
    findings.extend(computer.holders.iter().map(port_held));
    findings
}

/// Adapters that reach the same addresses as this one, and may take what is meant for it.
#[must_use]
pub fn rivals_of(adapter: &Adapter, computer: &Computer) -> Vec<Finding> {
    let others = computer.adapters.iter().filter(|other| !other.is_loopback() && other.name != adapter.name);
    others.flat_map(|other| pairs(&[adapter, other])).collect()
}

/// What is wrong with one adapter by itself. Bridges and the like have no cable to speak of.
fn alone(adapter: &Adapter) -> Option<Finding> {
    let name = &adapter.name;
    let leads_out = matches!(adapter.medium, Medium::Wired | Medium::Wireless);
    Some(match adapter {
        _ if !leads_out => return None,
        Adapter { on: false, .. } => {
            OFF.finding(format!("{name} is switched off"), format!("to use it: {}", to_switch(name, true)))
        }
        Adapter { link: false, medium: Medium::Wireless, .. } => {
            NO_LINK.finding(format!("{name} is joined to no wireless network"), "join one, or use the wire")
        }
        Adapter { link: false, .. } => NO_LINK.finding(
            format!("{name} has no link"),
            "look at the light beside the socket: try another cable, another socket of the switch, and the switch's power; \
             between two computers a switch helps",
        ),
        Adapter { addresses, .. } if addresses.is_empty() => NO_ADDRESS.finding(
            format!("{name} has link, but no IPv4 address"),
            "give it a free address in the rig's network, and no gateway: deft-lantern adapters advise NODE-ADDRESS",
        ),
        Adapter { addresses, .. } if addresses.iter().all(|own| own.address.is_link_local()) => LINK_LOCAL.finding(
            format!("{name} has only {}", addresses[0]),
            "give it a fixed address in the rig's network (deft-lantern adapters advise NODE-ADDRESS), or look why the DHCP \
             server does not answer",
        ),
        _ => return None,
    })
}

/// Adapters whose subnets overlap.
fn pairs(adapters: &[&Adapter]) -> Vec<Finding> {
    let all = |adapter: &'_ Adapter| adapter.addresses.clone();
    let mut findings = Vec::new();
    for (i, a) in adapters.iter().enumerate() {
        for b in &adapters[i + 1..] {
            let clash = all(a)
                .into_iter()
                .find_map(|x| all(b).into_iter().find(|y| overlap(x.subnet, y.subnet)).map(|y| (x, y)));
            if let Some((x, y)) = clash.filter(|_| a.is_up() && b.is_up()) {
                findings.push(overlapping((a, x), (b, y)));
            }
        }
    }
    findings
}

/// What to do about an adapter that is in the way.
pub(super) fn switch_off(adapter: &Adapter) -> String {
    let name = &adapter.name;
    format!("switch {name} off while you work on the rig: {}", to_switch(name, false))
}

/// Whether two subnets have addresses in common.
pub(super) fn overlap(a: Subnet, b: Subnet) -> bool {
    a.contains(b.network()) || b.contains(a.network())
}

fn overlapping(a: (&Adapter, OwnAddress), b: (&Adapter, OwnAddress)) -> Finding {
    let beside = |medium| matches!(medium, Medium::Wireless | Medium::Tunnel);
    let what = format!("{} ({}) and {} ({}) reach the same addresses", a.0.name, a.1, b.0.name, b.1);
    let extra = [a.0, b.0].into_iter().find(|adapter| beside(adapter.medium));
    match extra.filter(|_| beside(a.0.medium) != beside(b.0.medium)) {
        Some(extra) => BESIDE_THE_WIRE.finding(what, switch_off(extra)),
        None => SAME_SUBNET.finding(what, format!("pull one cable, or give {} another subnet", b.0.name)),
    }
}

fn two_ways_out(adapters: &[&Adapter]) -> Option<Finding> {
    let out: Vec<String> = adapters
        .iter()
        .flat_map(|adapter| adapter.gateways.iter().map(|gateway| format!("{} by {gateway}", adapter.name)))
        .collect();
    (out.len() > 1).then(|| {
        TWO_WAYS_OUT.finding(
            format!("there are {} default routes: {}", out.len(), out.join(", ")),
            "take the gateway off the adapter that leads to the rig: inside a subnet none is needed",
        )
    })
}

fn public(adapter: &Adapter) -> Option<Finding> {
    let own = adapter.addresses.iter().find(|own| is_public(own.address))?;
    let gateway = adapter.gateways.first()?;
    let what = format!("{} has {own}, a public address, and a way out by {gateway}", adapter.name);
    Some(PUBLIC.finding(what, format!("take the gateway off {}, or unplug the router", adapter.name)))
}

fn against_sheet(computer: &Computer, sheet: &RigSheet) -> Vec<Finding> {
    let own: Vec<(&Adapter, &OwnAddress)> = computer
        .adapters
        .iter()
        .filter(|adapter| adapter.is_up())
        .flat_map(|adapter| adapter.addresses.iter().map(move |own| (adapter, own)))
        .collect();
    let mut findings: Vec<Finding> =
        own.iter().filter_map(|(adapter, own)| planned(sheet, adapter, own)).collect();
    for network in sheet.networks.iter().filter(|network| !network.range.value.network().is_loopback()) {
        let range: Subnet = network.range.value;
        let name = &network.name.value;
        let inside: Vec<_> = own.iter().filter(|(_, own)| range.contains(own.address)).collect();
        if inside.is_empty() {
            let finding = NOT_IN_SHEET.finding(
                format!("this computer has no address in {name} ({range})"),
                format!("give the adapter that leads there an address: deft-lantern adapters advise {range}"),
            );
            findings.push(finding.at(sheet, network.range.span, name.clone()));
        }
        for (adapter, own) in inside.into_iter().filter(|(_, own)| own.subnet != range) {
            let finding = OTHER_MASK.finding(
                format!("{} has {own}, the sheet's {name} is {range}", adapter.name),
                format!("give it the mask {} (/{})", range.mask(), range.mask().prefix()),
            );
            findings.push(finding.at(sheet, network.range.span, name.clone()));
        }
    }
    findings
}

/// The sheet gives an address to a node, and this computer has it.
fn planned(sheet: &RigSheet, adapter: &Adapter, own: &OwnAddress) -> Option<Finding> {
    let node = sheet.nodes.iter().find(|node| node.fixed_address() == Some(own.address))?;
    let name = &node.name.value;
    let what = format!("{} has {}, planned for {name}", adapter.name, own.address);
    let remedy = "give this computer another address: deft-lantern adapters advise NODE-ADDRESS";
    Some(PLANNED.finding(what, remedy).at(sheet, node.address.span, format!("planned for {name}")))
}

fn port_held(holder: &Holder) -> Finding {
    let program = holder.program.as_ref().map_or_else(|| "another program".to_owned(), ToString::to_string);
    let place =
        if holder.address.is_unspecified() { "every adapter".to_owned() } else { holder.address.to_string() };
    PORT_HELD.finding(
        format!("{program} holds UDP {ART_NET_PORT} on {place}"),
        "fine while it only sends; when nodes are missed, close it and look again",
    )
}
