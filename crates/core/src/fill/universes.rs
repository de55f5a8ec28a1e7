//! Universes: in sequence from the area's block. Ports of one Art-Net page share net and sub, and ports of one split
//! share the universe; pages that a split ties together are therefore filled as one bundle.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};

use super::{Choice, SPLIT_LEFT_OVER, TOO_FEW_UNIVERSES};
use crate::finding::Finding;
use crate::sheet::{AskedUniverse, RigSheet, SheetNode, SheetPort};
use crate::universe::{PortAddress, Universe, UniverseBlock};
use crate::{Direction, Protocol};

/// How many universes share net and sub.
const SUB_NET: u16 = 16;

/// A port, by the place of its node and its place there.
type PortAt = (usize, usize);

pub(super) fn fill(sheet: &RigSheet) -> Result<Vec<Choice>, Vec<Finding>> {
    let open: Vec<PortAt> = all_ports(sheet).filter(|at| asked(sheet, *at).is_some()).collect();
    if open.is_empty() {
        return Ok(Vec::new());
    }
    let splits = Splits::of(sheet, &open);
    if !splits.left_over.is_empty() {
        return Err(splits.left_over.iter().map(|at| left_over(sheet, *at)).collect());
    }
    let mut bundles = bundles(sheet, &open, &splits);
    let torn: Vec<Finding> = bundles.iter().filter_map(|bundle| torn(sheet, bundle)).collect();
    if !torn.is_empty() {
        return Err(torn);
    }
    bundles.retain(|bundle| !bundle.firsts.is_empty());
    let mut dealing = Dealing::new(sheet);
    let mut dealt = dealing.deal(&bundles);
    if dealt.is_err() {
        // Large bundles first fragment the sub-nets less.
        let mut largest_first: Vec<&Bundle> = bundles.iter().collect();
        largest_first.sort_by_key(|bundle| std::cmp::Reverse(bundle.wants()));
        let ordered: Vec<Bundle> = largest_first.into_iter().cloned().collect();
        let mut again = Dealing::new(sheet);
        if again.deal(&ordered).is_ok() {
            (dealing, dealt) = (again, Ok(()));
        }
    }
    dealt?;
    dealing.deal_clones(&open);
    Ok(dealing.choices(&open, &splits))
}

fn all_ports(sheet: &RigSheet) -> impl Iterator<Item = PortAt> {
    sheet.nodes.iter().enumerate().flat_map(|(node, it)| (0..it.ports.len()).map(move |port| (node, port)))
}

fn port(sheet: &RigSheet, (node, port): PortAt) -> (&SheetNode, &SheetPort) {
    (&sheet.nodes[node], &sheet.nodes[node].ports[port])
}

/// The protocol of a port that is to be filled in.
fn asked(sheet: &RigSheet, at: PortAt) -> Option<Protocol> {
    match port(sheet, at).1.universe.value {
        AskedUniverse::Fill(protocol) => Some(protocol),
        AskedUniverse::Real(_) | AskedUniverse::Impossible(_) => None,
    }
}

fn real(sheet: &RigSheet, at: PortAt) -> Option<Universe> {
    port(sheet, at).1.universe.value.real()
}

/// Whether a port gets the universe of the node that its node is a clone of.
fn is_of_clone(sheet: &RigSheet, at: PortAt) -> bool {
    sheet.nodes[at.0].clone_of.is_some()
}

/// Which ports carry one universe on purpose: for each open port of a split, the first port of its group.
#[derive(Default)]
struct Splits {
    first: HashMap<PortAt, PortAt>,
    left_over: Vec<PortAt>,
}

impl Splits {
    /// Groups ports with the same `splits` of one area and protocol, in the order of the sheet. A group that has a
    /// universe already is completed first.
    fn of(sheet: &RigSheet, open: &[PortAt]) -> Self {
        type Key = (Option<usize>, u32, Protocol);
        let key = |at: PortAt| {
            let (node, port) = port(sheet, at);
            let splits = port.splits.as_ref()?.value;
            let protocol = match &port.universe.value {
                AskedUniverse::Fill(protocol) => *protocol,
                AskedUniverse::Real(universe) if universe.is_sacn() => Protocol::Sacn,
                AskedUniverse::Real(_) | AskedUniverse::Impossible(_) => Protocol::ArtNet,
            };
            let is_output = port.direction == Direction::Out && node.clone_of.is_none();
            is_output.then_some((node.area.as_ref().map(|area| area.value), splits, protocol))
        };
        // Groups that have a universe but not all their ports.
        let mut begun: BTreeMap<Universe, Vec<PortAt>> = BTreeMap::new();
        for at in all_ports(sheet).filter(|at| key(*at).is_some()) {
            if let Some(universe) = real(sheet, at) {
                begun.entry(universe).or_default().push(at);
            }
        }
        let mut wanting: HashMap<Key, Vec<(PortAt, u32)>> = HashMap::new();
        for ports in begun.values() {
            let Some(key) = key(ports[0]) else { continue };
            let missing = key.1.saturating_sub(u32::try_from(ports.len()).unwrap_or(u32::MAX));
            if missing > 0 {
                wanting.entry(key).or_default().push((ports[0], missing));
            }
        }
        for groups in wanting.values_mut() {
            groups.sort_unstable_by_key(|(at, _)| std::cmp::Reverse(*at));
        }
        let mut all = Self::default();
        for at in open.iter().copied() {
            let Some(key) = key(at) else { continue };
            let groups = wanting.entry(key).or_default();
            match groups.last_mut() {
                Some((first, missing)) => {
                    all.first.insert(at, *first);
                    *missing -= 1;
                    if *missing == 0 {
                        groups.pop();
                    }
                }
                None => {
                    all.first.insert(at, at);
                    groups.push((at, key.1 - 1));
                }
            }
        }
        let begun_here = |at: &PortAt| asked(sheet, *at).is_some();
        all.left_over = wanting.into_values().flatten().map(|(at, _)| at).filter(begun_here).collect();
        all.left_over.sort_unstable();
        all
    }

    /// The port whose universe this one gets.
    fn first(&self, at: PortAt) -> PortAt {
        self.first.get(&at).copied().unwrap_or(at)
    }
}

fn left_over(sheet: &RigSheet, at: PortAt) -> Finding {
    let (node, port) = port(sheet, at);
    let splits = port.splits.as_ref();
    let what = format!(
        "{} port {} begins a split of {}, but there are not enough ports with the same `splits`",
        node.name.value,
        port.number.value,
        splits.map_or(0, |splits| splits.value)
    );
    let finding =
        SPLIT_LEFT_OVER.finding(what, "correct the number, or write the same `splits` on the other ports");
    finding.at(sheet, splits.map_or(port.universe.span, |splits| splits.span), "not whole")
}

/// Pages that must share net and sub, or one sACN port or split.
#[derive(Debug, Clone, Default)]
struct Bundle {
    /// The ports that get universes of their own, in order.
    firsts: Vec<PortAt>,
    /// The sub-nets they must lie in, where ports of these pages have universes already: one, or it cannot be.
    sub_nets: BTreeMap<u16, PortAt>,
    /// Whether the universes must share a sub-net at all.
    is_page: bool,
}

impl Bundle {
    fn wants(&self) -> usize {
        self.firsts.len()
    }

    fn sub_net(&self) -> Option<u16> {
        self.sub_nets.keys().next().copied()
    }
}

/// What pages and splits tie together.
fn bundles(sheet: &RigSheet, open: &[PortAt], splits: &Splits) -> Vec<Bundle> {
    type PageAt = (usize, u32);
    let page = |at: PortAt| -> PageAt { (at.0, port(sheet, at).1.page()) };
    let is_art_net = |at: PortAt| asked(sheet, at) == Some(Protocol::ArtNet);
    let mut group: HashMap<PageAt, PageAt> = HashMap::new();
    for at in open.iter().copied().filter(|at| is_art_net(*at) && !is_of_clone(sheet, *at)) {
        let (here, there) = (root(&mut group, page(at)), root(&mut group, page(splits.first(at))));
        // The earlier page stands for both.
        group.insert(here.max(there), here.min(there));
    }
    let mut pages: HashMap<PageAt, usize> = HashMap::new();
    let mut all: Vec<Bundle> = Vec::new();
    for at in open.iter().copied().filter(|at| !is_of_clone(sheet, *at)) {
        let is_first = splits.first(at) == at;
        if !is_art_net(at) {
            if is_first {
                all.push(Bundle { firsts: vec![at], ..Bundle::default() });
            }
            continue;
        }
        let bundle = *pages.entry(root(&mut group, page(at))).or_insert_with(|| {
            all.push(Bundle { is_page: true, ..Bundle::default() });
            all.len() - 1
        });
        if is_first {
            all[bundle].firsts.push(at);
        }
        let written = |at: PortAt| real(sheet, at).filter(|u| !u.is_sacn()).and_then(Universe::port_address);
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
fn torn(sheet: &RigSheet, bundle: &Bundle) -> Option<Finding> {
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

/// Universes being dealt out.
struct Dealing<'s> {
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
    fn new(sheet: &'s RigSheet) -> Self {
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

    fn deal(&mut self, bundles: &[Bundle]) -> Result<(), Vec<Finding>> {
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
        let is_free = |number: u16| !self.taken.contains(&number) && (protocol == Protocol::ArtNet || number > 0);
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
    fn deal_clones(&mut self, open: &[PortAt]) {
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

    fn choices(&self, open: &[PortAt], splits: &Splits) -> Vec<Choice> {
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
