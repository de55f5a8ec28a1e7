//! The rungs at the device's ports: the universes they are on, the levels that arrive, who is in control.

use std::collections::HashSet;
use std::time::Duration;

use crate::census::{Beside, FoundPort, Source, by_universe, sent_before, sent_beside, sent_by};
use crate::clash::senders::{Listener, listeners, senders};
use crate::compare::{State, compare_all};
use crate::facts::Difference;
use crate::universe::PortAddress;
use crate::{Direction, Protocol, typed};

use super::rules::{BY_OTHER_PROTOCOL, DOES_NOT_ARRIVE, MERGED, NOBODY_SENDS, ONE_BESIDE, SET_OTHERWISE};
use super::{Circumstances, Step};

/// An output of it.
struct Output<'a> {
    number: u32,
    port: &'a FoundPort,
    /// When it was last heard of.
    heard: Duration,
}

fn outputs<'a>(at: &Circumstances<'a>) -> Vec<Output<'a>> {
    let Some(node) = at.node() else { return Vec::new() };
    let outputs = node.ports().filter(|(_, _, port)| port.direction == Direction::Out);
    outputs.map(|(number, place, port)| Output { number, port, heard: node.heard_at(place) }).collect()
}

fn sources(at: &Circumstances<'_>) -> Vec<Source> {
    at.heard.map(|heard| heard.census.sources()).unwrap_or_default()
}

fn no_ports() -> Step {
    Step::NotLooked("it tells nothing of ports".to_owned())
}

/// Whether it is set as planned, and what it waits for is what is sent.
pub(super) fn patch(at: &Circumstances<'_>) -> Step {
    if let Some(step) = set_otherwise(at) {
        return step;
    }
    let (outputs, sources) = (outputs(at), sources(at));
    if outputs.is_empty() {
        return no_ports();
    }
    let sent = by_universe(&sources);
    let sheet = at.sheet.map(|(sheet, _)| sheet);
    let planned = sheet.map(senders).unwrap_or_default();
    let mut wanted: HashSet<PortAddress> = outputs.iter().map(|output| output.port.universe).collect();
    wanted.extend(sheet.map(listeners).unwrap_or_default().iter().filter_map(|one| one.universe.port_address()));
    let mut unsent = None;
    for Output { number, port, .. } in outputs.iter().filter(|output| !output.port.data) {
        let (address, universe) = (port.universe, port.universe());
        if sent_by(&sent, address, port.protocol).is_some() {
            continue;
        }
        if let Some(other) = sent.get(&address).and_then(|all| all.first()).map(|one| one.source) {
            let what = format!(
                "port {number} waits for {universe} by {}, and {} sends it by {}",
                port.protocol,
                other.title(),
                other.protocol
            );
            let remedy = match on_sheet(at, *number) {
                // Set otherwise than planned, it would only be wrong in another way.
                Some((node, file)) => format!(
                    "let the source send {}; or write out = \"{}\" at port {number} of {node} on the sheet, then: deft-lantern apply {file} --node {}",
                    port.protocol,
                    other.universe(address.flat()).unwrap_or(universe),
                    typed(node)
                ),
                None => {
                    format!("deft-lantern set {} --port {number} --protocol {}", at.address, other.protocol.word())
                }
            };
            return Step::broken(BY_OTHER_PROTOCOL.finding(what, remedy));
        }
        let is_for_somebody = |beside| planned.contains_key(&beside) || wanted.contains(&beside);
        if let Some(Beside { first, last, sender }) = sent_beside(&sent, address, port.protocol, is_for_somebody) {
            let beside = port.in_notation(first);
            let row = match first == last {
                true => beside.to_string(),
                false => format!("{beside} to {}", port.in_notation(last)),
            };
            let what = format!(
                "port {number} waits for {universe}, which nobody sends; {} sends {row}",
                sender.source.title()
            );
            let by = if first > address { "+1" } else { "-1" };
            let command = match on_sheet(at, *number) {
                Some((node, file)) => format!(
                    "deft-lantern sheet renumber {by} --ports --within '{universe}'; then: deft-lantern apply {file} --node {}",
                    typed(node)
                ),
                None => format!("deft-lantern set {} --port {number} --universe '{beside}'", at.address),
            };
            let remedy = format!("shift the patch of the source by one, or: {command}");
            return Step::broken(ONE_BESIDE.finding(what, remedy));
        }
        if let Some(senders) = planned.get(&address) {
            unsent.get_or_insert((number, universe, senders));
        }
    }
    if let Some((number, universe, senders)) = unsent {
        let names: Vec<&str> = senders.iter().map(|sender| sender.name).collect();
        let names = names.join(" or ");
        let what = format!("port {number} waits for {universe}, and nobody sends it; {names} should");
        let remedy = format!("look whether {names} runs and sends, and on which of its adapters");
        return Step::broken(NOBODY_SENDS.finding(what, remedy));
    }
    let as_planned = if at.planned.is_some() { "as planned" } else { "as it tells; it is on no sheet" };
    Step::Holds(format!("{} outputs are patched {as_planned}", outputs.len()))
}

/// What the sheet calls it where it plans this port, and the sheet's file.
fn on_sheet<'a>(at: &Circumstances<'a>, number: u32) -> Option<(&'a str, &'a str)> {
    let ((sheet, file), planned) = (at.sheet?, at.planned?);
    let is_it = |one: &Listener<'_>| std::ptr::eq(one.node, planned) && one.port.number.value == number;
    listeners(sheet).iter().any(is_it).then_some((planned.name.value.as_str(), file))
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
    let remedy = format!("deft-lantern apply {file} --node {}", typed(&planned.name.value));
    Some(Step::broken(SET_OTHERWISE.finding(what, remedy)))
}

/// Whether what is sent arrives at its ports.
pub(super) fn arrives(at: &Circumstances<'_>) -> Step {
    let (outputs, sources) = (outputs(at), sources(at));
    if outputs.is_empty() {
        return no_ports();
    }
    let sent = by_universe(&sources);
    for Output { number, port, heard } in outputs.iter().filter(|output| !output.port.data) {
        // Who began to send a moment ago may not have been noticed yet.
        let Some(one) = sent_before(&sent, port.universe, port.protocol, *heard) else { continue };
        let (source, universe) = (one.source.title(), port.universe());
        let what = format!("{source} sends {universe}, and port {number} says that no data comes");
        let remedy = match port.protocol {
            Protocol::ArtNet => format!(
                "put {} on the list of nodes that the source sends to, or let it send to everybody",
                at.address
            ),
            Protocol::Sacn => {
                "look at the switches between: IGMP snooping needs a querier, and multicast must not be filtered"
                    .to_owned()
            }
        };
        return Step::broken(DOES_NOT_ARRIVE.finding(what, remedy));
    }
    let fed = outputs.iter().filter(|output| output.port.data).map(|output| output.number.to_string());
    let fed: Vec<String> = fed.collect();
    if fed.is_empty() {
        return Step::NotLooked("no data comes to its ports, and nobody is heard sending any".to_owned());
    }
    Step::Holds(format!("data comes to port {}", fed.join(", ")))
}

/// Whether one source is in control of each of its ports.
pub(super) fn merge(at: &Circumstances<'_>) -> Step {
    let outputs = outputs(at);
    if outputs.is_empty() {
        return no_ports();
    }
    let meant = |number: u32| {
        let port = at.planned.and_then(|planned| planned.ports.iter().find(|port| port.number.value == number));
        port.and_then(|port| port.sources.as_ref()).is_some_and(|sources| sources.value > 1)
    };
    let Some(Output { number, port, .. }) =
        outputs.iter().find(|output| output.port.merging && !meant(output.number))
    else {
        return Step::Holds("no port merges two sources".to_owned());
    };
    let what = format!("port {number} merges two sources of {} ({})", port.universe(), port.merge);
    let remedy = format!(
        "stop one of them, then: deft-lantern set {} --stop-merging; where both are meant, say sources = 2 on the sheet",
        at.address
    );
    Step::broken(MERGED.finding(what, remedy))
}
