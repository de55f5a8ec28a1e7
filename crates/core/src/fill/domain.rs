//! Which addresses a node may have: what the sheet demands, one demand after the other.

use std::net::Ipv4Addr;

use crate::address::AddressRange;
use crate::sheet::kind::Kind;
use crate::sheet::{Area, Gateway, Network, RigSheet, SchemePart, SheetNode, Span};

/// What one demand of the sheet does to the addresses of a class.
#[derive(Debug, Clone)]
pub(super) enum Limit {
    /// Only these.
    Within(Vec<AddressRange>),
    /// None of these.
    Without(Vec<AddressRange>),
    /// Only those whose numbers mean the class's own area or kind.
    Meaning(Vec<Meaning>),
}

/// Which numbers one part of an address may have.
#[derive(Debug, Clone)]
pub(super) struct Meaning {
    part: SchemePart,
    allowed: Box<[bool; 256]>,
}

/// One demand of the sheet, and where it is made.
#[derive(Debug, Clone)]
pub(super) struct Demand {
    pub(super) limit: Limit,
    pub(super) places: Vec<(Span, String)>,
}

/// The addresses that nodes of one area and kind may have.
#[derive(Debug, Clone)]
pub(super) struct Domain {
    pub(super) demands: Vec<Demand>,
    ranges: Vec<AddressRange>,
    meanings: Vec<Meaning>,
}

impl Domain {
    /// What the sheet demands of a node's address.
    pub(super) fn of(sheet: &RigSheet, network: &Network, node: &SheetNode) -> Self {
        let area = sheet.area_of(node);
        let kind = sheet.kind_of(node);
        let mut demands = vec![within(vec![network.range.value.hosts()], network.range.span, &network.name.value)];
        match area {
            Some(area) => demands.extend(of_area(area, node)),
            None => demands.extend(of_other_areas(sheet, network)),
        }
        demands.extend(of_network(network));
        demands.extend(kind.into_iter().flat_map(|kind| of_kind(kind, node)));
        demands.extend(of_scheme(network, area, node));
        Self::made_of(demands)
    }

    /// The addresses that all of these demands allow.
    pub(super) fn made_of(demands: Vec<Demand>) -> Self {
        let mut ranges = vec![AddressRange::between(Ipv4Addr::UNSPECIFIED, Ipv4Addr::BROADCAST)];
        let mut meanings = Vec::new();
        for demand in &demands {
            match &demand.limit {
                Limit::Within(allowed) => ranges = common(&ranges, allowed),
                Limit::Without(kept) => {
                    for kept in kept {
                        ranges = ranges.iter().flat_map(|range| range.without(kept)).collect();
                    }
                }
                Limit::Meaning(all) => meanings.extend(all.iter().cloned()),
            }
        }
        Self { demands, ranges, meanings }
    }

    /// The first allowed address from `from` on.
    pub(super) fn next(&self, from: u32) -> Option<u32> {
        let after = self.ranges.partition_point(|range| range.last().to_bits() < from);
        for range in &self.ranges[after..] {
            let first = range.first().to_bits().max(from);
            let fits = (first..=range.last().to_bits()).find(|bits| self.means_right(*bits));
            if fits.is_some() {
                return fits;
            }
        }
        None
    }

    /// Whether it allows an address.
    pub(super) fn allows(&self, address: u32) -> bool {
        self.next(address) == Some(address)
    }

    /// All allowed addresses.
    pub(super) fn iter(&self) -> impl Iterator<Item = u32> {
        let all = self.ranges.iter().flat_map(|range| range.first().to_bits()..=range.last().to_bits());
        all.filter(|bits| self.means_right(*bits))
    }

    fn means_right(&self, bits: u32) -> bool {
        let address = Ipv4Addr::from_bits(bits);
        self.meanings.iter().all(|meaning| meaning.allowed[usize::from(meaning.part.number_in(address))])
    }
}

/// What two lists of ranges have in common.
fn common(some: &[AddressRange], others: &[AddressRange]) -> Vec<AddressRange> {
    let mut all: Vec<AddressRange> = Vec::new();
    for a in some {
        for b in others {
            let (first, last) = (a.first().max(b.first()), a.last().min(b.last()));
            if first <= last {
                all.push(AddressRange::between(first, last));
            }
        }
    }
    all.sort_by_key(|range| range.first());
    all
}

fn within(ranges: Vec<AddressRange>, span: Span, note: &str) -> Demand {
    Demand { limit: Limit::Within(ranges), places: vec![(span, note.to_owned())] }
}

fn without(range: AddressRange, span: Span, note: &str) -> Demand {
    Demand { limit: Limit::Without(vec![range]), places: vec![(span, note.to_owned())] }
}

fn of_area(area: &Area, node: &SheetNode) -> Vec<Demand> {
    let Some(range) = &area.range else { return Vec::new() };
    let mut demands = vec![within(vec![range.value], range.span, &area.name.value)];
    let class = area.classes.iter().find(|class| node.kind.as_ref().is_some_and(|k| k.value == class.kind.value));
    let from = class.map(|class| (&class.from, "this kind begins here"));
    if let Some((from, note)) = from.or_else(|| area.nodes_from.as_ref().map(|from| (from, "nodes begin here"))) {
        // What lies below is left to others; a beginning beyond the area leaves nothing.
        let below =
            from.value.checked_sub(1).map(|last| range.value.nth(last.into()).unwrap_or(range.value.last()));
        demands
            .extend(below.map(|last| without(AddressRange::between(range.value.first(), last), from.span, note)));
    }
    demands
}

/// A node without an area takes no address of an area's block.
fn of_other_areas(sheet: &RigSheet, network: &Network) -> Vec<Demand> {
    let own = |area: &&Area| std::ptr::eq(&raw const sheet.networks[area.network], network);
    let blocks = sheet.areas.iter().filter(own).filter_map(|area| Some((area, area.range.as_ref()?)));
    blocks
        .map(|(area, range)| without(range.value, range.span, &format!("block of {}", area.name.value)))
        .collect()
}

fn of_network(network: &Network) -> Vec<Demand> {
    let kept = [(&network.keep_free, "kept free"), (&network.dhcp, "DHCP pool"), (&network.locked, "locked")];
    let ranges = kept.into_iter().flat_map(|(ranges, note)| ranges.iter().map(move |range| (range, note)));
    let mut demands: Vec<Demand> = ranges.map(|(range, note)| without(range.value, range.span, note)).collect();
    if let Some(gateway) = &network.gateway
        && let Gateway(Some(address)) = gateway.value
    {
        demands.push(without(AddressRange::between(address, address), gateway.span, "the gateway"));
    }
    demands
}

fn of_kind(kind: &Kind, node: &SheetNode) -> Vec<Demand> {
    let span = node.kind.as_ref().map(|kind| kind.span).unwrap_or_default();
    let mut demands = Vec::new();
    if !kind.permitted.is_empty() {
        demands.push(within(kind.permitted.clone(), span, "accepts only some addresses"));
    }
    demands.extend(kind.factory.map(|range| without(range, span, "not where its units stand from the factory")));
    demands
}

fn of_scheme(network: &Network, area: Option<&Area>, node: &SheetNode) -> Option<Demand> {
    let mut meanings = Vec::new();
    for part in &network.scheme {
        let own = match part.means.value.as_str() {
            "area" => area.map(|area| area.name.value.as_str()),
            "kind" => node.kind.as_ref().map(|kind| kind.value.as_str()),
            _ => None,
        };
        let mut allowed = Box::new([false; 256]);
        for (run, word) in &part.words {
            if own.is_none_or(|own| own == word.value) {
                allowed[usize::from(run.first)..=usize::from(run.last)].fill(true);
            }
        }
        meanings.push(Meaning { part: part.clone(), allowed });
    }
    let first = network.scheme.first()?;
    Some(Demand {
        limit: Limit::Meaning(meanings),
        places: vec![(first.means.span, format!("the scheme of {}", network.name.value))],
    })
}
