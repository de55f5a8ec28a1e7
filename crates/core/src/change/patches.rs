//! What is patched: what of it is changed by the sheet, and from where it is reached once its device is set.

use std::collections::HashMap;
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;

use super::holders::Surroundings;
use super::{Change, ChangePlan, Part, StepMessage, Untouched, Wait, Why, plan, settable};
use crate::census::{PatchPoint, PatchSort, Subject};
use crate::compare::{PatchComparison, PatchRow, PatchState};
use crate::facts::{Difference, Field, Value};
use crate::family;
use crate::sheet::Member;

const DEVICE_GOES: &str = "where its device will be reached shows when that is set; run the same command again";

/// The changes of what is patched by the sheet, as far as `part` means them.
pub(super) fn by_sheet(
    patches: &PatchComparison<'_>,
    part: &Part,
    around: &Surroundings<'_>,
    plan: &mut ChangePlan,
) -> Vec<Change> {
    let meant = patches.rows.iter().filter(|row| is_meant(row, part, around));
    meant.filter_map(|row| of_row(row, part, around, plan)).collect()
}

fn is_meant(row: &PatchRow<'_>, part: &Part, around: &Surroundings<'_>) -> bool {
    let Some(sheet) = around.around.sheet else { return false };
    let member = sheet.member(row.member);
    let area = member.and_then(Member::area).map(|area| sheet.areas[area.value].name.value.as_str());
    let stream = row.planned.stream().unwrap_or_default();
    part.names(&[sheet.member_name(row.member), &row.name, stream]) && part.has_area(area)
}

fn of_row(row: &PatchRow<'_>, part: &Part, around: &Surroundings<'_>, plan: &mut ChangePlan) -> Option<Change> {
    let mut leave = |why: String| plan.untouched.push(Untouched { name: row.name.clone(), why: why.into() });
    let sort = row.planned.sort().word();
    let (point, differences) = match &row.state {
        // That its device does not answer, or tells nothing of it, is said elsewhere.
        PatchState::NotAsked | PatchState::Silent => return None,
        PatchState::NoSuch(there) if there.is_empty() => {
            leave(format!("its device has no {sort}"));
            return None;
        }
        PatchState::NoSuch(there) => {
            leave(format!("its device has no such {sort}; it has {}", there.join(", ")));
            return None;
        }
        PatchState::Several(there) => {
            leave(format!("several could be meant: {}; name the {sort} on the sheet", there.join(", ")));
            return None;
        }
        PatchState::Claimed(streams) => {
            leave(format!(
                "{} would all be patched to it; name the {sort} of each on the sheet",
                streams.join(", ")
            ));
            return None;
        }
        PatchState::Found(point, differences) => (point, differences),
    };
    let subject = Subject::of_patch_point(point);
    let mut open: Vec<Difference> = differences.iter().filter(|one| part.has(one.field)).cloned().collect();
    // What is known in part is not set in part.
    if let Some(untold) = open.iter().find(|difference| difference.is_untold()) {
        leave(format!("it did not tell its {}; run the same command again", untold.field));
        return None;
    }
    settable::keep_settable(&subject, &mut open, leave);
    let change = plan::draft(&subject, &open, around.by_sheet_line(row.planned.span()), around, plan)?;
    Some(Change { planned_as: Some(row.name.clone()), ..change })
}

/// Puts the changes of what is patched behind those of devices: one whose device goes elsewhere is reached there then, and a
/// receiver is told of its sender when that is as it will be.
pub(super) fn behind(changes: Vec<Change>, around: &Surroundings<'_>, plan: &mut ChangePlan) {
    if changes.is_empty() {
        return;
    }
    let mut movers: HashMap<MacAddress, (usize, Option<Ipv4Addr>)> = HashMap::new();
    for (place, change) in plan.changes.iter().enumerate() {
        if change.differences.iter().any(|one| one.field.is_ip()) {
            // Where others choose the address nobody knows it; one that is only told to keep its own stays.
            let by_others =
                change.differences.iter().any(|one| one.wants_dhcp() || one.field == Field::FactoryNetwork);
            let to = (!by_others).then(|| change.new_address().unwrap_or(change.subject.address()));
            movers.extend(change.subject.macs().map(|mac| (mac, (place, to))));
        }
    }
    let (senders, others): (Vec<Change>, Vec<Change>) = changes
        .into_iter()
        .partition(|change| change.subject.patch_point().is_some_and(|p| p.sort == PatchSort::Sender));
    let points = around.around.census.patch_points();
    let mut known: HashMap<String, Option<&PatchPoint>> = HashMap::new();
    for point in points.iter().filter(|point| point.sort == PatchSort::Sender) {
        // Where several claim to be it, nobody describes it.
        known.entry(point.unit.identity.to_string()).and_modify(|one| *one = None).or_insert(Some(point));
    }
    let mut of_sender: HashMap<String, usize> = HashMap::new();
    for mut change in senders.into_iter().chain(others) {
        let Some(point) = change.subject.patch_point().cloned() else { continue };
        let mut waits = Vec::new();
        if let Some((on, to)) = point.unit.mac.and_then(|mac| movers.get(&mac)) {
            let Some(to) = to else {
                let name = change.planned_as.unwrap_or_else(|| change.subject.title());
                plan.untouched.push(Untouched { name, why: DEVICE_GOES.into() });
                continue;
            };
            waits.push(Wait { on: *on, why: Why::Settled(point.unit.address) });
            change.subject = change.subject.parked_at(*to);
        }
        if point.sort == PatchSort::Sender {
            of_sender.insert(point.unit.identity.to_string(), plan.changes.len());
        }
        for step in &mut change.steps {
            let sender = step.differences.iter().find_map(|one| match (one.field, &one.planned) {
                (Field::Sender, Value::Patched(sender)) => Some(sender.id.to_string()),
                _ => None,
            });
            let Some(sender) = sender else { continue };
            waits.extend(of_sender.get(&sender).map(|on| Wait { on: *on, why: Why::Sends }));
            let sending = known.get(&sender).copied().flatten();
            let mut described_at = sending.and_then(family::description);
            let moved = sending.and_then(|one| movers.get(&one.unit.mac?)).and_then(|(_, to)| *to);
            if let (Some(place), Some(to)) = (&mut described_at, moved) {
                place.at.set_ip(to);
            }
            step.message = StepMessage::Patched { described_at };
        }
        plan.changes.push(change);
        plan.graph.push(waits);
    }
}
