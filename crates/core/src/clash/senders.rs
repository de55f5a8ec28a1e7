//! Who sends a universe and who listens to it: only judged where the sheet names its sources.

use std::collections::{BTreeMap, HashMap, HashSet};

use super::named;
use crate::finding::{Finding, Rule, Severity};
use crate::sheet::{RigSheet, SheetNode, SheetPort, Span};
use crate::universe::{PortAddress, Universe};
use crate::{Direction, Merge, Protocol};

pub(super) static RULES: &[&Rule] =
    &[&NOBODY_SENDS, &NOBODY_LISTENS, &OTHER_PROTOCOL, &MORE_SOURCES, &NO_MERGE, &OFF_BY_ONE];

static NOBODY_SENDS: Rule = Rule {
    code: "U008",
    severity: Severity::Warning,
    title: "a universe that nobody sends",
    why: "whatever hangs on the port gets no data",
};
static NOBODY_LISTENS: Rule = Rule {
    code: "U009",
    severity: Severity::Note,
    title: "a universe that nobody listens to",
    why: "its data is on the network for nobody; often the universe of a port was mistyped",
};
static OTHER_PROTOCOL: Rule = Rule {
    code: "U010",
    severity: Severity::Error,
    title: "sender and node speak different protocols",
    why: "the node waits for data that is sent in a way it does not listen to",
};
static MORE_SOURCES: Rule = Rule {
    code: "U011",
    severity: Severity::Error,
    title: "more sources than declared",
    why: "two senders of one universe fight over every level unless somebody meant it",
};
static NO_MERGE: Rule = Rule {
    code: "U012",
    severity: Severity::Error,
    title: "several sources, but nothing combines them",
    why: "with merging off a node follows whichever packet came last, so levels flicker",
};
static OFF_BY_ONE: Rule = Rule {
    code: "U013",
    severity: Severity::Warning,
    title: "every universe off by exactly one",
    why: "Art-Net counts from 0, sACN and most desks from 1: one side of the plan was written in the other's counting",
};

/// The fewest universes for which "all of them off by one" is no coincidence.
const ENOUGH_TO_TELL: usize = 3;

/// One place where a universe is sent.
#[derive(Clone, Copy)]
pub(crate) struct Sender<'s> {
    pub(crate) name: &'s str,
    pub(crate) protocol: Protocol,
    pub(crate) span: Span,
}

/// One place where a universe is listened to.
#[derive(Clone, Copy)]
pub(crate) struct Listener<'s> {
    pub(crate) node: &'s SheetNode,
    pub(crate) port: &'s SheetPort,
    pub(crate) universe: Universe,
}

pub(super) fn clashes(sheet: &RigSheet) -> Vec<Finding> {
    if sheet.sources.is_empty() {
        return Vec::new();
    }
    let (senders, listeners) = (senders(sheet), listeners(sheet));
    let mut findings = Vec::new();
    if let Some(finding) = off_by_one(sheet, &senders, &listeners) {
        // Said once for all: each universe by itself would drown it.
        findings.push(finding);
    } else {
        findings.extend(listeners.iter().filter_map(|listener| nobody_sends(sheet, &senders, listener)));
        findings.extend(nobody_listens(sheet, &listeners));
    }
    for listener in &listeners {
        findings.extend(sources_of(sheet, &senders, listener));
    }
    findings
}

/// Who sends what by the sheet: its sources, and inputs of nodes.
pub(crate) fn senders(sheet: &RigSheet) -> HashMap<PortAddress, Vec<Sender<'_>>> {
    let mut all: HashMap<PortAddress, Vec<Sender<'_>>> = HashMap::new();
    for source in &sheet.sources {
        for block in &source.sends {
            let sender = Sender { name: &source.name.value, protocol: source.protocol, span: block.span };
            for address in block.value.iter() {
                all.entry(address).or_default().push(sender);
            }
        }
    }
    for node in &sheet.nodes {
        for port in node.ports.iter().filter(|port| port.direction == Direction::In) {
            let Some(universe) = port.universe.value.real() else { continue };
            let protocol = universe.protocol();
            let sender = Sender { name: &node.name.value, protocol, span: port.universe.span };
            if let Some(address) = universe.port_address() {
                all.entry(address).or_default().push(sender);
            }
        }
    }
    all
}

/// The outputs of the sheet's nodes that have a universe.
pub(crate) fn listeners(sheet: &RigSheet) -> Vec<Listener<'_>> {
    let outputs = sheet.nodes.iter().flat_map(|node| node.ports.iter().map(move |port| (node, port)));
    let real = outputs.filter(|(_, port)| port.direction == Direction::Out);
    real.filter_map(|(node, port)| Some(Listener { node, port, universe: port.universe.value.real()? })).collect()
}

impl Listener<'_> {
    pub(crate) fn title(&self) -> String {
        format!("{} port {}", self.node.name.value, self.port.number.value)
    }

    pub(crate) fn protocol(&self) -> Protocol {
        self.universe.protocol()
    }
}

fn off_by_one(
    sheet: &RigSheet,
    senders: &HashMap<PortAddress, Vec<Sender<'_>>>,
    listeners: &[Listener<'_>],
) -> Option<Finding> {
    let heard: HashSet<PortAddress> = listeners.iter().filter_map(|one| one.universe.port_address()).collect();
    let by = shift(&heard, |address| senders.contains_key(&address))?;
    let direction = if by < 0 { "above" } else { "below" };
    let what =
        format!("all {} universes of the ports lie exactly one {direction} those that are sent", heard.len());
    let remedy = "shift one side by one; a universe is written 0:0:0, 0, \"sacn 1\" or \"desk 1\"";
    let unsent = listeners
        .iter()
        .find(|one| one.universe.port_address().is_some_and(|address| !senders.contains_key(&address)))?;
    let finding = OFF_BY_ONE.finding(what, remedy).at(sheet, unsent.port.universe.span, "nobody sends this one");
    let sends = sheet.sources.iter().find_map(|source| source.sends.first())?;
    Some(finding.mended_by(format!("sheet renumber {by:+} --ports")).at(sheet, sends.span, "sent"))
}

/// By how much all of these lie beside what is sent; `None` where they do not, or are too few to tell.
pub(crate) fn shift(heard: &HashSet<PortAddress>, is_sent: impl Fn(PortAddress) -> bool) -> Option<i32> {
    let all_sent = |by: i32| heard.iter().all(|address| address.shifted(by).is_some_and(&is_sent));
    if heard.len() < ENOUGH_TO_TELL || all_sent(0) { None } else { [-1, 1].into_iter().find(|by| all_sent(*by)) }
}

fn nobody_sends(
    sheet: &RigSheet,
    senders: &HashMap<PortAddress, Vec<Sender<'_>>>,
    listener: &Listener<'_>,
) -> Option<Finding> {
    let address = listener.universe.port_address()?;
    if senders.contains_key(&address) {
        return None;
    }
    let what = format!("{} listens to {}, which no source sends", listener.title(), listener.universe);
    let finding = NOBODY_SENDS.finding(what, "choose a universe that is sent, or add it to a source's `sends`");
    Some(finding.at(sheet, listener.port.universe.span, "nobody sends it"))
}

fn nobody_listens(sheet: &RigSheet, listeners: &[Listener<'_>]) -> Vec<Finding> {
    let heard: HashSet<PortAddress> = listeners.iter().filter_map(|one| one.universe.port_address()).collect();
    let mut findings = Vec::new();
    for source in &sheet.sources {
        for block in &source.sends {
            let unheard: Vec<PortAddress> =
                block.value.iter().filter(|address| !heard.contains(address)).collect();
            if unheard.is_empty() {
                continue;
            }
            let list = named(runs(&unheard), ", ");
            let what = format!("{} sends {list}, which no port listens to", source.name.value);
            let finding =
                NOBODY_LISTENS.finding(what, "fine for universes kept for later; otherwise look at the ports");
            findings.push(finding.at(sheet, block.span, "partly for nobody"));
        }
    }
    findings
}

/// Runs of neighbours: "0:0:3 to 0:0:7".
pub(crate) fn runs(addresses: &[PortAddress]) -> Vec<String> {
    let mut runs: Vec<(PortAddress, PortAddress)> = Vec::new();
    for address in addresses {
        match runs.last_mut() {
            Some((_, last)) if last.flat() + 1 == address.flat() => *last = *address,
            _ => runs.push((*address, *address)),
        }
    }
    let shown = |(first, last): &(PortAddress, PortAddress)| {
        if first == last { first.to_string() } else { format!("{first} to {last}") }
    };
    runs.iter().map(shown).collect()
}

/// Protocol, number and merging of the sources of one port's universe.
fn sources_of(
    sheet: &RigSheet,
    senders: &HashMap<PortAddress, Vec<Sender<'_>>>,
    listener: &Listener<'_>,
) -> Option<Finding> {
    let all = senders.get(&listener.universe.port_address()?)?;
    // One desk may name a universe in two blocks; it is one source all the same.
    let mut by_name: BTreeMap<&str, Sender<'_>> = BTreeMap::new();
    for sender in all.iter().filter(|sender| sender.protocol == listener.protocol()) {
        by_name.entry(sender.name).or_insert(*sender);
    }
    let (title, universe, span) = (listener.title(), listener.universe, listener.port.universe.span);
    if by_name.is_empty() {
        let other = all.first()?;
        let what = format!("{title} listens to {universe}, but {} sends it by {}", other.name, other.protocol);
        let remedy = format!("set the port to {}, or let the source send {}", other.protocol, listener.protocol());
        let finding = OTHER_PROTOCOL.finding(what, remedy).at(sheet, span, listener.protocol().to_string());
        return Some(finding.at(sheet, other.span, other.protocol.to_string()));
    }
    let declared = listener.port.sources.as_ref().map_or(1, |sources| sources.value);
    let count = u32::try_from(by_name.len()).unwrap_or(u32::MAX);
    let who = named(by_name.keys(), " and ");
    let at_senders = |finding: Finding| {
        by_name.values().fold(finding, |finding, sender| finding.at(sheet, sender.span, sender.name))
    };
    if count > declared {
        let what = format!("{title} gets {universe} from {who}, but {declared} is declared");
        let remedy = format!("take it from all but one, or write sources = {count} if that is meant");
        return Some(at_senders(MORE_SOURCES.finding(what, remedy).at(sheet, span, format!("{count} sources"))));
    }
    let merge = listener.port.merge.as_ref().filter(|merge| merge.value == Merge::Off && count > 1)?;
    let what = format!("{title} gets {universe} from {who}, with merging off");
    let remedy = "write merge = \"htp\" for dimmers, or \"ltp\" where the latest level is meant";
    Some(at_senders(NO_MERGE.finding(what, remedy).at(sheet, merge.span, "off")))
}
