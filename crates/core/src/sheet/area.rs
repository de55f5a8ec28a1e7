//! Areas: places or departments, each with a block of addresses and universes.

use super::fields::Fields;
use super::place::{Placed, Span};
use crate::address::AddressRange;
use crate::universe::{DeskBase, UniverseBlock};

/// A place or department with its own block of addresses and universes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Area {
    /// Its name.
    pub name: Placed<String>,
    /// Which of [`super::RigSheet::networks`] it belongs to.
    pub network: usize,
    /// Where its network is named, if it is.
    pub network_named: Option<Span>,
    /// Its addresses.
    pub range: Option<Placed<AddressRange>>,
    /// The number within its range from which nodes are placed.
    pub nodes_from: Option<Placed<u32>>,
    /// Where units of one kind begin.
    pub classes: Vec<Class>,
    /// Its universes.
    pub universes: Option<Placed<UniverseBlock>>,
}

/// Where the units of one kind begin within an area.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Class {
    /// The kind's name.
    pub kind: Placed<String>,
    /// The number within the area's range.
    pub from: Placed<u32>,
}

/// An area whose network is a name still.
pub(super) struct Unplaced {
    pub(super) area: Area,
    pub(super) network: Option<Placed<String>>,
    pub(super) heading: Span,
}

pub(super) fn read(fields: &Fields<'_>, desk: DeskBase) -> Option<Unplaced> {
    let name = fields.required("name", fields.text("name"), "\"Quay\"");
    let network = fields.text("network");
    let range = fields.parsed("range");
    let nodes_from = fields.number("nodes_from", 0..=65_534);
    let classes = fields.tables("class", "this class");
    let universes = fields.parsed_by("universes", |text| UniverseBlock::read(text, desk));
    fields.refuse_unknown_keys();
    let classes = classes.iter().filter_map(class).collect();
    let area = Area {
        name: name?,
        network: 0,
        network_named: network.as_ref().map(|name| name.span),
        range,
        nodes_from,
        classes,
        universes,
    };
    Some(Unplaced { area, network, heading: fields.span })
}

fn class(fields: &Fields<'_>) -> Option<Class> {
    let kind = fields.required("kind", fields.text("kind"), "\"marrowbright-four\"");
    let from = fields.required("from", fields.number("from", 0..=65_534), "150");
    fields.refuse_unknown_keys();
    Some(Class { kind: kind?, from: from? })
}
