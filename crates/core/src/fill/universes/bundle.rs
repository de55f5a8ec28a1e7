//! What pages and splits tie together: it must lie in one sub-net.

use std::collections::{BTreeMap, HashMap};

use super::{PortAt, SUB_NET, Splits, is_of_clone, port, real};
use crate::fill::SPLIT_LEFT_OVER;
use crate::finding::Finding;
use crate::sheet::{RigSheet, SheetNode, SheetPort};
use crate::universe::Universe;

/// Pages that must share net and sub, or one sACN port or split.
#[derive(Debug, Clone, Default)]
pub(super) struct Bundle {
    /// The ports that get universes of their own, in order.
    pub(super) firsts: Vec<PortAt>,
    /// The sub-nets they must lie in, where ports of these pages have universes already: one, or it cannot be.
    sub_nets: BTreeMap<u16, PortAt>,
    /// Whether the universes must share a sub-net at all.
    pub(super) is_page: bool,
}

impl Bundle {
    pub(super) fn wants(&self) -> usize {
        self.firsts.len()
    }

    pub(super) fn sub_net(&self) -> Option<u16> {
        self.sub_nets.keys().next().copied()
    }
}

/// What pages and splits tie together.
pub(super) fn bundles(sheet: &RigSheet, open: &[PortAt], splits: &Splits) -> Vec<Bundle> {
    type PageAt = (usize, u32);
    let page = |at: PortAt| -> PageAt { (at.0, port(sheet, at).1.page()) };
    let mut group: HashMap<PageAt, PageAt> = HashMap::new();
    for at in open.iter().copied().filter(|at| !is_of_clone(sheet, *at)) {
        let (here, there) = (root(&mut group, page(at)), root(&mut group, page(splits.first(at))));
        // The earlier page stands for both.
        group.insert(here.max(there), here.min(there));
    }
    let mut pages: HashMap<PageAt, usize> = HashMap::new();
    let mut all: Vec<Bundle> = Vec::new();
    for at in open.iter().copied().filter(|at| !is_of_clone(sheet, *at)) {
        let is_first = splits.first(at) == at;
        let bundle = *pages.entry(root(&mut group, page(at))).or_insert_with(|| {
            all.push(Bundle { is_page: true, ..Bundle::default() });
            all.len() - 1
        });
        if is_first {
            all[bundle].firsts.push(at);
        }
        let written = |at: PortAt| real(sheet, at).and_then(Universe::port_address);
        let neighbours = (0..sheet.nodes[at.0].ports.len()).map(|port| (at.0, port));
        let on_page = neighbours.filter(|other| page(*other) == page(at));
        for there in on_page.chain([splits.first(at)]) {
            if let Some(address) = written(there) {
                all[bundle].sub_nets.entry(address.flat() / SUB_NET).or_insert(there);
            }
        }
    }
    all
}

/// The finding for pages that are tied to universes of different sub-nets.
pub(super) fn torn(sheet: &RigSheet, bundle: &Bundle) -> Option<Finding> {
    let mut ports = bundle.sub_nets.values().map(|at| port(sheet, *at));
    let (a, b) = (ports.next()?, ports.next()?);
    let title = |(node, port): (&SheetNode, &SheetPort)| format!("{} port {}", node.name.value, port.number.value);
    let what =
        format!("{} and {} are tied together by a split, but lie in different sub-nets", title(a), title(b));
    let finding = SPLIT_LEFT_OVER.finding(what, "put the split's ports on pages of one net and sub");
    let finding = finding.at(sheet, b.1.universe.span, title(b));
    Some(finding.at(sheet, a.1.universe.span, title(a)))
}

fn root(group: &mut HashMap<(usize, u32), (usize, u32)>, of: (usize, u32)) -> (usize, u32) {
    let mut at = of;
    while let Some(next) = group.get(&at).copied().filter(|next| *next != at) {
        at = next;
    }
    group.insert(of, at);
    at
}
