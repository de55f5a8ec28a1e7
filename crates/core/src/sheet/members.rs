//! What other parts of the sheet refer to by name: nodes, sources and switches.

use std::net::Ipv4Addr;

use super::place::{Placed, Span};
use super::{RigSheet, SheetNode, Source, StreamEnd, Switch, WantedAddress};

/// A device on the sheet that has a name of its own.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Member<'s> {
    /// A node.
    Node(&'s SheetNode),
    /// A desk or server.
    Source(&'s Source),
    /// A switch.
    Switch(&'s Switch),
}

impl RigSheet {
    /// The member at a place that [`super::SwitchPort::to`] or a stream names: nodes first, then sources, then
    /// switches.
    #[must_use]
    pub fn member(&self, place: usize) -> Option<Member<'_>> {
        let sources = self.nodes.len();
        let switches = sources + self.sources.len();
        if let Some(node) = self.nodes.get(place) {
            return Some(Member::Node(node));
        }
        if place < switches {
            return self.sources.get(place - sources).map(Member::Source);
        }
        self.switches.get(place - switches).map(Member::Switch)
    }

    /// All members, in the order of their places.
    pub fn members(&self) -> impl Iterator<Item = Member<'_>> {
        let nodes = self.nodes.iter().map(Member::Node);
        nodes.chain(self.sources.iter().map(Member::Source)).chain(self.switches.iter().map(Member::Switch))
    }

    /// An end of a stream as the sheet writes it.
    #[must_use]
    pub fn end_name(&self, end: &StreamEnd) -> String {
        let node = self.member_name(end.member.value);
        end.label.as_ref().map_or_else(|| node.to_owned(), |label| format!("{node}/{label}"))
    }

    /// The name of the member at a place.
    #[must_use]
    pub fn member_name(&self, place: usize) -> &str {
        self.member(place).map_or("", |member| member.name().value.as_str())
    }
}

impl<'s> Member<'s> {
    /// Its name.
    #[must_use]
    pub const fn name(self) -> &'s Placed<String> {
        match self {
            Self::Node(node) => &node.name,
            Self::Source(source) => &source.name,
            Self::Switch(switch) => &switch.name,
        }
    }

    /// The area it stands in.
    #[must_use]
    pub const fn area(self) -> Option<&'s Placed<usize>> {
        match self {
            Self::Node(node) => node.area.as_ref(),
            Self::Source(source) => source.area.as_ref(),
            Self::Switch(switch) => switch.area.as_ref(),
        }
    }

    /// Its address, where the sheet has one for it.
    #[must_use]
    pub fn fixed_address(self) -> Option<Ipv4Addr> {
        match self.address() {
            Some((WantedAddress::Fixed(address), _)) => Some(address),
            _ => None,
        }
    }

    /// Where its address is to come from, where the sheet says.
    #[must_use]
    pub fn address(self) -> Option<(WantedAddress, Span)> {
        let placed = match self {
            Self::Node(node) => Some(&node.address),
            Self::Source(source) => source.address.as_ref(),
            Self::Switch(switch) => switch.address.as_ref(),
        };
        placed.map(|address| (address.value, address.span))
    }
}
