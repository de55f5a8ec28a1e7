//! A plan of changes on the screen, before anything is sent.

use std::collections::HashSet;
use std::net::Ipv4Addr;

use lantern_core::census::Subject;
use lantern_core::change::{Change, ChangePlan, Wait, Why};
use lantern_core::facts::{Difference, Field, Value};

use super::HowToWrite;
use crate::failure::Failure;
use crate::output::{Cell, Out, Table, Tone, counted, findings};

/// How many devices a plan is about: one that is parked on its way has two changes.
pub(super) fn count_of_nodes(plan: &ChangePlan) -> usize {
    let all: HashSet<_> = plan.changes.iter().map(|change| change.node_name().identity()).collect();
    all.len()
}

/// Shows the findings, whoever is left alone, and every change.
pub(super) fn show(plan: &ChangePlan, how: HowToWrite, out: &mut Out) -> Result<(), Failure> {
    findings::print(out, &plan.findings)?;
    for node in &plan.untouched {
        let mark = out.paint().dye(Tone::Doubtful, "left alone");
        out.line(&format!("{mark} {}: {}", node.name, node.why))?;
    }
    if plan.changes.is_empty() && plan.once_reached.is_empty() {
        out.line("nothing to change")?;
        return Ok(());
    }
    let mut table = steps_table();
    for (place, change) in plan.changes.iter().enumerate() {
        let mut why = vec![reason(change)];
        why.extend(plan.graph.waits(place).iter().map(|wait| waits(plan, wait)));
        let lines = change.differences.len().max(why.len());
        for line in 0..lines {
            let why = why.get(line).cloned().unwrap_or_default();
            let head = (line == 0).then(|| (change.subject.title(), change.subject.address()));
            table.row(row(head, change.differences.get(line), why));
        }
    }
    for distant in &plan.once_reached {
        let why =
            [format!("{}, once it is reached", distant.reason), "what else it is set to shows then".to_owned()];
        for line in 0..distant.differences.len().max(why.len()) {
            let head = (line == 0).then(|| (distant.name.clone(), distant.address));
            table.row(row(head, distant.differences.get(line), why.get(line).cloned().unwrap_or_default()));
        }
    }
    out.table(&table)?;
    out.line("")?;
    let depth = plan.graph.depth();
    if depth > 1 {
        let most = usize::from(how.at_once).min(plan.changes.len());
        let steps = counted(plan.changes.len(), "change");
        out.line(&format!("{steps}, at most {most} at once; {depth} of them one after the other"))?;
    }
    Ok(())
}

/// A table of fields that change.
fn steps_table() -> Table {
    Table::new(&["node", "at", "field", "from", "to", "why"]).unbroken(&["node", "at"])
}

fn row(head: Option<(String, Ipv4Addr)>, difference: Option<&Difference>, why: String) -> Vec<Cell> {
    let (name, at) = head.map_or_else(Default::default, |(name, address)| {
        (name, Field::Address.in_words(&Value::Address(address)))
    });
    let text = |of: fn(&Difference) -> String| difference.map(of).unwrap_or_default();
    vec![
        Cell::new(name, Tone::Strong),
        at.into(),
        text(|difference| difference.field.to_string()).into(),
        text(Difference::found_in_words).into(),
        Cell::new(text(Difference::planned_in_words), Tone::Strong),
        Cell::new(why, Tone::Faint),
    ]
}

/// Why it is changed; where that is not done by Art-Net, also by what.
fn reason(change: &Change) -> String {
    match &change.subject {
        Subject::Node(_) => change.reason.clone(),
        Subject::Unit(_) | Subject::Fixture(_) | Subject::PatchPoint(_) => {
            format!("{}, by {}", change.reason, change.subject.family())
        }
    }
}

/// What it waits for, in words.
pub(super) fn waits(plan: &ChangePlan, wait: &Wait) -> String {
    let other = plan.changes[wait.on].subject.title();
    match wait.why {
        Why::Left(address) => format!("once {other} has left {address}"),
        Why::Parked(address) => format!("from {address}"),
        Why::Settled(_) => "once it has its address".to_owned(),
        Why::Sends => format!("once {other} sends so"),
        Why::Gateway(address) => format!("once {other} is set and at {address}"),
    }
}

/// The fields of a step in words.
pub(crate) fn steps_of(fields: &[Difference]) -> String {
    let one = |difference: &Difference| {
        format!("{} {} to {}", difference.field, difference.found_in_words(), difference.planned_in_words())
    };
    fields.iter().map(one).collect::<Vec<_>>().join("; ")
}
