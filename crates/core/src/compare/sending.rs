//! Universes that are sent, held against what the sheet has.
//!
//! Levels by Art-Net go from the source to each node alone, so a computer beside them hears nothing; the nodes themselves say whether
//! data passes through a port (Art-Net 4, ArtPollReply "GoodOutputA" bit 7). Nothing is called unsent that a port says arrives.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::time::Duration;

use super::{Comparison, State};
use crate::census::{Beside, Census, FoundPort, Sender, Senders, by_universe, sent_before, sent_beside};
use crate::clash::named;
use crate::clash::senders::{self, Listener, runs, shift};
use crate::finding::{Finding, Rule, Severity};
use crate::sheet::{RigSheet, Span};
use crate::universe::PortAddress;
use crate::{Direction, Protocol, typed};

pub(crate) static RULES: &[&Rule] =
    &[&UNSENT, &UNPLANNED, &MORE_SOURCES, &OTHER_PROTOCOL, &OFF_BY_ONE, &LOST, &MERGING];

static UNSENT: Rule = Rule {
    code: "R008",
    severity: Severity::Warning,
    title: "a planned universe that nobody sends now",
    why: "no source of it is heard, and the ports that wait for it say that no data comes",
};
static UNPLANNED: Rule = Rule {
    code: "R009",
    severity: Severity::Warning,
    title: "a universe is sent that nobody planned",
    why: "a source was set up for another show, or a number was mistyped on one side",
};
static MORE_SOURCES: Rule = Rule {
    code: "R010",
    severity: Severity::Warning,
    title: "more sources send a universe than planned",
    why: "the one with the highest priority is in control, and that may be the wrong one",
};
static OTHER_PROTOCOL: Rule = Rule {
    code: "R011",
    severity: Severity::Error,
    title: "a universe is sent by the other protocol",
    why: "the port waits for data that is sent in a way it does not listen to",
};
static OFF_BY_ONE: Rule = Rule {
    code: "R012",
    severity: Severity::Error,
    title: "everything that is sent lies one beside the plan",
    why: "Art-Net counts from 0, sACN and most desks from 1: one side was set in the other's counting",
};
static LOST: Rule = Rule {
    code: "R015",
    severity: Severity::Error,
    title: "a universe is sent and does not arrive",
    why: "the source sends it to other nodes only, or the network keeps it from this one",
};
static MERGING: Rule = Rule {
    code: "R016",
    severity: Severity::Warning,
    title: "a port merges two sources where one is planned",
    why: "neither of them is in control of what comes out",
};

/// What ports of nodes that were found say, by the node's name on the sheet and the port's number.
type Told<'a> = HashMap<(&'a str, u32), Says<'a>>;

/// A port, and when it was heard of.
#[derive(Clone, Copy)]
struct Says<'a> {
    port: &'a FoundPort,
    at: Duration,
}

/// The sheet, and what is on the wire.
struct Sides<'a> {
    sheet: &'a RigSheet,
    planned: HashMap<PortAddress, Vec<senders::Sender<'a>>>,
    listeners: Vec<Listener<'a>>,
    /// The universes that ports wait for.
    wanted: HashSet<PortAddress>,
    live: Senders<'a>,
    told: Told<'a>,
}

/// What is sent otherwise than planned.
pub(super) fn findings(comparison: &Comparison<'_>, sheet: &RigSheet, census: &Census) -> Vec<Finding> {
    let sources = census.sources();
    let listeners = senders::listeners(sheet);
    let sides = Sides {
        sheet,
        planned: senders::senders(sheet),
        wanted: listeners.iter().filter_map(|one| one.universe.port_address()).collect(),
        listeners,
        live: by_universe(&sources),
        told: told(comparison),
    };
    let mut findings = Vec::new();
    if let Some(finding) = sides.off_by_one() {
        findings.push(finding);
    } else {
        // The universes that are unsent, or sent for nobody, because they lie one beside the plan.
        let mut shifted = HashSet::new();
        for one in &sides.listeners {
            findings.extend(sides.other_protocol(one));
            if let Some((address, beside)) = sides.beside(one) {
                shifted.extend([address, beside.last]);
                findings.push(sides.one_beside(one, &beside));
            }
            findings.extend(sides.lost(one));
        }
        findings.extend(sides.unsent(&shifted));
        findings.extend(sides.unplanned(&shifted));
    }
    for one in &sides.listeners {
        findings.extend(sides.more_sources(one));
        findings.extend(sides.merging(one));
    }
    findings
}

fn told<'a>(comparison: &Comparison<'a>) -> Told<'a> {
    let mut told = HashMap::new();
    for row in &comparison.rows {
        let State::Found(node, _) = &row.state else { continue };
        let outputs = node.ports().filter(|(_, _, port)| port.direction == Direction::Out);
        let name = row.planned.name.value.as_str();
        told.extend(
            outputs.map(|(number, place, port)| ((name, number), Says { port, at: node.heard_at(place) })),
        );
    }
    told
}

fn key<'a>(listener: &Listener<'a>) -> (&'a str, u32) {
    (listener.node.name.value.as_str(), listener.port.number.value)
}

impl Sides<'_> {
    /// Whether the sheet has this universe, as sent or as waited for.
    fn is_known(&self, address: PortAddress) -> bool {
        self.planned.contains_key(&address) || self.wanted.contains(&address)
    }

    /// Whether data passes through the port that waits for it; `None` where its node does not say.
    fn is_fed(&self, listener: &Listener<'_>) -> Option<bool> {
        self.told.get(&key(listener)).map(|says| says.port.data)
    }

    /// Whether the port is on the universe that is planned for it: else that is what is wrong.
    fn is_set(&self, listener: &Listener<'_>) -> bool {
        self.told.get(&key(listener)).is_some_and(|says| says.port.universe() == listener.universe)
    }

    fn off_by_one(&self) -> Option<Finding> {
        if self.listeners.iter().any(|one| self.is_fed(one) == Some(true)) {
            return None;
        }
        let by = shift(&self.wanted, |address| self.live.contains_key(&address))?;
        let (first, example) = (self.listeners.first()?, self.live.values().flatten().next()?);
        let direction = if by > 0 { "above" } else { "below" };
        let what = format!("all {} universes of the ports are sent one {direction} the plan", self.wanted.len());
        let remedy = format!(
            "shift the patch of {} by one, or the ports: deft-lantern sheet renumber {by:+} --ports",
            example.source.title()
        );
        Some(OFF_BY_ONE.finding(what, remedy).at(self.sheet, first.port.universe.span, "planned"))
    }

    fn other_protocol(&self, listener: &Listener<'_>) -> Option<Finding> {
        let all = self.live.get(&listener.universe.port_address()?)?;
        if self.is_fed(listener) == Some(true) || all.iter().any(|one| one.source.protocol == listener.protocol())
        {
            return None;
        }
        let other = all.first()?;
        let (ours, theirs) = (listener.protocol(), other.source.protocol);
        let what = format!(
            "{} takes {} by {ours}, and {} sends it by {theirs}",
            listener.title(),
            listener.universe,
            other.source.title()
        );
        let address = listener.universe.port_address()?;
        let remedy = format!(
            "let the source send {ours}, or write out = \"{}\" on the sheet and apply it: deft-lantern why {}",
            other.source.universe(address.flat()).unwrap_or(listener.universe),
            typed(&listener.node.name.value),
        );
        Some(OTHER_PROTOCOL.finding(what, remedy).at(self.sheet, listener.port.universe.span, ours.to_string()))
    }

    /// A port waits for what nobody sends, and a row beside it is sent, the end of it for nobody.
    fn beside(&self, listener: &Listener<'_>) -> Option<(PortAddress, Beside<'_, '_>)> {
        let address = listener.universe.port_address()?;
        if self.is_fed(listener) != Some(false) || self.live.contains_key(&address) {
            return None;
        }
        let beside = sent_beside(&self.live, address, listener.protocol(), |beside| self.is_known(beside))?;
        Some((address, beside))
    }

    fn one_beside(&self, listener: &Listener<'_>, beside: &Beside<'_, '_>) -> Finding {
        let Beside { first, last, sender } = beside;
        let sends = match first == last {
            true => format!("{first}, which nobody waits for"),
            false => format!("{first} to {last}, all one beside the plan"),
        };
        let source = sender.source.title();
        let what = format!(
            "{} waits for {}, which nobody sends; {source} sends {sends}",
            listener.title(),
            listener.universe
        );
        let remedy = format!(
            "shift the patch of {source} by one, or the port: deft-lantern why {}",
            typed(&listener.node.name.value)
        );
        OFF_BY_ONE.finding(what, remedy).at(self.sheet, listener.port.universe.span, "planned")
    }

    /// What is sent, by the protocol that the port takes, and by the port's own word does not come to it.
    fn lost(&self, listener: &Listener<'_>) -> Option<Finding> {
        if self.is_fed(listener) != Some(false) || !self.is_set(listener) {
            return None;
        }
        // Who began to send a moment ago may not have been noticed yet.
        let (address, noticed) = (listener.universe.port_address()?, self.told.get(&key(listener))?.at);
        let one = sent_before(&self.live, address, listener.protocol(), noticed)?;
        let what = format!(
            "{} sends {}, and no data comes to {}",
            one.source.title(),
            listener.universe,
            listener.title()
        );
        let remedy = format!("deft-lantern why {}", typed(&listener.node.name.value));
        Some(LOST.finding(what, remedy).at(self.sheet, listener.port.universe.span, "planned"))
    }

    fn merging(&self, listener: &Listener<'_>) -> Option<Finding> {
        let declared = listener.port.sources.as_ref().map_or(1, |sources| sources.value);
        let port =
            self.told.get(&key(listener)).map(|says| says.port).filter(|port| port.merging && declared < 2)?;
        let what = format!("{} merges two sources of {} ({})", listener.title(), listener.universe, port.merge);
        let remedy = format!(
            "stop one of them, then: deft-lantern set {} --stop-merging; or write sources = 2 if both are meant",
            typed(&listener.node.name.value)
        );
        Some(MERGING.finding(what, remedy).at(
            self.sheet,
            listener.port.universe.span,
            format!("{declared} declared"),
        ))
    }

    /// One finding for each planned sender: a desk that is off would drown the rest.
    fn unsent(&self, told: &HashSet<PortAddress>) -> Vec<Finding> {
        // A universe that any port says it gets is sent.
        let mut silent: BTreeMap<PortAddress, Vec<&Listener<'_>>> = BTreeMap::new();
        let mut arrives: HashSet<PortAddress> = self.live.keys().copied().collect();
        for listener in &self.listeners {
            let Some(address) = listener.universe.port_address() else { continue };
            match self.is_fed(listener) {
                Some(true) => _ = arrives.insert(address),
                Some(false) => silent.entry(address).or_default().push(listener),
                // Who was not found cannot say.
                None => {}
            }
        }
        silent.retain(|address, _| !arrives.contains(address) && !told.contains(address));
        let mut by_sender: BTreeMap<&str, (Span, BTreeSet<PortAddress>)> = BTreeMap::new();
        for address in silent.keys() {
            for sender in self.planned.get(address).into_iter().flatten() {
                by_sender.entry(sender.name).or_insert((sender.span, BTreeSet::new())).1.insert(*address);
            }
        }
        let finding = |(name, (span, addresses)): (&str, (Span, BTreeSet<PortAddress>))| {
            let all: Vec<PortAddress> = addresses.iter().copied().collect();
            let ports: Vec<String> =
                all.iter().filter_map(|address| silent.get(address)).flatten().map(|one| one.title()).collect();
            let what = format!(
                "{name} is to send {}; none of it is heard, and no data comes to {}",
                named(runs(&all), ", "),
                named(ports, ", ")
            );
            let remedy = format!("look whether {name} runs and sends, and on which of its adapters");
            UNSENT.finding(what, remedy).at(self.sheet, span, "planned here")
        };
        by_sender.into_iter().map(finding).collect()
    }

    /// One finding for each source, where the sheet names the sources that it means.
    fn unplanned(&self, told: &HashSet<PortAddress>) -> Vec<Finding> {
        if self.sheet.sources.is_empty() {
            return Vec::new();
        }
        let mut by_source: BTreeMap<(String, Protocol), Vec<PortAddress>> = BTreeMap::new();
        let is_news = |address: &PortAddress| !self.is_known(*address) && !told.contains(address);
        for (address, all) in self.live.iter().filter(|(address, _)| is_news(address)) {
            for one in all {
                by_source.entry((one.source.title(), one.source.protocol)).or_default().push(*address);
            }
        }
        let finding = |((title, protocol), addresses): ((String, Protocol), Vec<PortAddress>)| {
            let what = format!(
                "{title} sends {} by {protocol}, which is not on the sheet",
                named(runs(&addresses), ", ")
            );
            UNPLANNED
                .finding(what, "correct the patch of the source, or write the universe into the sheet's `sends`")
        };
        by_source.into_iter().map(finding).collect()
    }

    /// Sources of equal priority are a finding of what is seen; here are those that outrank each other.
    fn more_sources(&self, listener: &Listener<'_>) -> Option<Finding> {
        let declared = listener.port.sources.as_ref().map_or(1, |sources| sources.value);
        let all = self.live.get(&listener.universe.port_address()?)?;
        let mut ours: Vec<&Sender<'_>> = all
            .iter()
            .filter(|one| one.source.protocol == listener.protocol() && one.sending.priority.is_some())
            .collect();
        ours.sort_by_key(|one| std::cmp::Reverse(one.sending.priority));
        let [first, second, ..] = &ours[..] else { return None };
        if u32::try_from(ours.len()).unwrap_or(u32::MAX) <= declared
            || first.sending.priority == second.sending.priority
        {
            return None;
        }
        let who = ours
            .iter()
            .map(|one| format!("{} with {}", one.source.title(), one.sending.priority.unwrap_or_default()));
        let what = format!("{} gets {} from {}", listener.title(), listener.universe, named(who, " and "));
        let remedy = format!(
            "{} is in control; stop the others, or write sources = {} if that is meant",
            first.source.title(),
            ours.len()
        );
        Some(MORE_SOURCES.finding(what, remedy).at(
            self.sheet,
            listener.port.universe.span,
            format!("{declared} declared"),
        ))
    }
}
