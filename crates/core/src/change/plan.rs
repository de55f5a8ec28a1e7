//! What to change, by the sheet or on one device, with everything that speaks against it.

use std::borrow::Cow;
use std::collections::HashSet;
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;

use super::guard::{self, Leaving};
use super::holders::Surroundings;
use super::parking::Parking;
use super::{
    Change, Graph, Part, Protection, Replug, Silent, Wait, Why, cables, graph, patches, settable, silent, steps,
};
use crate::Indicators;
use crate::address::Mask;
use crate::census::{Subject, Unit, Way};
use crate::compare::{Addressing, Comparison, FixtureComparison, PatchComparison, Row, State, Wanted};
use crate::facts::{Difference, Field, Known, Tells, Value};
use crate::family;
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
    /// Fixtures that only a person can plug in where they are to be. They are among those left alone.
    pub replugs: Vec<Replug>,
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
const BY_LEASE: &str =
    "its address is reserved at a DHCP server: it gets that when it asks for it; deft-lantern lease is one";
const BY_NOBODY: &str = "it is otherwise than planned, and nothing that it speaks sets that from here";

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
    plan_rig(comparison, None, None, protection, part)
}

/// The same, with the fixtures behind its gateways and with what is patched, where they were asked.
#[must_use]
pub fn plan_rig(
    comparison: &Comparison<'_>,
    fixtures: Option<&FixtureComparison<'_>>,
    patches: Option<&PatchComparison<'_>>,
    protection: &Protection<'_>,
    part: &Part,
) -> ChangePlan {
    let around = &Surroundings::new(*protection);
    let mut plan = ChangePlan::default();
    let mut changes = Vec::new();
    for row in comparison.rows.iter().filter(|row| part.means(protection.sheet, row.planned)) {
        let (of_row, why) = of_row(row, part, around, &mut plan);
        changes.extend(of_row);
        plan.untouched.extend(why.map(|why| Untouched { name: row.planned.name.value.clone(), why: why.into() }));
    }
    if let Some(fixtures) = fixtures {
        changes.extend(cables::by_sheet(fixtures, part, around, &mut plan));
    }
    if let Some(patches) = patches {
        changes.extend(patches::by_sheet(patches, part, around, &mut plan));
    }
    finish(plan, changes, around)
}

/// The changes of one row, and why (part of) it is left alone.
fn of_row(
    row: &Row<'_>,
    part: &Part,
    around: &Surroundings<'_>,
    plan: &mut ChangePlan,
) -> (Vec<Change>, Option<&'static str>) {
    let sheet = around.around.sheet;
    let reason = around.by_sheet_line(row.planned.name.span);
    let wanted = sheet.map(|sheet| Wanted::by_sheet(sheet, row.planned)).unwrap_or_default();
    let is_reserved = matches!(wanted.addressing, Some(Addressing::Reserved(_)));
    let wanted = wanted.to_set();
    let is_by_lease = |one: &Difference| is_reserved && one.field.comes_with_lease();
    let meant = |differences: &[Difference]| -> Vec<Difference> {
        let meant = differences.iter().filter(|one| part.has(one.field) && !is_by_lease(one));
        meant.cloned().collect()
    };
    let awaits_lease = row
        .differences()
        .iter()
        .any(|one| is_by_lease(one) && one.is_told() && part.has(one.field))
        .then_some(BY_LEASE);
    let by_units = |units: Vec<&Unit>, plan: &mut ChangePlan| -> (Vec<Change>, Vec<Field>) {
        let shares = shares(&wanted, units);
        let fields = shares.iter().flat_map(|(_, share)| share.iter().map(|one| one.field)).collect();
        let change = |(unit, share): (&Unit, Vec<Difference>)| {
            draft(&Subject::of_unit(unit), &meant(&share), reason.clone(), around, plan)
        };
        (shares.into_iter().filter_map(change).collect(), fields)
    };
    match &row.state {
        // Nobody was asked, so nothing is known that could be set.
        State::NotAsked => (Vec::new(), None),
        State::Missing => (Vec::new(), Some(NO_ANSWER)),
        State::Ambiguous(_) => (Vec::new(), Some(AMBIGUOUS)),
        State::Mute(device, _) => match by_units(around.settable_units(&device.units), plan).0 {
            none if none.is_empty() => (none, Some(NO_ART_NET)),
            changes => (changes, Some(ADDRESS_ONLY)),
        },
        State::Seen(device, differences) => {
            let (changes, set) = by_units(around.settable_units(&device.units), plan);
            let is_left = |one: &Difference| one.is_told() && !set.contains(&one.field);
            let left: Vec<Difference> = meant(differences).into_iter().filter(is_left).collect();
            if left.is_empty() {
                return (changes, awaits_lease);
            }
            let address = device.address.unwrap_or(Ipv4Addr::UNSPECIFIED);
            let name = row.planned.name.value.clone();
            plan.by_hand.push(ByHand { name, address, differences: left, why: BY_NOBODY.to_owned() });
            let why = changes.is_empty().then_some(BY_NOBODY);
            (changes, why)
        }
        State::Found(node, differences) => {
            let rescued = around.rescuer(node).map_or_else(Vec::new, |unit| by_units(vec![unit], plan).0);
            if !rescued.is_empty() {
                return (rescued, Some(ADDRESS_ONLY));
            }
            if around.rescuer(node).is_none() && meant(differences).iter().any(|d| d.field == Field::Pages) {
                return (Vec::new(), Some(HALF_HEARD));
            }
            let change = draft(&Subject::of_node(node), &meant(differences), reason, around, plan);
            (change.into_iter().collect(), awaits_lease)
        }
    }
}

/// Everything that is to become different on the first of the units of one device, and on the others: what a unit has no word for is
/// the others' part, whether it can be set there or not.
fn parts<'a>(wanted: &Wanted, units: Vec<&'a Unit>) -> (Vec<Difference>, Vec<(&'a Unit, Vec<Difference>)>) {
    let tells = |unit: &Unit, one: &Difference| !matches!(unit.tells(one.field, &one.planned), Known::CannotTell);
    let mut shares = shares(wanted, units);
    let (first, _) = shares.remove(0);
    for (other, share) in &mut shares {
        let set: Vec<Field> = share.iter().map(|one| one.field).collect();
        let further = wanted.differences_of_unit(*other).into_iter();
        share.extend(further.filter(|one| tells(other, one) && !tells(first, one) && !set.contains(&one.field)));
    }
    let mut own = wanted.differences_of_unit(first);
    own.retain(|one| {
        let is_set = shares.iter().any(|(_, share)| share.iter().any(|of_other| of_other.field == one.field));
        !(is_set || (one.cannot_be_told() && shares.iter().any(|(other, _)| tells(other, one))))
    });
    (own, shares)
}

/// What each of the units of one device is told so that it becomes as wanted: each field by the first that takes it.
fn shares<'a>(wanted: &Wanted, units: Vec<&'a Unit>) -> Vec<(&'a Unit, Vec<Difference>)> {
    let mut set: Vec<Field> = Vec::new();
    let share = |unit: &'a Unit| {
        let mut share = wanted.differences_of_unit(unit);
        share.retain(|one| {
            let takes = !one.cannot_be_told() && family::can_set_on(unit, one);
            takes && !set.contains(&one.field)
        });
        set.extend(share.iter().map(|one| one.field));
        (unit, share)
    };
    units.into_iter().map(share).collect()
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
    /// Whether its sACN universes are those on the wire. What a device told itself is in its own counting.
    pub on_wire: bool,
}

impl Wish {
    /// Somebody asks for it.
    #[must_use]
    pub fn asked_for(subject: Subject, wanted: Wanted) -> Self {
        Self { subject, wanted, reason: "asked for".to_owned(), on_wire: true }
    }

    /// It is to be again what it told once.
    #[must_use]
    pub const fn as_told(subject: Subject, wanted: Wanted, reason: String) -> Self {
        Self { subject, wanted, reason, on_wire: false }
    }
}

/// What it takes to make several devices what somebody asked for.
#[must_use]
pub fn plan_each(wishes: &[Wish], protection: &Protection<'_>) -> ChangePlan {
    let around = &Surroundings::new(*protection);
    let mut plan = ChangePlan::default();
    let mut changes = Vec::new();
    for Wish { subject, wanted, reason, on_wire } in wishes {
        let offset = if *on_wire { around.sacn_offset_of(subject) } else { 0 };
        let wanted = &wanted.clone().counting(offset);
        let rescuer = subject.node().and_then(|node| around.rescuer(node)).map(Subject::of_unit);
        // By another family only where that can do all that is asked for.
        let rescuer = rescuer.filter(|unit| !wanted.differences_of(unit).iter().any(Difference::cannot_be_told));
        let subject = rescuer.as_ref().unwrap_or(subject);
        let mut differences = wanted.differences_of(subject);
        if let Subject::Node(node) = subject {
            // What Art-Net has no word for another family may have.
            for unit in around.units_of_node(node) {
                let is_its = |one: &Difference| one.cannot_be_told() && family::can_set_on(unit, one);
                let tells = |one: &Difference| !matches!(unit.tells(one.field, &one.planned), Known::CannotTell);
                let (part, rest): (Vec<_>, Vec<_>) =
                    differences.into_iter().partition(|one| is_its(one) && tells(one));
                differences = rest;
                let part: Vec<Difference> = part.iter().filter_map(|one| one.against(unit)).collect();
                changes.extend(draft(&Subject::of_unit(unit), &part, reason.clone(), around, &mut plan));
            }
        }
        if let Subject::Unit(unit) = subject {
            let (own, others) = parts(wanted, around.units_of_same(unit));
            differences = own;
            for (other, part) in others {
                changes.extend(draft(&Subject::of_unit(other), &part, reason.clone(), around, &mut plan));
            }
        }
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
        let is_beyond = subject.is_told_at_address() && !around.reaches(subject.address());
        if is_beyond {
            let (name, address) = (subject.title(), subject.address());
            plan.beyond.push(around.beyond(address, subject.told_address(Field::Mask)));
            plan.distant.push(Distant { name, address, differences, reason });
        }
        return None;
    }
    match steps::of(subject, &differences) {
        Ok(steps) => {
            // What no step is for would be called done without a word having been sent.
            let is_met = |one: &&Difference| steps.iter().any(|step| step.differences.contains(one));
            let left: Vec<&Difference> = differences.iter().filter(|one| !is_met(one)).collect();
            if !left.is_empty() {
                plan.findings.extend(left.into_iter().map(|one| settable::without_a_message(subject, one)));
                return None;
            }
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
    let (of_patches, changes): (Vec<Change>, Vec<Change>) =
        changes.into_iter().partition(|change| change.subject.patch_point().is_some());
    let is_gone =
        |one: &&Silent| around.around.stands_for.is_none_or(|gone| gone.mac.is_none() || gone.mac != one.mac);
    let silent: Vec<Silent> = around.around.silent.iter().filter(is_gone).cloned().collect();
    let (changes, left) = silent::leave_out(changes, &silent);
    plan.untouched.extend(left);
    let leaving = Leaving::of(&changes);
    for change in &changes {
        plan.findings.extend(around.against(change, &leaving));
    }
    let nodes = changes.iter().filter(|change| change.subject.node().is_some());
    let of_nodes: HashSet<MacAddress> = nodes.flat_map(|change| change.subject.macs()).collect();
    let is_second = |change: &Change| match &change.subject {
        Subject::Unit(unit) => unit.family == Way::Rdmnet || unit.mac.is_some_and(|mac| of_nodes.contains(&mac)),
        Subject::Node(_) | Subject::Fixture(_) | Subject::PatchPoint(_) => false,
    };
    let (second, changes): (Vec<Change>, Vec<Change>) = changes.into_iter().partition(is_second);
    let is_out_of_reach = |change: &Change| {
        change.new_address().is_some_and(|to| change.subject.is_told_at_address() && !around.reaches(to))
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
    second.into_iter().for_each(|change| settle_first(change, &mut plan));
    cables::behind(of_fixtures, around.around.census, &mut plan);
    patches::behind(of_patches, around, &mut plan);
    plan
}

/// A device that is told things in two ways is given its address before the rest: it is away, or leaves its broker, for that.
fn settle_first(mut change: Change, plan: &mut ChangePlan) {
    let is_same = |one: &Change| match (&one.subject, &change.subject) {
        (Subject::Unit(one), Subject::Unit(other)) => one.is_same_device(other),
        (Subject::Node(node), other) => other.is_node(node),
        _ => false,
    };
    let before = plan.changes.iter().rposition(is_same);
    let wait = before.map(|on| Wait { on, why: Why::Settled(plan.changes[on].subject.address()) });
    if let Some(to) = before.and_then(|on| plan.changes[on].new_address()) {
        change.subject = change.subject.parked_at(to);
    }
    plan.changes.push(change);
    plan.graph.push(wait.into_iter().collect());
}
