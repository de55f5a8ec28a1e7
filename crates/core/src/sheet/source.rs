//! Sources: desks and servers that send universes.

use super::fields::Fields;
use super::node::WantedAddress;
use super::place::Placed;
use crate::Protocol;
use crate::universe::{DeskBase, UniverseBlock};

/// A desk or server that sends universes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Source {
    /// Its name.
    pub name: Placed<String>,
    /// Which of [`super::RigSheet::areas`] it stands in.
    pub area: Option<Placed<usize>>,
    /// Its address.
    pub address: Option<Placed<WantedAddress>>,
    /// The universes it sends.
    pub sends: Vec<Placed<UniverseBlock>>,
    /// The protocol it sends them by.
    pub protocol: Protocol,
    /// The priority of its sACN data, 0 to 200 (ANSI E1.31, section 6.2.3).
    pub priority: Option<Placed<u32>>,
}

/// A source whose area is a name still.
pub(super) struct Unplaced {
    pub(super) source: Source,
    pub(super) area: Option<Placed<String>>,
}

pub(super) fn read(fields: &Fields<'_>, desk: DeskBase) -> Option<Unplaced> {
    let name = fields.required("name", fields.text("name"), "\"desk-one\"");
    let area = fields.text("area");
    let address = fields.parsed("address");
    let sends = fields.list_by("sends", |text| UniverseBlock::read(text, desk));
    let protocol = fields.word("protocol", &Protocol::WORDS).map_or(Protocol::ArtNet, |protocol| protocol.value);
    let priority = fields.number("priority", 0..=200);
    fields.refuse_unknown_keys();
    Some(Unplaced { source: Source { name: name?, area: None, address, sends, protocol, priority }, area })
}
