//! What to change, by the sheet or on one node, with everything that speaks against it.

use super::{Change, Protection, guard, order, steps};
use crate::census::FoundNode;
use crate::compare::{Comparison, State, Wanted};
use crate::facts::{Difference, Field};
use crate::finding::{Finding, Severity};

/// What is to be changed, in order, and what speaks against it.
#[derive(Debug, Clone, Default)]
pub struct ChangePlan {
    /// The changes, in the order in which to make them.
    pub changes: Vec<Change>,
    /// Nodes that are left alone although the sheet names them.
    pub untouched: Vec<Untouched>,
    /// What speaks against it. With an error among them nothing may be sent.
    pub findings: Vec<Finding>,
}

/// A node of the sheet that cannot be set.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Untouched {
    /// Its name on the sheet.
    pub name: String,
    /// Why it is left alone.
    pub why: &'static str,
}

impl ChangePlan {
    /// Whether nothing may be sent.
    #[must_use]
    pub fn is_refused(&self) -> bool {
        self.findings.iter().any(|finding| finding.rule.severity == Severity::Error)
    }
}

/// Everything it takes to make the rig what the sheet says, for the nodes that `wanted` picks by name.
#[must_use]
pub fn plan_by_sheet(
    comparison: &Comparison<'_>,
    protection: &Protection<'_>,
    wanted: impl Fn(&str) -> bool,
) -> ChangePlan {
    let mut plan = ChangePlan::default();
    let mut changes = Vec::new();
    for row in comparison.rows.iter().filter(|row| wanted(&row.planned.name.value)) {
        let name = row.planned.name.value.clone();
        match &row.state {
            // Nothing of it is set by Art-Net.
            State::NotAsked => {}
            State::Seen(..) => {}
            State::Mute(_) => plan.untouched.push(Untouched { name, why: "it is there, and answers no Art-Net" }),
            State::Missing => plan.untouched.push(Untouched { name, why: "it does not answer" }),
            State::Ambiguous(_) => {
                plan.untouched.push(Untouched { name, why: "several units could be it; the sheet needs its MAC" });
            }
            State::Found(_, differences) if differences.iter().any(|d| d.field == Field::Pages) => {
                plan.untouched
                    .push(Untouched { name, why: "not all of it was heard; run the same command again" });
            }
            State::Found(node, differences) => {
                let line = protection.sheet.map_or(0, |s| s.position(row.planned.name.span).line);
                let reason = format!("sheet line {line}");
                changes.extend(draft(node, differences, reason, protection, &mut plan.findings));
            }
        }
    }
    finish(plan, changes, protection)
}

/// What it takes to make one node what somebody asked for.
#[must_use]
pub fn plan_one(node: &FoundNode, wanted: &Wanted, protection: &Protection<'_>) -> ChangePlan {
    let mut plan = ChangePlan::default();
    let differences = wanted.differences(node);
    let change = draft(node, &differences, "asked for".to_owned(), protection, &mut plan.findings);
    finish(plan, change.into_iter().collect(), protection)
}

/// The change that makes the settable differences vanish; those that are not become findings.
fn draft(
    node: &FoundNode,
    all: &[Difference],
    reason: String,
    protection: &Protection<'_>,
    findings: &mut Vec<Finding>,
) -> Option<Change> {
    let mut differences = Vec::new();
    for difference in all {
        match guard::not_settable(node, difference) {
            Some(finding) => findings.push(finding),
            None => differences.push(difference.clone()),
        }
    }
    if differences.is_empty() {
        return None;
    }
    // Whom nothing may be sent to is not asked for more.
    let against = protection.against_touching(node);
    let is_refused = against.iter().any(|finding| finding.rule.severity == Severity::Error);
    findings.extend(against);
    if is_refused {
        return None;
    }
    match steps::steps(node, &differences) {
        Ok(steps) => Some(Change { node: node.clone(), differences, reason, steps }),
        Err(refusals) => {
            findings.extend(refusals);
            None
        }
    }
}

fn finish(mut plan: ChangePlan, changes: Vec<Change>, protection: &Protection<'_>) -> ChangePlan {
    let leaving: Vec<&FoundNode> =
        changes.iter().filter(|change| change.new_address().is_some()).map(|change| &change.node).collect();
    for change in &changes {
        plan.findings.extend(protection.against(change, &leaving));
    }
    match order::order(changes) {
        Ok(ordered) => plan.changes = ordered,
        Err(ring) => plan.findings.push(ring),
    }
    plan
}
