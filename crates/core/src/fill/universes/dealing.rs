//! Dealing out universes: in sequence, what is sent before what is not, gaps last.

use std::collections::{BTreeSet, HashMap, HashSet};

use super::{Bundle, PortAt, SUB_NET, Splits, all_ports, asked, is_of_clone, port, real};
use crate::Protocol;
use crate::fill::{Choice, TOO_FEW_UNIVERSES};
use crate::finding::Finding;
use crate::sheet::{RigSheet, SheetPort};
use crate::universe::{PortAddress, Universe, UniverseBlock};

/// Universes being dealt out.
pub(super) struct Dealing<'s> {
    sheet: &'s RigSheet,
    taken: HashSet<u16>,
    /// The numbers that a source of each protocol sends.
    sent: HashMap<Protocol, BTreeSet<u16>>,
    /// For each area: the highest number used in its block.
    last: HashMap<Option<usize>, u16>,
    /// For each area: below this no universe is free.
    gap: HashMap<Option<usize>, u16>,
    given: HashMap<PortAt, (u16, String)>,
}

impl<'s> Dealing<'s> {
    pub(super) fn new(sheet: &'s RigSheet) -> Self {
        let mut dealing = Self {
            sheet,
            taken: HashSet::new(),
            sent: HashMap::new(),
            last: HashMap::new(),
            gap: HashMap::new(),
            given: HashMap::new(),
        };
        for source in &sheet.sources {
            let numbers = source.sends.iter().flat_map(|block| block.value.iter()).map(PortAddress::flat);
            dealing.sent.entry(source.protocol).or_default().extend(numbers);
        }
        for at in all_ports(sheet) {
            if let Some(address) = real(sheet, at).and_then(Universe::port_address) {
                dealing.note(at, address.flat());
            }
        }
        dealing
    }

    fn area(&self, at: PortAt) -> Option<usize> {
        self.sheet.nodes[at.0].area.as_ref().map(|area| area.value)
    }

    fn block(&self, area: Option<usize>) -> Option<UniverseBlock> {
        self.sheet.areas.get(area?)?.universes.as_ref().map(|block| block.value)
    }

    /// The blocks a port of the area may take universes of: its own, or all that lies in no area's block.
    fn blocks(&self, area: Option<usize>) -> Vec<(u16, u16)> {
        if let Some(block) = self.block(area) {
            return vec![(block.first.flat(), block.last.flat())];
        }
        let mut owned: Vec<(u16, u16)> = self
            .sheet
            .areas
            .iter()
            .filter_map(|area| area.universes.as_ref())
            .map(|block| (block.value.first.flat(), block.value.last.flat()))
            .collect();
        owned.sort_unstable();
        let mut free = Vec::new();
        let mut from = 0;
        for (first, last) in owned {
            if from < first {
                free.push((from, first - 1));
            }
            from = from.max(last + 1);
        }
        if from <= PortAddress::LAST.flat() {
            free.push((from, PortAddress::LAST.flat()));
        }
        free
    }

    fn note(&mut self, at: PortAt, number: u16) {
        self.taken.insert(number);
        let area = self.area(at);
        if self.block(area).is_none_or(|block| (block.first.flat()..=block.last.flat()).contains(&number)) {
            let last = self.last.entry(area).or_insert(number);
            *last = number.max(*last);
        }
    }

    pub(super) fn deal(&mut self, bundles: &[Bundle]) -> Result<(), Vec<Finding>> {
        let mut findings = Vec::new();
        let mut hopeless: HashSet<(Option<usize>, usize, Option<u16>)> = HashSet::new();
        for bundle in bundles {
            let kind = (self.area(bundle.firsts[0]), bundle.wants(), bundle.sub_net());
            if hopeless.contains(&kind) {
                continue;
            }
            match self.choose(bundle) {
                Some(chosen) => {
                    for (at, (number, why)) in bundle.firsts.iter().zip(chosen) {
                        self.note(*at, number);
                        self.given.insert(*at, (number, why));
                    }
                }
                None => {
                    findings.push(self.too_few(bundle, bundles));
                    hopeless.insert(kind);
                }
            }
        }
        if findings.is_empty() { Ok(()) } else { Err(findings) }
    }

    /// Universes for all ports of a bundle: those that are sent before others, behind the last one of the area before
    /// gaps.
    fn choose(&mut self, bundle: &Bundle) -> Option<Vec<(u16, String)>> {
        let first = bundle.firsts[0];
        let area = self.area(first);
        let protocol = asked(self.sheet, first)?;
        let place = area.map_or("the rig", |area| self.sheet.areas[area].name.value.as_str()).to_owned();
        let ranges = match bundle.sub_net() {
            Some(sub_net) => within(&self.blocks(area), sub_net),
            None => self.blocks(area),
        };
        let behind = self.last.get(&area).map_or(0, |last| last + 1);
        let from = if bundle.sub_net().is_some() { 0 } else { behind };
        let sent = self.sent.get(&protocol);
        let by_sacn = bundle.firsts.iter().any(|at| asked(self.sheet, *at) == Some(Protocol::Sacn));
        let is_free = |number: u16| !self.taken.contains(&number) && (!by_sacn || number > 0);
        let is_sent = |number: u16| is_free(number) && sent.is_none_or(|sent| sent.contains(&number));
        let gap = self.gap.get(&area).copied().unwrap_or(0);
        let search = |from: u16, ok: &dyn Fn(u16) -> bool| find(&ranges, from, bundle, ok);
        let (numbers, why) = if let Some(numbers) = search(from, &is_sent) {
            (
                numbers,
                if bundle.sub_net().is_some() {
                    "in the sub-net of the page's other ports"
                } else {
                    "the next one"
                },
            )
        } else if let Some(numbers) = search(gap, &is_sent) {
            (numbers, "the first gap: behind the others nothing is free")
        } else if let Some(numbers) = search(from, &is_free).or_else(|| search(gap, &is_free)) {
            (numbers, "the next one, though no source sends it")
        } else {
            return None;
        };
        if bundle.sub_net().is_none() && bundle.wants() == 1 && numbers[0] < behind {
            self.gap.insert(area, numbers[0]);
        }
        let skipped = bundle.is_page && bundle.wants() > 1 && bundle.sub_net().is_none() && numbers[0] > behind;
        let begins = if skipped { ", beginning a sub-net so that the page shares one" } else { "" };
        Some(numbers.into_iter().map(|number| (number, format!("{why} in {place}{begins}"))).collect())
    }

    /// Clones get what the node they are clones of has on the same port.
    pub(super) fn deal_clones(&mut self, open: &[PortAt]) {
        for at in open.iter().copied().filter(|at| is_of_clone(self.sheet, *at)) {
            let (node, here) = port(self.sheet, at);
            let Some(model) = node.clone_of.as_ref().map(|model| model.value) else { continue };
            let same = |port: &SheetPort| port.number.value == here.number.value;
            let Some(there) = self.sheet.nodes[model].ports.iter().position(same).map(|port| (model, port)) else {
                continue;
            };
            let written = real(self.sheet, there).and_then(Universe::port_address).map(PortAddress::flat);
            let number = written.or_else(|| self.given.get(&there).map(|(number, _)| *number));
            if let Some(number) = number {
                let why = format!("the same as {}, which it is a clone of", self.sheet.nodes[model].name.value);
                self.given.insert(at, (number, why));
            }
        }
    }

    fn too_few(&self, bundle: &Bundle, bundles: &[Bundle]) -> Finding {
        let at = bundle.firsts[0];
        let area = self.area(at);
        let (node, first) = port(self.sheet, at);
        let place = area.map_or("the rig", |area| self.sheet.areas[area].name.value.as_str());
        let wanted: usize = bundles.iter().filter(|b| self.area(b.firsts[0]) == area).map(Bundle::wants).sum();
        let blocks = self.blocks(area);
        let pinned: HashSet<u16> = all_ports(self.sheet)
            .filter_map(|at| real(self.sheet, at).and_then(Universe::port_address).map(PortAddress::flat))
            .collect();
        let free = blocks.iter().flat_map(|(first, last)| *first..=*last).filter(|n| !pinned.contains(n)).count();
        let title = format!("{} port {}", node.name.value, first.number.value);
        let what = if wanted > free {
            format!(
                "{wanted} ports of {place} are to get universes of their own, but {free} are free in its block"
            )
        } else if let Some(sub_net) = bundle.sub_net() {
            let (net, sub) = (sub_net / SUB_NET, sub_net % SUB_NET);
            format!("{title} shares a page with net {net} sub {sub}, where too few universes are free")
        } else {
            format!(
                "{title} and {} more share pages, but no sub-net of {place} has as many free universes",
                bundle.wants() - 1
            )
        };
        let finding =
            TOO_FEW_UNIVERSES.finding(what, "widen the area's block, declare splits, or plan fewer ports");
        let finding = finding.at(self.sheet, first.universe.span, format!("{title} finds none"));
        let block = area.and_then(|area| self.sheet.areas[area].universes.as_ref());
        match block {
            Some(block) => finding.at(self.sheet, block.span, format!("the block of {place}")),
            None => finding,
        }
    }

    pub(super) fn choices(&self, open: &[PortAt], splits: &Splits) -> Vec<Choice> {
        let choice = |at: &PortAt| {
            let (node, port) = port(self.sheet, *at);
            let first = splits.first(*at);
            let written = real(self.sheet, first).and_then(Universe::port_address).map(PortAddress::flat);
            let (number, why) = match (first == *at, self.given.get(&first), written) {
                (true, Some((number, why)), _) => (*number, why.clone()),
                (false, Some((number, _)), _) => (*number, shared_with(self.sheet, first)),
                (_, None, Some(number)) => (number, shared_with(self.sheet, first)),
                (_, None, None) => return None,
            };
            let value = match asked(self.sheet, *at)? {
                Protocol::ArtNet => PortAddress::new(number.into()).ok()?.to_string(),
                Protocol::Sacn => format!("sacn {number}"),
            };
            let for_what = format!("{} port {}", node.name.value, port.number.value);
            Some(Choice { span: port.universe.span, for_what, value, why })
        };
        open.iter().filter_map(choice).collect()
    }
}

fn shared_with(sheet: &RigSheet, first: PortAt) -> String {
    let (node, port) = port(sheet, first);
    format!("the split that begins at {} port {}", node.name.value, port.number.value)
}

/// The part of the blocks that lies in one sub-net.
fn within(blocks: &[(u16, u16)], sub_net: u16) -> Vec<(u16, u16)> {
    let (first, last) = (sub_net * SUB_NET, sub_net * SUB_NET + SUB_NET - 1);
    blocks.iter().map(|block| (block.0.max(first), block.1.min(last))).filter(|(a, b)| a <= b).collect()
}

/// As many universes as the bundle wants from `from` on, in one sub-net where it is of pages.
fn find(blocks: &[(u16, u16)], from: u16, bundle: &Bundle, is_free: &dyn Fn(u16) -> bool) -> Option<Vec<u16>> {
    let mut found: Vec<u16> = Vec::with_capacity(bundle.wants());
    for (first, last) in blocks {
        for number in (*first).max(from)..=*last {
            if bundle.is_page && found.last().is_some_and(|earlier| earlier / SUB_NET != number / SUB_NET) {
                found.clear();
            }
            if is_free(number) {
                found.push(number);
            }
            if found.len() == bundle.wants() {
                return Some(found);
            }
        }
    }
    None
}
