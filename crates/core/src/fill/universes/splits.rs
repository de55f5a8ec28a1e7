//! Ports that carry one universe on purpose.

use std::collections::{BTreeMap, HashMap};

use super::{PortAt, all_ports, asked, port, real};
use crate::fill::SPLIT_LEFT_OVER;
use crate::finding::Finding;
use crate::sheet::{AskedUniverse, RigSheet};
use crate::universe::Universe;
use crate::{Direction, Protocol};

/// Which ports carry one universe on purpose: for each open port of a split, the first port of its group.
#[derive(Default)]
pub(super) struct Splits {
    pub(super) first: HashMap<PortAt, PortAt>,
    pub(super) left_over: Vec<PortAt>,
}

impl Splits {
    /// Groups ports with the same `splits` of one area and protocol, in the order of the sheet. A group that has a
    /// universe already is completed first.
    pub(super) fn of(sheet: &RigSheet, open: &[PortAt]) -> Self {
        type Key = (Option<usize>, u32, Protocol);
        let key = |at: PortAt| {
            let (node, port) = port(sheet, at);
            let splits = port.splits.as_ref()?.value;
            let protocol = match &port.universe.value {
                AskedUniverse::Fill(protocol) => *protocol,
                AskedUniverse::Real(universe) => universe.protocol(),
                AskedUniverse::Impossible(_) => Protocol::ArtNet,
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
    pub(super) fn first(&self, at: PortAt) -> PortAt {
        self.first.get(&at).copied().unwrap_or(at)
    }
}

pub(super) fn left_over(sheet: &RigSheet, at: PortAt) -> Finding {
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
