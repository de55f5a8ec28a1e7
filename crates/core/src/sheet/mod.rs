//! The rig sheet: what the show network should be.
//!
//! [`RigSheet::parse`] turns text into the types here, or into every mistake it finds, each with its place. A
//! sheet that parses may still contradict itself: that is judged by [`crate::clash`]. One file per kind of table
//! holds its type and how it is read.

mod area;
mod channel_map;
mod edit;
mod error;
pub(crate) mod fields;
mod fixture;
pub mod kind;
mod members;
mod names;
mod network;
mod node;
mod parse;
mod pieces;
mod place;
mod port;
mod quantity;
mod relocate;
mod rig;
mod sequence;
mod source;
mod stream;
mod switch;

use std::collections::{BTreeSet, HashMap};
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;

use crate::facts::ReadingName;
use crate::sheet::kind::{AddressedBy, Kind, KindBook};
use crate::universe::{DeskBase, Universe};

pub use area::{Area, Class};
pub use channel_map::{ChannelMap, WantedChannel};
pub use edit::Edits;
pub use error::{SheetError, SheetErrors};
pub(crate) use fields::nearest;
pub use fixture::{Fixture, SLOTS, UNKNOWN, WantedMode, WantedSlot};
pub use members::Member;
pub use network::{Gateway, Network, OctetRun, SchemePart};
pub use node::{SheetNode, WantedAddress};
pub(crate) use parse::read_list;
pub use place::{Placed, Position, Span};
pub use port::{AskedUniverse, SheetPort};
pub use quantity::{Rate, Watts};
pub use rig::{FORMAT, Thresholds};
pub use sequence::{OnFailure, ScreenOrder, Sequence, SequenceStep, Spoken, USUAL_WAIT, Words};
pub use source::Source;
pub use stream::{Carried, RTP_PORT, SheetStream, StreamEnd, WantedGroup};
pub use switch::{Switch, SwitchPort};

/// A whole rig sheet.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RigSheet {
    /// The rig's name.
    pub name: Placed<String>,
    /// What the desk calls the first universe.
    pub desk: DeskBase,
    /// From where on load is worth a warning.
    pub thresholds: Thresholds,
    /// Files with further kinds, as the sheet names them.
    pub kind_files: Vec<Placed<String>>,
    /// The kinds there are: those that ship, and the sheet's own.
    pub kinds: KindBook,
    /// The networks.
    pub networks: Vec<Network>,
    /// The areas.
    pub areas: Vec<Area>,
    /// The nodes.
    pub nodes: Vec<SheetNode>,
    /// Desks and servers that send universes.
    pub sources: Vec<Source>,
    /// What hangs on the universes.
    pub fixtures: Vec<Fixture>,
    /// Streams of sound and picture.
    pub streams: Vec<SheetStream>,
    /// Which channel goes where within devices.
    pub channel_maps: Vec<ChannelMap>,
    /// The switches.
    pub switches: Vec<Switch>,
    /// What is said to several by one command.
    pub sequences: Vec<Sequence>,
    own_kinds: Vec<Kind>,
    text: String,
    lines: place::LineIndex,
}

impl RigSheet {
    /// The universes that its ports take or give by sACN, each once.
    #[must_use]
    pub fn sacn_universes(&self) -> Vec<u16> {
        let ports = self.nodes.iter().flat_map(|node| &node.ports);
        let sacn = ports.filter_map(|port| match port.universe.value.real() {
            Some(Universe::Sacn(universe)) => Some(universe.number()),
            _ => None,
        });
        sacn.collect::<BTreeSet<u16>>().into_iter().collect()
    }

    /// Whether what stands at this address, or is this device, must never be touched.
    #[must_use]
    pub fn is_locked(&self, address: Ipv4Addr, mac: Option<MacAddress>) -> bool {
        self.networks.iter().any(|network| {
            network.locked.iter().any(|range| range.value.contains(address))
                || network.locked_devices.iter().any(|device| Some(device.value) == mac)
        })
    }

    /// Whether anything on it must never be touched.
    #[must_use]
    pub fn has_locks(&self) -> bool {
        self.networks.iter().any(|network| !network.locked.is_empty() || !network.locked_devices.is_empty())
    }

    /// The text it was read from.
    #[must_use]
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Line and column of a place.
    #[must_use]
    pub fn position(&self, span: Span) -> Position {
        self.lines.position(&self.text, span.start)
    }

    /// Adds kinds from a file; the sheet's own stand before those.
    pub fn learn(&mut self, kinds: Vec<Kind>) {
        self.kinds = self.kinds.clone().and(kinds).and(self.own_kinds.clone());
    }

    /// Takes in which MAC address each node of these names has, where the sheet does not say it.
    pub fn learn_macs(&mut self, known: &HashMap<String, MacAddress>) {
        for node in self.nodes.iter_mut().filter(|node| node.mac.is_none()) {
            let span = node.name.span;
            node.mac = known.get(&node.name.value).map(|mac| Placed { value: *mac, span });
        }
    }

    /// The area a node stands in.
    #[must_use]
    pub fn area_of(&self, node: &SheetNode) -> Option<&Area> {
        self.area(node.area.as_ref())
    }

    /// The area something says it stands in.
    #[must_use]
    pub fn area(&self, named: Option<&Placed<usize>>) -> Option<&Area> {
        self.areas.get(named?.value)
    }

    /// The kind of a node, where it names one that is known.
    #[must_use]
    pub fn kind_of(&self, node: &SheetNode) -> Option<&Kind> {
        self.kinds.named(&node.kind.as_ref()?.value)
    }

    /// Whether the address that is planned for a node is reserved at a DHCP server, and not set on it.
    #[must_use]
    pub fn is_reserved(&self, node: &SheetNode) -> bool {
        let own = node.addressing.as_ref().map(|addressing| addressing.value);
        let by = own.or_else(|| self.kind_of(node)?.addressing).unwrap_or_default();
        by == AddressedBy::Dhcp && node.fixed_address().is_some()
    }

    /// What the readings of a node are to be exactly: as it says itself, or else as its kind does.
    pub fn readings_of<'a>(&'a self, node: &'a SheetNode) -> impl Iterator<Item = (ReadingName, &'a str)> {
        let own = node.readings.iter().map(|(name, is)| (name.value, is.value.as_str()));
        let of_kind = self.kind_of(node).into_iter().flat_map(|kind| &kind.readings);
        let others = of_kind.filter(|reading| node.readings.iter().all(|(name, _)| name.value != reading.name));
        own.chain(others.filter_map(|reading| Some((reading.name, reading.exact()?))))
    }

    /// By how much the sACN universes that a node listens to are above its Port-Addresses: 0 unless something else is known.
    #[must_use]
    pub fn sacn_offset_of(&self, node: &SheetNode) -> u16 {
        let own = node.sacn_offset.as_ref().map(|offset| offset.value);
        own.or_else(|| self.kind_of(node)?.sacn_offset).unwrap_or(0)
    }

    /// The network a node belongs to: its area's, or the one its address lies in, or the only one there is.
    #[must_use]
    pub fn network_of(&self, node: &SheetNode) -> Option<&Network> {
        self.network_at(node.area.as_ref(), node.address.value).map(|index| &self.networks[index])
    }

    /// The network, by its place in [`Self::networks`], of something in this area with this address.
    #[must_use]
    pub fn network_at(&self, area: Option<&Placed<usize>>, address: WantedAddress) -> Option<usize> {
        if let Some(area) = self.area(area) {
            return Some(area.network);
        }
        if self.networks.len() == 1 {
            return Some(0);
        }
        let address = address.fixed()?;
        self.networks.iter().position(|network| network.range.value.contains(address))
    }
}

#[cfg(test)]
mod tests;
