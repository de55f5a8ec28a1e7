//! What it takes to give nodes other firmware.

use super::holders::Surroundings;
use super::rules::{FIRMWARE, NO_NEWER, OTHER_KIND, UNABLE};
use super::steps::{Step, StepMessage};
use super::{Change, ChangePlan, Protection};
use crate::census::Subject;
use crate::facts::{Difference, Field, Known, Value};
use crate::finding::Finding;
use crate::firmware::{FirmwareStanding, Image};

/// Sends this file to these nodes, one after the other in this order. `kind` is the kind that it is for, where that is known;
/// with `any_version` one that has it already, or a newer one, gets it too.
#[must_use]
pub fn plan_firmware(
    subjects: &[Subject],
    image: &Image,
    kind: Option<&str>,
    any_version: bool,
    protection: &Protection<'_>,
) -> ChangePlan {
    let around = &Surroundings::new(*protection);
    let mut plan = ChangePlan::default();
    for subject in subjects {
        let findings = against(subject, image, kind, any_version, around);
        plan.findings.extend(findings);
        let planned = Value::Firmware(image.version());
        let differs = Difference::between(Field::Firmware, planned.clone(), subject);
        let found = Known::Told(planned.clone());
        // The same once more is no difference, and is sent where that is meant.
        let difference = differs.unwrap_or(Difference { field: Field::Firmware, planned, found });
        let steps =
            vec![Step { message: StepMessage::Firmware(image.clone()), differences: vec![difference.clone()] }];
        plan.changes.push(Change {
            subject: subject.clone(),
            differences: vec![difference],
            planned_as: around.planned_as(subject).map(|planned| planned.name.value.clone()),
            reason: "asked for".to_owned(),
            steps,
        });
    }
    plan
}

fn against(
    subject: &Subject,
    image: &Image,
    kind: Option<&str>,
    any_version: bool,
    around: &Surroundings<'_>,
) -> Vec<Finding> {
    let name = subject.title();
    let Some(node) = subject.node() else {
        return vec![UNABLE.finding(
            format!("{name} is no Art-Net node; only those are sent firmware from here"),
            "load it with the unit's own means",
        )];
    };
    let mut findings = around.against_touching(subject);
    let (has, gets) = (node.firmware, image.version());
    let standing = FirmwareStanding::of(Some(has), Some(gets));
    if !any_version && matches!(standing, FirmwareStanding::Equal | FirmwareStanding::Newer) {
        let what = if has == gets { "the same" } else { "an older one" };
        findings.push(NO_NEWER.finding(
            format!("{name} runs {has}, and {gets} is {what}"),
            format!("leave {name} out, or say that it is meant with --any-version"),
        ));
    }
    let own = around.kind_of(subject).map(|kind| kind.name.value.as_str());
    if let (Some(kind), Some(own)) = (kind.filter(|kind| Some(*kind) != own), own) {
        findings.push(OTHER_KIND.finding(
            format!("the file is for {kind}, and {name} is a {own}"),
            format!("leave {name} out, or correct the kind in the table"),
        ));
    }
    findings.push(FIRMWARE.finding(
        format!("{name} goes from {has} to {gets}, and restarts"),
        "send it while nothing depends on the node; keep what it has set with: deft-lantern keep save",
    ));
    findings
}
