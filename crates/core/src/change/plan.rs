//! What to change, by the sheet or on one device, with everything that speaks against it.

use std::borrow::Cow;
use std::net::Ipv4Addr;

use super::guard::{self, Leaving};
use super::holders::Surroundings;
use super::parking::Parking;
use super::{Change, Graph, Part, Protection, Silent, cables, graph, settable, silent, steps};
use crate::Indicators;
use crate::address::Mask;
use crate::census::{Subject, Unit};
use crate::compare::{Comparison, FixtureComparison, Row, State, Wanted};
use crate::facts::{Difference, Field, Known, Value};
use crate::finding::{Finding, Severity};

/// What is to be changed, in order, and what speaks against it.
#[derive(Debug, Clone, Default)]
pub struct ChangePlan {
    /// The changes, in the order in which to make them.
    pub changes: Vec<Change>,
    /// What each of them waits for.
    pub graph: Graph,
    /// Addresses that have to be reached and are not, from where this computer sits: where nodes are, and where they go.
    pub beyond: Vec<Beyond>,
    /// What is to become different on nodes that this computer will reach only when it has gone along: as far as that can be said
    /// before they were asked. Empty where it does not go along.
    pub once_reached: Vec<Distant>,
    /// The same, where it is not known whether it goes along.
    distant: Vec<Distant>,
    /// What only a person can set, at the unit itself.
    pub by_hand: Vec<ByHand>,
    /// Nodes that are left alone although the sheet names them.
    pub untouched: Vec<Untouched>,
    /// What speaks against it. With an error among them nothing may be sent.
    pub findings: Vec<Finding>,
}

/// An address out of this computer's reach.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct Beyond {
    /// The address.
    pub address: Ipv4Addr,
    /// The mask that goes with it, where it is known.
    pub mask: Option<Mask>,
    /// Whether it lies in a network of the sheet.
    pub is_planned: bool,
}

/// What is to become different on a node out of this computer's reach.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Distant {
    /// What it is called.
    pub name: String,
    /// Where it is now.
    pub address: Ipv4Addr,
    /// What is to become different.
    pub differences: Vec<Difference>,
    /// Why.
    pub reason: String,
}

/// What cannot be set over the network.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ByHand {
    /// What the sheet calls the device, or what it calls itself.
    pub name: String,
    /// Where it is now; all zero where it has no address.
    pub address: Ipv4Addr,
    /// What is to become different.
    pub differences: Vec<Difference>,
    /// Why it is not set from here.
    pub why: String,
}

/// A node of the sheet that cannot be set.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Untouched {
    /// Its name on the sheet.
    pub name: String,
    /// Why it is left alone.
    pub why: Cow<'static, str>,
}

const NO_ANSWER: &str = "it does not answer";
const NO_ART_NET: &str = "it is there, and answers nothing by which it could be set";
const ADDRESS_ONLY: &str =
    "for now only its address is set, by another protocol; run the same command again for the rest";
const AMBIGUOUS: &str = "several units could be it; the sheet needs its MAC";
const HALF_HEARD: &str = "not all of it was heard; run the same command again";
const BY_NOBODY: &str = "it is otherwise than planned, and speaks nothing by which it could be set from here";

impl ChangePlan {
    /// What makes everything of this plan as it was before it; what was not told before becomes as usual.
    #[must_use]
    pub fn back(&self) -> Self {
        let back = |change: &Change| {
            let reversed = |difference: &Difference| {
                let before = match (&difference.found, difference.field) {
                    (Known::Told(value), _) => value.clone(),
                    (_, Field::Indicators) => Value::Indicators(Indicators::Normal),
                    _ => return None,
                };
                let found = Known::Told(difference.planned.clone());
                Some(Difference { field: difference.field, planned: before, found })
            };
            let differences: Vec<Difference> = change.differences.iter().filter_map(reversed).collect();
            let steps = steps::of(&change.subject, &differences).ok()?;
            Some(Change { differences, steps, ..change.clone() })
        };
        let changes: Vec<Change> = self.changes.iter().filter_map(back).collect();
        Self { changes, ..Self::default() }
    }

    /// The same, as far as it goes, for a computer that will reach whatever is out of reach now.
    pub fn as_if_reached(&mut self) {
        self.findings.retain(|finding| !guard::is_about_reach(finding));
        self.once_reached = std::mem::take(&mut self.distant);
    }

    /// Whether nothing may be sent.
    #[must_use]
    pub fn is_refused(&self) -> bool {
        self.findings.iter().any(|finding| finding.rule.severity == Severity::Error)
    }
}

/// Everything it takes to make the rig what the sheet says, as far as `part` means it.
#[must_use]
pub fn plan_by_sheet(comparison: &Comparison<'_>, protection: &Protection<'_>, part: &Part) -> ChangePlan {
    plan_rig(comparison, None, protection, part)
}

/// The same, with the fixtures behind its gateways where they were asked.
#[must_use]
pub fn plan_rig(
    comparison: &Comparison<'_>,
    fixtures: Option<&FixtureComparison<'_>>,
    protection: &Protection<'_>,
    part: &Part,
) -> ChangePlan {
    let around = &Surroundings::new(*protection);
    let mut plan = ChangePlan::default();
    let mut changes = Vec::new();
    for row in comparison.rows.iter().filter(|row| part.means(protection.sheet, row.planned)) {
        let (change, why) = of_row(row, part, around, &mut plan);
        changes.extend(change);
        plan.untouched.extend(why.map(|why| Untouched { name: row.planned.name.value.clone(), why: why.into() }));
    }
    if let Some(fixtures) = fixtures {
        changes.extend(cables::by_sheet(fixtures, part, around, &mut plan));
    }
    finish(plan, changes, around)
}

/// The change of one row, and why (part of) it is left alone.
fn of_row(
    row: &Row<'_>,
    part: &Part,
    around: &Surroundings<'_>,
    plan: &mut ChangePlan,
) -> (Option<Change>, Option<&'static str>) {
    let sheet = around.around.sheet;
    let line = sheet.map_or(0, |sheet| sheet.position(row.planned.name.span).line);
    let reason = format!("sheet line {line}");
    let wanted = sheet.map(|sheet| Wanted::by_sheet(sheet, row.planned)).unwrap_or_default();
    let meant = |differences: &[Difference]| -> Vec<Difference> {
        differences.iter().filter(|difference| part.has(difference.field)).cloned().collect()
    };
    let mut by_unit = |unit: &Unit| {
        let mut differences = meant(&wanted.differences_of_device(unit));
        differences.retain(|difference| !difference.cannot_be_told());
        draft(&Subject::of_unit(unit), &differences, reason.clone(), around, plan)
    };
    match &row.state {
        // Nobody was asked, so nothing is known that could be set.
        State::NotAsked => (None, None),
        State::Missing => (None, Some(NO_ANSWER)),
        State::Ambiguous(_) => (None, Some(AMBIGUOUS)),
        State::Mute(device, _) => match around.settable_unit(device.units.iter().copied()) {
            Some(unit) => match by_unit(unit) {
                Some(change) => (Some(change), Some(ADDRESS_ONLY)),
                None => (None, Some(NO_ART_NET)),
            },
            None => (None, Some(NO_ART_NET)),
        },
        State::Seen(device, differences) => match around.settable_unit(device.units.iter().copied()) {
            Some(unit) => (by_unit(unit), None),
            None if !meant(differences).iter().any(Difference::is_told) => (None, None),
            None => {
                let told = meant(differences).into_iter().filter(Difference::is_told).collect();
                let address = device.address.unwrap_or(Ipv4Addr::UNSPECIFIED);
                let name = row.planned.name.value.clone();
                plan.by_hand.push(ByHand { name, address, differences: told, why: BY_NOBODY.to_owned() });
                (None, Some(BY_NOBODY))
            }
        },
        State::Found(node, differences) => match around.rescuer(node) {
            Some(unit) => match by_unit(unit) {
                Some(change) => (Some(change), Some(ADDRESS_ONLY)),
                None => (draft(&Subject::of_node(node), &meant(differences), reason, around, plan), None),
            },
            None if meant(differences).iter().any(|d| d.field == Field::Pages) => (None, Some(HALF_HEARD)),
            None => (draft(&Subject::of_node(node), &meant(differences), reason, around, plan), None),
        },
    }
}

/// What it takes to make one device what somebody asked for.
#[must_use]
pub fn plan_one(subject: &Subject, wanted: &Wanted, protection: &Protection<'_>) -> ChangePlan {
    plan_each(&[Wish::asked_for(subject.clone(), wanted.clone())], protection)
}

/// What somebody wants one device to be.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Wish {
    /// The device as it is now.
    pub subject: Subject,
    /// What it is to be.
    pub wanted: Wanted,
    /// Why.
    pub reason: String,
}

impl Wish {
    /// Somebody asks for it.
    #[must_use]
    pub fn asked_for(subject: Subject, wanted: Wanted) -> Self {
        Self { subject, wanted, reason: "asked for".to_owned() }
    }
}

/// What it takes to make several devices what somebody asked for.
#[must_use]
pub fn plan_each(wishes: &[Wish], protection: &Protection<'_>) -> ChangePlan {
    let around = &Surroundings::new(*protection);
    let mut plan = ChangePlan::default();
    let mut changes = Vec::new();
    for Wish { subject, wanted, reason } in wishes {
        let rescuer = subject.node().and_then(|node| around.rescuer(node)).map(Subject::of_unit);
        // By another family only where that can do all that is asked for.
        let rescuer = rescuer.filter(|unit| !wanted.differences_of(unit).iter().any(Difference::cannot_be_told));
        let subject = rescuer.as_ref().unwrap_or(subject);
        let differences = wanted.differences_of(subject);
        changes.extend(draft(subject, &differences, reason.clone(), around, &mut plan));
    }
    finish(plan, changes, around)
}

/// The change that makes the settable differences vanish; those that are not become findings.
pub(super) fn draft(
    subject: &Subject,
    all: &[Difference],
    reason: String,
    around: &Surroundings<'_>,
    plan: &mut ChangePlan,
) -> Option<Change> {
    let mut differences = Vec::new();
    for difference in all {
        match settable::not_settable(subject, around.kind_of(subject), difference) {
            Some(finding) if around.around.by_hand => leave_by_hand(subject, difference, finding, around, plan),
            Some(finding) => plan.findings.push(finding),
            None => differences.push(difference.clone()),
        }
    }
    if differences.is_empty() {
        return None;
    }
    // Whom nothing may be sent to is not asked for more.
    let against = around.against_touching(subject);
    let is_refused = against.iter().any(|finding| finding.rule.severity == Severity::Error);
    plan.findings.extend(against);
    if is_refused {
        let is_beyond = subject.node().is_some() && !around.reaches(subject.address());
        if is_beyond {
            let (name, address) = (subject.title(), subject.address());
            plan.beyond.push(around.beyond(address, subject.told_address(Field::Mask)));
            plan.distant.push(Distant { name, address, differences, reason });
        }
        return None;
    }
    match steps::of(subject, &differences) {
        Ok(steps) => {
            let planned_as = around.planned_as(subject).map(|planned| planned.name.value.clone());
            Some(Change { subject: subject.clone(), differences, planned_as, reason, steps })
        }
        Err(refusals) => {
            plan.findings.extend(refusals);
            None
        }
    }
}

/// What cannot be set over the network is left to a person.
fn leave_by_hand(
    subject: &Subject,
    difference: &Difference,
    finding: Finding,
    around: &Surroundings<'_>,
    plan: &mut ChangePlan,
) {
    let planned_as = around.planned_as(subject).map(|planned| planned.name.value.clone());
    let name = planned_as.unwrap_or_else(|| subject.title());
    match plan.by_hand.iter_mut().find(|one| one.name == name) {
        Some(one) => one.differences.push(difference.clone()),
        None => plan.by_hand.push(ByHand {
            name,
            address: subject.address(),
            differences: vec![difference.clone()],
            why: finding.what,
        }),
    }
}

fn finish(mut plan: ChangePlan, changes: Vec<Change>, around: &Surroundings<'_>) -> ChangePlan {
    let (of_fixtures, changes): (Vec<Change>, Vec<Change>) =
        changes.into_iter().partition(|change| change.subject.fixture().is_some());
    plan.findings.extend(of_fixtures.iter().flat_map(settable::too_long));
    let is_gone =
        |one: &&Silent| around.around.stands_for.is_none_or(|gone| gone.mac.is_none() || gone.mac != one.mac);
    let silent: Vec<Silent> = around.around.silent.iter().filter(is_gone).cloned().collect();
    let (changes, left) = silent::leave_out(changes, &silent);
    plan.untouched.extend(left);
    let leaving = Leaving::of(&changes);
    for change in &changes {
        plan.findings.extend(around.against(change, &leaving));
    }
    let is_out_of_reach = |change: &Change| {
        change.new_address().is_some_and(|to| change.subject.node().is_some() && !around.reaches(to))
    };
    let beyond = changes.iter().filter(|change| is_out_of_reach(change)).filter_map(|change| {
        let mask = change.differences.iter().find(|difference| difference.field == Field::Mask);
        let mask = mask.and_then(|difference| match difference.planned {
            Value::Address(mask) => Some(mask),
            _ => None,
        });
        Some(around.beyond(change.new_address()?, mask.or_else(|| change.subject.told_address(Field::Mask))))
    });
    plan.beyond.extend(beyond);
    plan.beyond.sort_unstable();
    plan.beyond.dedup();
    let mut parking = Parking::new(around, &leaving);
    match graph::arrange(changes, is_out_of_reach, |change| parking.detour(change)) {
        Ok((ordered, graph)) => (plan.changes, plan.graph) = (ordered, graph),
        Err(ring) => {
            let names: Vec<String> = ring.iter().map(|change| change.subject.title()).collect();
            plan.findings.push(guard::ring(&names, around.around.parking));
        }
    }
    cables::behind(of_fixtures, around.around.census, &mut plan);
    plan
}
