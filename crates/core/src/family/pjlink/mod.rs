//! PJLink: reads projectors and screens over a TCP connection; finds them by its broadcast search, and by asking whoever was
//! seen whether it listens.
//!
//! [`Search`] is its part in a survey; [`reading`] holds one connection; [`Order`] tells one what to do, for sequences.

mod order;
mod reading;
mod search;

use lantern_wire::WireError;
use lantern_wire::pjlink::Found;

use super::Asker;
use crate::census::{Told, Way};
use crate::facts::Field;

pub(crate) use order::Order;
pub(super) use search::Search;

/// What a device tells, as far as it has it.
const FIELDS: [Field; 8] = [
    Field::Name,
    Field::Maker,
    Field::Model,
    Field::Power,
    Field::Input,
    Field::Faults,
    Field::LampHours,
    Field::Access,
];

/// What a datagram tells.
pub(super) fn told(bytes: &[u8]) -> Result<Option<Told>, WireError> {
    Ok(Some(match Found::parse(bytes)? {
        Found::Device(stated) => Told::Spoke { family: Way::Pjlink, stated, bytes: bytes.to_vec() },
        Found::Search => Told::Traffic,
    }))
}
