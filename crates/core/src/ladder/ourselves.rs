//! The rungs at this computer: its cable, its address, its subnet, its way out.

use crate::adapter::{Adapter, Medium, to_switch};
use crate::address::Subnet;
use crate::clash::{mask_remedy, subnet_of_broadcast};

use super::rules::{ITS_MASK, NO_ADDRESS, NO_LINK, OTHER_SUBNET, OTHER_WAY};
use super::{Circumstances, Step};

const FROM_FILE: &str = "a file is read: this computer does not matter";

pub(super) fn link(at: &Circumstances<'_>) -> Step {
    let Some(adapter) = at.adapter else {
        if at.heard.is_some() {
            return Step::NotLooked(FROM_FILE.to_owned());
        }
        let what = "this computer has no adapter that could lead to the rig";
        return Step::broken(NO_LINK.finding(what, "plug one in: deft-lantern adapters shows what there is"));
    };
    let name = &adapter.name;
    if !adapter.on {
        let finding = NO_LINK.finding(format!("{name} is switched off"), to_switch(name, true));
        return Step::broken(finding);
    }
    if !adapter.link {
        let remedy = match adapter.medium {
            Medium::Wireless => "join the network of the rig, or use the wire",
            _ => {
                "look at the light beside the socket, at both ends: another cable, another socket of the switch, the switch's power"
            }
        };
        return Step::broken(NO_LINK.finding(format!("{name} has no link"), remedy));
    }
    let speed = adapter.speed.map(|speed| format!(", {speed} Mbit/s")).unwrap_or_default();
    Step::Holds(format!("{name} has link{speed}"))
}

pub(super) fn own_address(at: &Circumstances<'_>) -> Step {
    let Some(adapter) = at.adapter else { return Step::NotLooked(FROM_FILE.to_owned()) };
    let (name, advise) = (&adapter.name, format!("deft-lantern adapters advise {}", at.address));
    if adapter.addresses.is_empty() {
        return Step::broken(NO_ADDRESS.finding(format!("{name} has no IPv4 address"), advise));
    }
    let all_link_local = adapter.addresses.iter().all(|own| own.address.is_link_local());
    if all_link_local && !at.address.is_link_local() {
        let what = format!("{name} has only {}, which nobody gave it", adapter.addresses[0]);
        return Step::broken(NO_ADDRESS.finding(what, advise));
    }
    let all: Vec<String> = adapter.addresses.iter().map(ToString::to_string).collect();
    Step::Holds(format!("{name} has {}", all.join(", ")))
}

/// Whether both are in one subnet, as each of them sees it; or a router between them passes on.
pub(super) fn subnet(at: &Circumstances<'_>) -> Step {
    let Some(heard) = at.heard else { return Step::NotLooked("nothing could be asked".to_owned()) };
    let (vantage, address) = (heard.vantage, at.address);
    let Some(seat) = vantage.seat_beside(address).map(|seat| vantage.seats[seat]) else {
        let answers = heard.reached.echo.answered() > 0 || heard.reached.art_net.answered() > 0;
        if let (true, Some(gateway)) = (answers, vantage.gateways.first()) {
            return Step::Holds(format!("it answers through the router {gateway}"));
        }
        let ours: Vec<String> = vantage.seats.iter().map(|seat| seat.subnet.to_string()).collect();
        let what = format!("{address} lies in no subnet of this computer ({})", ours.join(", "));
        return Step::broken(OTHER_SUBNET.finding(what, format!("deft-lantern adapters advise {address}")));
    };
    if let Some(node) = at.node() {
        if let (Some(to), Some(remedy)) = (node.answers_to, mask_remedy(node, heard.from)) {
            let seems = subnet_of_broadcast(node.address, to)
                .map(|seems| format!(", as one in {seems} would"))
                .unwrap_or_default();
            let what = format!("{} answers to {to}{seems}; this computer is in {}", node.title(), seat.subnet);
            return Step::broken(ITS_MASK.finding(what, remedy));
        }
        if let Some(mask) = node.mask().filter(|mask| !Subnet::around(node.address, *mask).contains(seat.own)) {
            let what = format!("{} has the mask {mask}, under which {} is no neighbour", node.title(), seat.own);
            let remedy = format!(
                "deft-lantern set {} --mask {}; where that does not reach it: deft-lantern adapters advise {}/{}",
                node.address,
                seat.subnet.mask(),
                node.address,
                mask.prefix()
            );
            return Step::broken(ITS_MASK.finding(what, remedy));
        }
    }
    let reached = heard.reached;
    if let (Some(mac), 1.., 0) = (reached.holders.first(), reached.arp.asked(), reached.arp.answered()) {
        let what =
            format!("{mac} has {address} and does not answer {}: under its mask that is no neighbour", seat.own);
        let remedy = format!(
            "first get an address that it answers: deft-lantern adapters advise {address}/24; then: deft-lantern set {address} --mask {}",
            seat.subnet.mask()
        );
        return Step::broken(ITS_MASK.finding(what, remedy));
    }
    Step::Holds(format!("{address} and {} are both in {}", seat.own, seat.subnet))
}

pub(super) fn way_out(at: &Circumstances<'_>) -> Step {
    let (Some(adapter), Some(heard)) = (at.adapter, at.heard) else {
        return Step::NotLooked(FROM_FILE.to_owned());
    };
    let Some(seat) = heard.vantage.seat_beside(at.address).map(|seat| heard.vantage.seats[seat]) else {
        return Step::Holds(format!("by the router of {}", adapter.name));
    };
    if adapter.is_loopback() {
        return Step::Holds("simulated nodes stand in this computer".to_owned());
    }
    let ours = seat.subnet.mask().prefix();
    let competes = |other: &&Adapter| {
        let leads = other
            .addresses
            .iter()
            .any(|own| own.subnet.contains(at.address) && own.subnet.mask().prefix() >= ours);
        other.name != adapter.name && other.is_up() && !other.is_loopback() && leads
    };
    match at.computer.adapters.iter().find(competes) {
        Some(other) => {
            let what = format!("{} lies in the subnet of {} too", other.line(), adapter.name);
            let remedy =
                format!("while you work on the rig: {}; or give it another subnet", to_switch(&other.name, false));
            Step::broken(OTHER_WAY.finding(what, remedy))
        }
        None => Step::Holds(format!("only {} lies in that subnet", adapter.name)),
    }
}
