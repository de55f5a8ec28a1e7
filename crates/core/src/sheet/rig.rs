//! The heads of a sheet: `[rig]` and `[thresholds]`.

use super::fields::Fields;
use super::place::Placed;
use crate::universe::DeskBase;

/// The format of rig sheets that this program writes and reads.
pub const FORMAT: u32 = 1;

/// From where on load is worth a warning, in percent of what there is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Thresholds {
    /// Of a switch's power.
    pub power: u32,
    /// Of a link.
    pub link: u32,
}

impl Default for Thresholds {
    fn default() -> Self {
        Self { power: 80, link: 70 }
    }
}

/// What `[rig]` says.
pub(super) struct Rig {
    pub(super) name: Placed<String>,
    pub(super) desk: DeskBase,
    pub(super) kind_files: Vec<Placed<String>>,
}

pub(super) fn read(fields: &Fields<'_>) -> Option<Rig> {
    fields.number("format", FORMAT..=FORMAT);
    let name = fields.required("name", fields.text("name"), "\"Tidewick Harbour Night\"");
    let desk = fields.number("desk_counts_from", 0..=1);
    let kind_files = fields.list("kinds");
    fields.refuse_unknown_keys();
    let desk = desk.map_or(DeskBase::default(), |n| if n.value == 0 { DeskBase::Zero } else { DeskBase::One });
    Some(Rig { name: name?, desk, kind_files })
}

pub(super) fn read_thresholds(fields: &Fields<'_>) -> Thresholds {
    let usual = Thresholds::default();
    let power = fields.number("power", 1..=100);
    let link = fields.number("link", 1..=100);
    fields.refuse_unknown_keys();
    Thresholds {
        power: power.map_or(usual.power, |percent| percent.value),
        link: link.map_or(usual.link, |percent| percent.value),
    }
}
