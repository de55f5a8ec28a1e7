//! What to change, by the sheet or on one device, with everything that speaks against it.

use super::{Change, Protection, order, settable, steps};
use crate::address::Subnet;
use crate::census::Subject;
use crate::census::{FoundNode, Unit};
use crate::compare::{Comparison, Row, State, Wanted};
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

const NO_ANSWER: &str = "it does not answer";
const NO_ART_NET: &str = "it is there, and answers nothing by which it could be set";
const ADDRESS_ONLY: &str =
    "for now only its address is set, by another protocol; run the same command again for the rest";
const AMBIGUOUS: &str = "several units could be it; the sheet needs its MAC";
const HALF_HEARD: &str = "not all of it was heard; run the same command again";
const BY_NOBODY: &str = "it is otherwise than planned, and speaks nothing by which it could be set from here";

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
        let (change, why) = of_row(row, protection, &mut plan.findings);
        changes.extend(change);
        plan.untouched.extend(why.map(|why| Untouched { name: row.planned.name.value.clone(), why }));
    }
    finish(plan, changes, protection)
}

/// The change of one row, and why (part of) it is left alone.
fn of_row(
    row: &Row<'_>,
    protection: &Protection<'_>,
    findings: &mut Vec<Finding>,
) -> (Option<Change>, Option<&'static str>) {
    let line = protection.sheet.map_or(0, |sheet| sheet.position(row.planned.name.span).line);
    let reason = format!("sheet line {line}");
    let wanted = protection.sheet.map(|sheet| Wanted::by_sheet(sheet, row.planned)).unwrap_or_default();
    let mut by_unit = |unit: &Unit| {
        let mut differences = wanted.differences_of_device(unit);
        differences.retain(|difference| !difference.cannot_be_told());
        draft(&Subject::of_unit(unit), &differences, reason.clone(), protection, findings)
    };
    match &row.state {
        // Nobody was asked, so nothing is known that could be set.
        State::NotAsked => (None, None),
        State::Missing => (None, Some(NO_ANSWER)),
        State::Ambiguous(_) => (None, Some(AMBIGUOUS)),
        State::Mute(device, _) => match protection.settable_unit(device.units.iter().copied()) {
            Some(unit) => match by_unit(&unit) {
                Some(change) => (Some(change), Some(ADDRESS_ONLY)),
                None => (None, Some(NO_ART_NET)),
            },
            None => (None, Some(NO_ART_NET)),
        },
        State::Seen(device, differences) => match protection.settable_unit(device.units.iter().copied()) {
            Some(unit) => (by_unit(&unit), None),
            None => (None, differences.iter().any(Difference::is_told).then_some(BY_NOBODY)),
        },
        State::Found(node, differences) => match protection.rescuer(node) {
            Some(unit) => match by_unit(&unit) {
                Some(change) => (Some(change), Some(ADDRESS_ONLY)),
                None => (draft(&Subject::of_node(node), differences, reason, protection, findings), None),
            },
            None if differences.iter().any(|d| d.field == Field::Pages) => (None, Some(HALF_HEARD)),
            None => (draft(&Subject::of_node(node), differences, reason, protection, findings), None),
        },
    }
}

/// What it takes to make one device what somebody asked for.
#[must_use]
pub fn plan_one(subject: &Subject, wanted: &Wanted, protection: &Protection<'_>) -> ChangePlan {
    let mut plan = ChangePlan::default();
    let rescuer = subject.node().and_then(|node| protection.rescuer(node)).map(|unit| Subject::of_unit(&unit));
    // By another family only where that can do all that is asked for.
    let rescuer = rescuer.filter(|unit| !wanted.differences_of(unit).iter().any(Difference::cannot_be_told));
    let subject = rescuer.as_ref().unwrap_or(subject);
    let differences = wanted.differences_of(subject);
    let change = draft(subject, &differences, "asked for".to_owned(), protection, &mut plan.findings);
    finish(plan, change.into_iter().collect(), protection)
}

impl Protection<'_> {
    /// The first of these units that can be set at all.
    fn settable_unit(&self, mut places: impl Iterator<Item = usize>) -> Option<Unit> {
        let units = self.census.units();
        places.find_map(|place| units.get(place).filter(|unit| unit.is_settable()).cloned())
    }

    /// The unit by which an Art-Net node can be set that stands where no datagram of ours reaches it.
    fn rescuer(&self, node: &FoundNode) -> Option<Unit> {
        let reaches = |subnet: Subnet| subnet.contains(node.address);
        if self.seats.iter().any(|seat| reaches(seat.subnet)) {
            return None;
        }
        let units = self.census.units().into_iter();
        let own = |unit: &Unit| unit.mac.is_some() && [node.mac, node.heard_mac].contains(&unit.mac);
        units.into_iter().find(|unit| own(unit) && unit.is_settable())
    }
}

/// The change that makes the settable differences vanish; those that are not become findings.
fn draft(
    subject: &Subject,
    all: &[Difference],
    reason: String,
    protection: &Protection<'_>,
    findings: &mut Vec<Finding>,
) -> Option<Change> {
    let mut differences = Vec::new();
    for difference in all {
        match settable::not_settable(subject, protection.kind_of(subject), difference) {
            Some(finding) => findings.push(finding),
            None => differences.push(difference.clone()),
        }
    }
    if differences.is_empty() {
        return None;
    }
    // Whom nothing may be sent to is not asked for more.
    let against = protection.against_touching(subject);
    let is_refused = against.iter().any(|finding| finding.rule.severity == Severity::Error);
    findings.extend(against);
    if is_refused {
        return None;
    }
    let steps = match subject {
        Subject::Node(node) => steps::steps(node, &differences),
        Subject::Unit(unit) => steps::steps_of_unit(unit, &differences),
    };
    match steps {
        Ok(steps) => Some(Change { subject: subject.clone(), differences, reason, steps }),
        Err(refusals) => {
            findings.extend(refusals);
            None
        }
    }
}

fn finish(mut plan: ChangePlan, changes: Vec<Change>, protection: &Protection<'_>) -> ChangePlan {
    let leaving: Vec<&Subject> =
        changes.iter().filter(|change| change.new_address().is_some()).map(|change| &change.subject).collect();
    for change in &changes {
        plan.findings.extend(protection.against(change, &leaving));
    }
    match order::order(changes) {
        Ok(ordered) => plan.changes = ordered,
        Err(ring) => plan.findings.push(ring),
    }
    plan
}
