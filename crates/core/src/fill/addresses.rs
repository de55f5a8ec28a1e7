//! Addresses: by area and kind, in sequence, beginning at round numbers, gaps kept.

use std::collections::{HashMap, HashSet, VecDeque};
use std::net::Ipv4Addr;

use super::domain::{Demand, Domain, Limit};
use super::{Choice, NO_NETWORK, TOO_FEW_ADDRESSES};
use crate::address::AddressRange;
use crate::finding::Finding;
use crate::sheet::{RigSheet, SheetNode, Span, WantedAddress};

/// The most places shown of a contradiction's nodes.
const MOST_PLACES: usize = 12;

/// Nodes of one network, area and kind: the same addresses suit all of them.
struct Class<'s> {
    domain: Domain,
    /// The highest address of its nodes so far, and whose it is.
    last: Option<(u32, &'s str)>,
    /// Below this no free address is left.
    gap: u32,
    home: (usize, Option<usize>),
    title: String,
}

type ClassKey<'s> = (usize, Option<usize>, Option<&'s str>);

struct Filling<'s> {
    sheet: &'s RigSheet,
    classes: Vec<Class<'s>>,
    taken: HashSet<u32>,
    /// Who got which address just now: the node, and its class.
    given: HashMap<u32, (usize, usize)>,
    /// The decades of each home in which somebody stands.
    decades: HashSet<(usize, Option<usize>, u32)>,
    chosen: HashMap<usize, (u32, String)>,
}

pub(super) fn fill(sheet: &RigSheet) -> Result<Vec<Choice>, Vec<Finding>> {
    let open: Vec<usize> = (0..sheet.nodes.len()).filter(|i| is_open(&sheet.nodes[*i])).collect();
    if open.is_empty() {
        return Ok(Vec::new());
    }
    let mut filling = Filling::new(sheet);
    let mut keys: HashMap<ClassKey<'_>, usize> = HashMap::new();
    let mut of_node: Vec<Option<usize>> = Vec::with_capacity(sheet.nodes.len());
    for node in &sheet.nodes {
        let network = sheet.network_at(node.area.as_ref(), node.address.value);
        of_node.push(network.map(|network| filling.class_of(&mut keys, network, node)));
    }
    for (node, class) in sheet.nodes.iter().zip(&of_node) {
        if let (Some(class), Some(address)) = (class, node.fixed_address()) {
            filling.note(*class, address.to_bits(), &node.name.value);
        }
    }
    let mut findings = Vec::new();
    let mut hopeless: HashSet<usize> = HashSet::new();
    for index in &open {
        match of_node[*index] {
            None => findings.push(no_network(sheet, &sheet.nodes[*index])),
            Some(class) if hopeless.contains(&class) => {}
            Some(class) => {
                if let Err(classes) = filling.give(*index, class) {
                    findings.push(filling.contradiction(&classes, &open, &of_node));
                    hopeless.extend(classes);
                }
            }
        }
    }
    if findings.is_empty() { Ok(filling.choices(&open)) } else { Err(findings) }
}

fn is_open(node: &SheetNode) -> bool {
    node.address.value == WantedAddress::Fill
}

fn no_network(sheet: &RigSheet, node: &SheetNode) -> Finding {
    let what = format!("{} is to be given an address, but in which network?", node.name.value);
    let finding = NO_NETWORK.finding(what, "write area = \"…\" for the node, or its address");
    finding.at(sheet, node.address.span, "still \"fill\"")
}

impl<'s> Filling<'s> {
    fn new(sheet: &'s RigSheet) -> Self {
        let fixed = sheet.members().filter_map(|member| member.address()?.0.fixed());
        Self {
            sheet,
            classes: Vec::new(),
            taken: fixed.map(Ipv4Addr::to_bits).collect(),
            given: HashMap::new(),
            decades: HashSet::new(),
            chosen: HashMap::new(),
        }
    }

    fn class_of(&mut self, keys: &mut HashMap<ClassKey<'s>, usize>, network: usize, node: &'s SheetNode) -> usize {
        let area = node.area.as_ref().map(|area| area.value);
        let kind = node.kind.as_ref().map(|kind| kind.value.as_str());
        *keys.entry((network, area, kind)).or_insert_with(|| {
            let domain = Domain::of(self.sheet, &self.sheet.networks[network], node);
            let place = area.map_or(&self.sheet.networks[network].name, |area| &self.sheet.areas[area].name);
            self.classes.push(Class {
                domain,
                last: None,
                gap: 0,
                home: (network, area),
                title: place.value.clone(),
            });
            self.classes.len() - 1
        })
    }

    /// Notes that a node of the class has this address.
    fn note(&mut self, class: usize, address: u32, name: &'s str) {
        let this = &mut self.classes[class];
        if this.domain.allows(address) && this.last.is_none_or(|(last, _)| last < address) {
            this.last = Some((address, name));
        }
        let (network, area) = this.home;
        self.decades.insert((network, area, decade(address)));
    }

    /// Gives a node an address; otherwise says which classes share too few.
    fn give(&mut self, node: usize, class: usize) -> Result<(), Vec<usize>> {
        match self.choose(class) {
            Some((address, why)) => self.assign(node, class, address, why),
            None => self.make_room(node, class)?,
        }
        Ok(())
    }

    fn assign(&mut self, node: usize, class: usize, address: u32, why: String) {
        self.taken.insert(address);
        self.given.insert(address, (node, class));
        self.chosen.insert(node, (address, why));
        self.note(class, address, &self.sheet.nodes[node].name.value);
    }

    /// The address that suits the class best, and why.
    fn choose(&mut self, class: usize) -> Option<(u32, String)> {
        let place = self.classes[class].title.clone();
        if let Some((last, name)) = self.classes[class].last {
            if let Some(address) = self.free_from(class, last.saturating_add(1)) {
                let after = Ipv4Addr::from_bits(last);
                return Some((address, format!("the next free one in {place} after {name} ({after})")));
            }
        } else if let Some(address) = self.round_start(class) {
            return Some((address, format!("a round number for the first of its kind in {place}")));
        }
        let address = self.free_from(class, self.classes[class].gap)?;
        self.classes[class].gap = address;
        Some((address, format!("the first gap in {place}: behind the others nothing is free")))
    }

    fn free_from(&self, class: usize, from: u32) -> Option<u32> {
        let domain = &self.classes[class].domain;
        let mut address = domain.next(from)?;
        while self.taken.contains(&address) {
            address = domain.next(address.checked_add(1)?)?;
        }
        Some(address)
    }

    /// Where the first of a kind goes: at the first address of the class when nobody else is at home there, otherwise
    /// at the first number that ends in 0 and begins ten addresses that nobody uses.
    fn round_start(&self, class: usize) -> Option<u32> {
        let Class { domain, home: (network, area), .. } = &self.classes[class];
        let is_used = |decade: u32| self.decades.contains(&(*network, *area, decade));
        let mut address = self.free_from(class, 0)?;
        let begins_anywhere = !is_used(decade(address));
        while !(begins_anywhere || Ipv4Addr::from_bits(address).octets()[3].is_multiple_of(10))
            || is_used(decade(address))
        {
            address = domain.next(next_decade(address)?)?;
        }
        (!self.taken.contains(&address)).then_some(address)
    }

    /// Lets nodes that were given an address just now move on, so that one becomes free for this one. Otherwise says
    /// which classes share too few addresses.
    fn make_room(&mut self, node: usize, class: usize) -> Result<(), Vec<usize>> {
        let mut seen: HashSet<u32> = HashSet::new();
        // For each class reached: the address its holder would leave, and the class that wants it.
        let mut via: HashMap<usize, (u32, usize)> = HashMap::new();
        let mut reached = vec![class];
        let mut open = VecDeque::from([class]);
        while let Some(at) = open.pop_front() {
            let domain = self.classes[at].domain.clone();
            for address in domain.iter() {
                if !seen.insert(address) {
                    continue;
                }
                if !self.taken.contains(&address) {
                    self.shift(node, class, at, address, &via);
                    return Ok(());
                }
                if let Some((_, holder)) = self.given.get(&address).copied()
                    && !reached.contains(&holder)
                {
                    via.insert(holder, (address, at));
                    reached.push(holder);
                    open.push_back(holder);
                }
            }
        }
        Err(reached)
    }

    fn shift(&mut self, node: usize, class: usize, last: usize, free: u32, via: &HashMap<usize, (u32, usize)>) {
        let why = "moved on so that every node gets one it may have";
        let (mut at, mut free) = (last, free);
        while at != class {
            let Some((left, wanted_by)) = via.get(&at).copied() else { break };
            if let Some((holder, _)) = self.given.remove(&left) {
                self.assign(holder, at, free, why.to_owned());
            }
            (at, free) = (wanted_by, left);
        }
        self.assign(node, class, free, "freed by moving others on".to_owned());
    }

    /// The smallest set of demands that leave the nodes of these classes too few addresses.
    fn contradiction(&self, classes: &[usize], open: &[usize], of_node: &[Option<usize>]) -> Finding {
        let nodes: Vec<&SheetNode> = open
            .iter()
            .filter(|i| of_node[**i].is_some_and(|class| classes.contains(&class)))
            .map(|i| &self.sheet.nodes[*i])
            .collect();
        let mut demands: Vec<Vec<Demand>> = classes
            .iter()
            .map(|class| {
                let mut demands = self.classes[*class].domain.demands.clone();
                demands.extend(self.pinned(*class));
                demands
            })
            .collect();
        let is_short = |demands: &[Vec<Demand>]| room(demands, nodes.len()) < nodes.len();
        // Whatever can be left out without making room is not part of the contradiction.
        for class in 0..demands.len() {
            let mut i = 0;
            while i < demands[class].len() {
                let demand = demands[class].remove(i);
                if !is_short(&demands) {
                    demands[class].insert(i, demand);
                    i += 1;
                }
            }
        }
        let there = room(&demands, nodes.len());
        let title = &self.classes[classes[0]].title;
        let what = format!(
            "{} node{} of {title} {} to be filled in, but {there} address{} {} left",
            nodes.len(),
            if nodes.len() == 1 { "" } else { "s" },
            if nodes.len() == 1 { "is" } else { "are" },
            if there == 1 { "" } else { "es" },
            if there == 1 { "is" } else { "are" },
        );
        let remedy = "loosen one of the demands shown: a larger block, a lower beginning, fewer kept addresses, fewer nodes";
        let mut finding = TOO_FEW_ADDRESSES.finding(what, remedy);
        if let Some(node) = nodes.last() {
            finding = finding.at(self.sheet, node.address.span, format!("{} finds no address", node.name.value));
        }
        let mut shown: HashSet<Span> = HashSet::new();
        let places = demands.iter().flatten().flat_map(|demand| &demand.places);
        for (span, note) in places.filter(|(span, _)| shown.insert(*span)).take(MOST_PLACES) {
            finding = finding.at(self.sheet, *span, note.clone());
        }
        finding
    }

    /// The addresses of the class's domain that the sheet gives to somebody else.
    fn pinned(&self, class: usize) -> Option<Demand> {
        let domain = &self.classes[class].domain;
        let fixed = self.sheet.members().filter_map(|member| {
            let (address, span) = member.address()?;
            let address = address.fixed().filter(|address| domain.allows(address.to_bits()))?;
            Some((address, (span, format!("given to {}", member.name().value))))
        });
        let (addresses, places): (Vec<Ipv4Addr>, Vec<(Span, String)>) = fixed.unzip();
        let ranges = addresses.into_iter().map(|address| AddressRange::between(address, address)).collect();
        (!places.is_empty()).then_some(Demand { limit: Limit::Without(ranges), places })
    }

    fn choices(mut self, open: &[usize]) -> Vec<Choice> {
        let choice = |index: &usize| {
            let node = &self.sheet.nodes[*index];
            let (address, why) = self.chosen.remove(index)?;
            Some(Choice {
                span: node.address.span,
                for_what: node.name.value.clone(),
                value: Ipv4Addr::from_bits(address).to_string(),
                why,
            })
        };
        open.iter().filter_map(choice).collect()
    }
}

/// How many addresses the classes have together, counted no further than `enough`.
fn room(demands: &[Vec<Demand>], enough: usize) -> usize {
    let mut all: HashSet<u32> = HashSet::new();
    for demands in demands {
        let domain = Domain::made_of(demands.clone());
        for address in domain.iter() {
            all.insert(address);
            if all.len() >= enough {
                return all.len();
            }
        }
    }
    all.len()
}

/// Ten addresses whose last numbers share all but the last digit.
fn decade(address: u32) -> u32 {
    (address >> 8) * 26 + (address & 0xff) / 10
}

/// The first address of the next ten; the one after the last of a block of 256 begins the next block.
fn next_decade(address: u32) -> Option<u32> {
    let last = address & 0xff;
    let next = (last / 10 + 1) * 10;
    if next > 0xff { (address | 0xff).checked_add(1) } else { Some(address - last + next) }
}
