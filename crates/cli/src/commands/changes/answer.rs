//! What `--json` says of a plan of changes and what became of it.

use std::net::Ipv4Addr;

use lantern_core::census::NodeName;
use lantern_core::change::{Change, ChangePlan, Wait};
use lantern_core::conversation::{Made, Outcome, Shift};
use lantern_core::facts::{Difference, Value};
use lantern_core::finding::Finding;
use lantern_core::logbook::Stage;
use serde::Serialize;

use super::HowToWrite;

/// One change and what became of it.
#[derive(Debug, Serialize)]
struct Report<'a> {
    node: NodeName,
    reason: &'a str,
    changes: &'a [Difference],
    /// What it waits for: `on` is a place in this list, from 0.
    waits: &'a [Wait],
    /// What can go wrong on the way.
    risks: Vec<String>,
    /// What taking it back means.
    undoing: String,
    /// `null` when it was not begun.
    result: Option<Stage>,
    /// The address it was last heard at.
    address: Option<Ipv4Addr>,
    /// What is not as wanted: told otherwise, or not told.
    open: Vec<&'a Difference>,
    /// What changed along with it.
    moved_along: Vec<Moved<'a>>,
}

/// A field that was not meant to change.
#[derive(Debug, Serialize)]
struct Moved<'a> {
    field: String,
    before: &'a Value,
    /// `null` for a port that is gone.
    after: Option<&'a Value>,
}

/// A device that is left alone.
#[derive(Debug, Serialize)]
struct Left<'a> {
    name: &'a str,
    why: &'a str,
}

#[derive(Debug, Serialize)]
pub(super) struct Answer<'a> {
    format: u32,
    dry_run: bool,
    /// The run in the logbook; `null` where nothing was sent.
    run: Option<&'a str>,
    nodes: Vec<Report<'a>>,
    /// What a dry run can say of nodes that will be reached only when this computer has gone along.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    once_reached: Vec<Waiting<'a>>,
    left_alone: Vec<Left<'a>>,
    findings: &'a [Finding],
}

/// A node out of this computer's reach.
#[derive(Debug, Serialize)]
struct Waiting<'a> {
    name: &'a str,
    address: Ipv4Addr,
    reason: &'a str,
    changes: &'a [Difference],
}

pub(super) fn answer<'a>(
    plan: &'a ChangePlan,
    results: &'a [Option<Made>],
    how: HowToWrite,
    run: Option<&'a str>,
) -> Answer<'a> {
    let changes = plan.changes.iter().zip(results).enumerate();
    let left = plan.untouched.iter().map(|one| Left { name: &one.name, why: &one.why });
    Answer {
        format: 1,
        dry_run: how.dry_run,
        run,
        nodes: changes.map(|(place, (change, made))| report(plan, place, change, made.as_ref())).collect(),
        once_reached: plan
            .once_reached
            .iter()
            .map(|one| Waiting {
                name: &one.name,
                address: one.address,
                reason: &one.reason,
                changes: &one.differences,
            })
            .collect(),
        left_alone: left.collect(),
        findings: &plan.findings,
    }
}

fn report<'a>(plan: &'a ChangePlan, place: usize, change: &'a Change, made: Option<&'a Made>) -> Report<'a> {
    let moved = |shift: &'a Shift| Moved {
        field: shift.field.to_string(),
        before: &shift.before,
        after: shift.after.as_ref(),
    };
    let outcome = made.map(|made| &made.outcome);
    Report {
        node: change.node_name(),
        reason: &change.reason,
        changes: &change.differences,
        waits: plan.graph.waits(place),
        risks: change.risks(),
        undoing: change.undoing(),
        result: outcome.map(Stage::from),
        address: made.map(|made| made.subject.address()),
        open: match outcome {
            Some(
                Outcome::Unverified(open)
                | Outcome::HeardOnly(open)
                | Outcome::Refused(open)
                | Outcome::Acknowledged(open),
            ) => open.iter().collect(),
            _ => Vec::new(),
        },
        moved_along: match outcome {
            Some(Outcome::MovedAlong(shifts)) => shifts.iter().map(moved).collect(),
            _ => Vec::new(),
        },
    }
}
