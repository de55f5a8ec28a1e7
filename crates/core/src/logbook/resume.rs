//! Going on with a run that was broken off. What is open is found by comparing the sheet with the rig as ever; the run adds
//! who is who, and where somebody who is silent now was told to go.

use std::collections::{BTreeSet, HashMap, HashSet};
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;

use super::{Run, Stage};
use crate::census::{Identity, NodeName, Way};
use crate::change::ChangePlan;
use crate::compare::Wanted;
use crate::facts::Difference;
use crate::sheet::RigSheet;

/// How long after an order a device that still answers from where it was may yet begin to obey it: the order may have been held
/// up on its way, and some take their time. What a program that was killed had sent is waited for that long.
const SETTLES: Duration = Duration::from_secs(10);

/// How long an answer may be held up on its way, over radio mostly: one from before the last order would be taken for the truth.
const HELD_UP: Duration = Duration::from_secs(2);

/// How long after the last line of a logbook whoever looks next sees what is so. Only the last run that sent anything counts: it
/// began after those before it had settled.
#[must_use]
pub fn settles(runs: &[Run]) -> Duration {
    match runs.iter().rfind(|run| !run.sent.is_empty()) {
        None => Duration::ZERO,
        Some(run) if is_unsettled(run) => SETTLES,
        Some(_) => HELD_UP,
    }
}

/// Whether a run was killed, or broken off with orders under way, of which nobody knows whether they will be obeyed.
fn is_unsettled(run: &Run) -> bool {
    let is_open = |stage| matches!(stage, Stage::Sending | Stage::Repeating | Stage::BrokenOff);
    run.ended.is_none() || run.last_steps().values().any(|taken| is_open(taken.step.stage))
}

/// How far a run came, in words.
#[must_use]
pub fn how_far(run: &Run) -> String {
    let nodes = run.nodes().len();
    let begun = run.last_steps();
    let open = begun.values().filter(|taken| taken.step.stage != Stage::Confirmed).count();
    let open =
        if open > 0 { format!(", of {open} of them it is not known whether they took it") } else { String::new() };
    format!("{} of {nodes} nodes were written to{open}", begun.len())
}

/// What the sheet wants otherwise now than when the run was planned, a sentence each.
#[must_use]
pub fn changed_since(run: &Run, sheet: &RigSheet) -> Vec<String> {
    let nodes: HashMap<&str, _> = sheet.nodes.iter().map(|node| (node.name.value.as_str(), node)).collect();
    let left: HashSet<(Identity, Ipv4Addr)> =
        run.planned.iter().map(|planned| (planned.node.identity(), planned.node.address)).collect();
    let mut said = BTreeSet::new();
    let mut all = Vec::new();
    for planned in &run.planned {
        let Some(name) = planned.planned_as.as_deref() else { continue };
        if planned.node.family == Way::Rdm {
            continue;
        }
        let Some(node) = nodes.get(name) else {
            if said.insert((name, None)) {
                all.push(format!("{name} is not on it any more; it is left as it is, and undo takes it back"));
            }
            continue;
        };
        let now = Wanted::by_sheet(sheet, node).all_fields();
        for difference in &planned.fields {
            let value = now.iter().find(|(field, _)| *field == difference.field).map(|(_, value)| value);
            let Some(value) = value.filter(|now| !difference.planned.is_met_by(now)) else { continue };
            // A place to wait at was never the sheet's.
            let is_waiting = difference
                .planned_address()
                .is_some_and(|address| left.contains(&(planned.node.identity(), address)));
            if !is_waiting && said.insert((name, Some(difference.field))) {
                let (field, was) = (difference.field, difference.planned_in_words());
                all.push(format!("{name}: {field} {}, and no longer {was}", field.in_words(value)));
            }
        }
    }
    all
}

/// Whoever the sheet knows by name only is known by the MAC address that it had when the run began.
pub fn learn_identities(run: &Run, sheet: &mut RigSheet) {
    let known: HashMap<String, MacAddress> =
        run.planned.iter().filter_map(|planned| Some((planned.planned_as.clone()?, planned.node.mac?))).collect();
    sheet.learn_macs(&known);
}

/// Says of everybody who is left alone where the run told it to go.
pub fn place_silent(run: &Run, plan: &mut ChangePlan) {
    let names: HashMap<&str, &NodeName> =
        run.planned.iter().filter_map(|planned| Some((planned.planned_as.as_deref()?, &planned.node))).collect();
    let last = run.last_steps();
    for left in &mut plan.untouched {
        let Some(taken) = names.get(left.name.as_str()).and_then(|node| last.get(&node.identity())) else {
            continue;
        };
        let address = taken.step.fields.iter().find_map(Difference::planned_address);
        let told = match address {
            Some(to) => format!("it was told to go from {} to {to} at {}", taken.step.node.address, taken.at),
            None => format!("it was last written to at {}, {}", taken.step.node.address, taken.at),
        };
        left.why = format!("{}; {told}", left.why).into();
    }
}
