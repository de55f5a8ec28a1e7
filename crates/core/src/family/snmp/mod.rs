//! SNMP: whoever was seen is asked what it is, and what its kind on the sheet has it asked for; name, location, contact and readings
//! that can be set are set.
//!
//! [`Search`] is its part in a survey, [`Talk`] makes one change. [`caller`] puts one request after the other to an agent, in
//! version 2c or as a user of version 3; [`reading`] is the questions of a whole reading.

mod caller;
mod reading;
mod search;
mod talk;

use std::net::Ipv4Addr;

use lantern_wire::snmp::{Oid, objects};

use super::Asker;
use crate::census::Unit;
use crate::facts::{Difference, Field, ReadingName};

pub(super) use search::Search;
pub(super) use talk::Talk;

/// What every agent tells.
const FIELDS: [Field; 7] = [
    Field::Mask,
    Field::Name,
    Field::Location,
    Field::Contact,
    Field::Description,
    Field::DamagedFrames,
    Field::DroppedFrames,
];

/// The object of a field, where each has one.
fn object(field: Field) -> Option<Oid> {
    let number = match field {
        Field::Name => objects::NAME,
        Field::Location => objects::LOCATION,
        Field::Contact => objects::CONTACT,
        Field::Description => objects::DESCRIPTION,
        _ => return None,
    };
    number.parse().ok()
}

/// The object that tells the mask of this address.
fn mask_of(address: Ipv4Addr) -> Option<Oid> {
    let table: Oid = objects::MASKS.parse().ok()?;
    Some(address.octets().into_iter().fold(table, |object, octet| object.row(octet.into())))
}

/// Whether an agent can be told to make this difference vanish, as far as the standards and its kind say.
pub(super) const fn can_set(difference: &Difference) -> bool {
    matches!(difference.field, Field::Name | Field::Location | Field::Contact | Field::Reading(_))
}

/// How a unit's readings are written down: each object with its name, so that they are found again without the sheet.
fn handle(readings: &[(ReadingName, Oid)]) -> String {
    let lines: Vec<String> = readings.iter().map(|(name, object)| format!("{object} {name}")).collect();
    lines.join("\n")
}

/// The readings of a unit.
fn readings(unit: &Unit) -> Vec<(ReadingName, Oid)> {
    let line = |line: &str| {
        let (object, name) = line.split_once(' ')?;
        Some((ReadingName::new(name)?, object.parse().ok()?))
    };
    unit.handle.lines().filter_map(line).collect()
}
