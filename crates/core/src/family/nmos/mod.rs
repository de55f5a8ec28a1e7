//! NMOS: what devices send and receive, and which channel goes where, read and set by JSON over HTTP.
//!
//! [`Search`] is its part in a survey: nodes tell their service by multicast DNS, or a registry lists them; each is read by itself,
//! since a registry may lag. What a node sends, receives and maps are [`PatchPoint`]s. [`Talk`] makes the change of one. [`caller`] puts
//! one question after the other, [`reading`] is all of them to one node, [`point`] what is learned of one point.

mod caller;
mod orders;
mod point;
mod reading;
mod search;
mod talk;

use lantern_wire::Place;

use super::Asker;
use crate::census::{PatchPoint, PatchSort};
use crate::facts::{Difference, Field};

pub(super) use search::Search;
pub(super) use talk::Talk;

/// The most bytes of one answer. A node with two hundred receivers says less than half of that.
const MOST_BODY: usize = 1 << 20;

/// Whether a point of this sort can be told to make this difference vanish.
pub(super) const fn can_set(sort: PatchSort, difference: &Difference) -> bool {
    match sort {
        PatchSort::Sender => matches!(difference.field, Field::Enabled | Field::Group | Field::SecondGroup),
        PatchSort::Receiver => {
            matches!(difference.field, Field::Enabled | Field::Sender | Field::Group | Field::SecondGroup)
        }
        PatchSort::Output => matches!(difference.field, Field::Channel(_)),
    }
}

/// Where a sender describes what it sends.
pub(super) fn description(sender: &PatchPoint) -> Option<Place> {
    let base = place(sender)?;
    Some(Place { path: format!("{}transportfile", base.path), ..base })
}

/// Where a point is told things; `None` for one that is told nothing from here.
fn place(point: &PatchPoint) -> Option<Place> {
    Place::parse(&format!("http://{}{}", point.unit.address, point.unit.handle))
        .filter(|_| !point.unit.handle.is_empty())
}
