//! The rungs at the device's ports: the universes they are on, the levels that arrive, who is in control.

use std::collections::BTreeMap;
use std::time::Duration;

use crate::census::{FoundNode, FoundPort, Source};
use crate::clash::senders::senders;
use crate::compare::{State, compare_all};
use crate::facts::Difference;
use crate::universe::PortAddress;
use crate::{Direction, Protocol};

use super::rules::{BY_OTHER_PROTOCOL, DOES_NOT_ARRIVE, MERGED, NOBODY_SENDS, ONE_BESIDE, SET_OTHERWISE};
use super::{Circumstances, Step};

/// Sources of levels that were heard, by Port-Address and protocol.
type Sent = BTreeMap<(PortAddress, Protocol), Vec<Source>>;

fn sent(at: &Circumstances<'_>) -> Sent {
    let mut sent = Sent::new();
    for source in at.heard.into_iter().flat_map(|heard| heard.census.sources()) {
        for (number, sending) in &source.universes {
            let is_sent = sending.is_live() || (sending.heard == 0 && !sending.ended);
            let address = source.universe(*number).and_then(crate::universe::Universe::port_address);
            if let Some(address) = address.filter(|_| is_sent) {
                sent.entry((address, source.protocol)).or_default().push(source.clone());
            }
        }
    }
    sent
}

/// Its outputs, with their numbers.
fn outputs(at: &Circumstances<'_>) -> Vec<(u32, FoundPort)> {
    let ports = at.node().into_iter().flat_map(FoundNode::ports);
    ports
        .filter(|(_, _, port)| port.direction == Direction::Out)
        .map(|(number, _, port)| (number, *port))
        .collect()
}

/// When its port of this number was last heard of.
fn heard_at(at: &Circumstances<'_>, number: u32) -> Option<Duration> {
    let node = at.node()?;
    node.port(number).map(|(place, _)| node.heard_at(place))
}

fn no_ports() -> Step {
    Step::NotLooked("it tells nothing of ports".to_owned())
}

/// Whether it is set as planned, and what it waits for is what is sent.
pub(super) fn patch(at: &Circumstances<'_>) -> Step {
    if let Some(step) = set_otherwise(at) {
        return step;
    }
    let (ports, sent) = (outputs(at), sent(at));
    if ports.is_empty() {
        return no_ports();
    }
    let planned = at.sheet.map(|(sheet, _)| senders(sheet)).unwrap_or_default();
    let mut unsent = Vec::new();
    for (number, port) in ports.iter().filter(|(_, port)| !port.data) {
        let (address, universe) = (port.universe, port.universe());
        if sent.contains_key(&(address, port.protocol)) {
            continue;
        }
        let (other, word) = match port.protocol {
            Protocol::ArtNet => (Protocol::Sacn, "sacn"),
            Protocol::Sacn => (Protocol::ArtNet, "art-net"),
        };
        if let Some([source, ..]) = sent.get(&(address, other)).map(Vec::as_slice) {
            let what = format!(
                "port {number} waits for {universe} by {}, and {} sends it by {other}",
                port.protocol,
                source.title()
            );
            let remedy = format!("deft-lantern set {} --port {number} --protocol {word}", at.address);
            return Step::broken(BY_OTHER_PROTOCOL.finding(what, remedy));
        }
        let beside = [-1_i32, 1].into_iter().find_map(|by| {
            let flat = u64::try_from(i32::from(address.flat()) + by).ok()?;
            let beside = PortAddress::new(flat).ok()?;
            sent.get(&(beside, port.protocol)).and_then(|all| all.first()).map(|source| (beside, source))
        });
        // A source of the whole row beside it is no mistake: only where nobody waits for that one.
        let is_waited_for = |address: PortAddress| ports.iter().any(|(_, other)| other.universe == address);
        if let Some((beside, source)) = beside.filter(|(beside, _)| !is_waited_for(*beside)) {
            let beside = port.in_notation(beside);
            let what = format!(
                "port {number} waits for {universe}, which nobody sends; {} sends {beside}",
                source.title()
            );
            let remedy = format!(
                "shift the patch of the source by one, or: deft-lantern set {} --port {number} --universe '{beside}'",
                at.address
            );
            return Step::broken(ONE_BESIDE.finding(what, remedy));
        }
        if planned.contains_key(&address) {
            unsent.push((*number, *port));
        }
    }
    if let Some((number, port)) = unsent.first() {
        let names: Vec<&str> =
            planned.get(&port.universe).into_iter().flatten().map(|sender| sender.name).collect();
        let what = format!(
            "port {number} waits for {}, and nobody sends it; {} should",
            port.universe(),
            names.join(" or ")
        );
        let remedy = format!("look whether {} runs and sends, and on which of its adapters", names.join(" or "));
        return Step::broken(NOBODY_SENDS.finding(what, remedy));
    }
    let as_planned = if at.planned.is_some() { "as planned" } else { "as it tells; it is on no sheet" };
    Step::Holds(format!("{} outputs are patched {as_planned}", ports.len()))
}

/// Where the sheet wants it otherwise than it tells.
fn set_otherwise(at: &Circumstances<'_>) -> Option<Step> {
    let (heard, (sheet, file), planned) = (at.heard?, at.sheet?, at.planned?);
    let comparison = compare_all(sheet, heard.census, heard.everybody());
    let row = comparison.rows.iter().find(|row| std::ptr::eq(row.planned, planned))?;
    let (State::Found(_, differences) | State::Seen(_, differences)) = &row.state else { return None };
    let told: Vec<String> = differences.iter().filter(|one| one.is_told()).map(Difference::to_string).collect();
    if told.is_empty() {
        return None;
    }
    let what = format!("{}: {}", at.called, told.join("; "));
    let remedy = format!("deft-lantern apply {file} --node {}", planned.name.value);
    Some(Step::broken(SET_OTHERWISE.finding(what, remedy)))
}

/// Whether what is sent arrives at its ports.
pub(super) fn arrives(at: &Circumstances<'_>) -> Step {
    let (ports, sent) = (outputs(at), sent(at));
    if ports.is_empty() {
        return no_ports();
    }
    for (number, port) in ports.iter().filter(|(_, port)| !port.data) {
        // Who began to send a moment ago may not have been noticed yet. Both protocols number a universe alike.
        let before = |source: &&Source| {
            let sending = source.universes.get(&port.universe.flat());
            sending.zip(heard_at(at, *number)).is_some_and(|(sending, heard)| sending.was_live_before(heard))
        };
        if let Some(source) = sent.get(&(port.universe, port.protocol)).and_then(|all| all.iter().find(before)) {
            let what =
                format!("{} sends {}, and port {number} says that no data comes", source.title(), port.universe());
            let remedy = match port.protocol {
                Protocol::ArtNet => format!("put {} on the list of nodes that the source sends to, or let it send to everybody", at.address),
                Protocol::Sacn => "look at the switches between: IGMP snooping needs a querier, and multicast must not be filtered".to_owned(),
            };
            return Step::broken(DOES_NOT_ARRIVE.finding(what, remedy));
        }
    }
    let fed: Vec<String> =
        ports.iter().filter(|(_, port)| port.data).map(|(number, _)| number.to_string()).collect();
    if fed.is_empty() {
        return Step::NotLooked("no data comes to its ports, and nobody is heard sending any".to_owned());
    }
    Step::Holds(format!("data comes to port {}", fed.join(", ")))
}

/// Whether one source is in control of each of its ports.
pub(super) fn merge(at: &Circumstances<'_>) -> Step {
    let ports = outputs(at);
    if ports.is_empty() {
        return no_ports();
    }
    let meant = |number: u32| {
        let port = at.planned.and_then(|planned| planned.ports.iter().find(|port| port.number.value == number));
        port.and_then(|port| port.sources.as_ref()).is_some_and(|sources| sources.value > 1)
    };
    match ports.iter().find(|(number, port)| port.merging && !meant(*number)) {
        Some((number, port)) => {
            let what = format!("port {number} merges two sources of {} ({})", port.universe(), port.merge);
            let remedy = format!(
                "stop one of them, then: deft-lantern set {} --stop-merging; where both are meant, say sources = 2 on the sheet",
                at.address
            );
            Step::broken(MERGED.finding(what, remedy))
        }
        None => Step::Holds("no port merges two sources".to_owned()),
    }
}
