//! Which found node is which planned one.

use std::collections::HashMap;
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;

use crate::census::{Census, FoundNode};
use crate::sheet::{RigSheet, SheetNode};

/// What each planned node is, and who is left over.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Matching {
    /// For each node of the sheet, in its order.
    pub of_sheet: Vec<Match>,
    /// Indices of found nodes that no planned one is.
    pub unexpected: Vec<usize>,
}

/// Which found node a planned one is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Match {
    /// The one of this index.
    Found(usize),
    /// None.
    Missing,
    /// One of these, and the sheet does not say which.
    Ambiguous(Vec<usize>),
}

impl Matching {
    /// Matches by MAC address where the sheet gives one: a unit is known by nothing better. Otherwise by name, and
    /// where no unit has the name, by address. A name that several units bear is settled by the address.
    #[must_use]
    pub fn new(sheet: &RigSheet, census: &Census) -> Self {
        let mut pool = Pool::new(census);
        let mut of_sheet = vec![Match::Missing; sheet.nodes.len()];
        let mut open: Vec<usize> = Vec::new();
        for (i, node) in sheet.nodes.iter().enumerate() {
            match &node.mac {
                Some(mac) => of_sheet[i] = pool.take_mac(mac.value),
                None => open.push(i),
            }
        }
        open.retain(|i| {
            of_sheet[*i] = pool.take_name(&sheet.nodes[*i]);
            of_sheet[*i] == Match::Missing
        });
        for i in open {
            of_sheet[i] = pool.take_address(&sheet.nodes[i]);
        }
        let candidates = |matched: &Match| match matched {
            Match::Ambiguous(candidates) => candidates.clone(),
            Match::Found(_) | Match::Missing => Vec::new(),
        };
        for candidate in of_sheet.iter().flat_map(candidates) {
            pool.taken[candidate] = true;
        }
        Self { of_sheet, unexpected: pool.left() }
    }
}

/// The found nodes, and which of them are spoken for.
struct Pool<'a> {
    nodes: &'a [FoundNode],
    by_mac: HashMap<MacAddress, Vec<usize>>,
    by_name: HashMap<String, Vec<usize>>,
    by_address: HashMap<Ipv4Addr, Vec<usize>>,
    taken: Vec<bool>,
}

impl<'a> Pool<'a> {
    fn new(census: &'a Census) -> Self {
        let nodes = census.nodes();
        let mut pool = Self {
            nodes,
            by_mac: HashMap::new(),
            by_name: HashMap::new(),
            by_address: HashMap::new(),
            taken: vec![false; nodes.len()],
        };
        for (i, node) in nodes.iter().enumerate() {
            if let Some(mac) = node.mac {
                pool.by_mac.entry(mac).or_default().push(i);
            }
            pool.by_name.entry(node.name().raw().to_owned()).or_default().push(i);
            pool.by_address.entry(node.address).or_default().push(i);
        }
        pool
    }

    fn take_mac(&mut self, mac: MacAddress) -> Match {
        let bearing = self.free(self.by_mac.get(&mac));
        self.take(&bearing)
    }

    fn take_name(&mut self, node: &SheetNode) -> Match {
        let bearing = self.free(self.by_name.get(&node.name.value));
        let at_home = |i: &usize| Some(self.nodes[*i].address) == node.fixed_address();
        let settled: Vec<usize> = bearing.iter().copied().filter(at_home).collect();
        if settled.len() == 1 { self.take(&settled) } else { self.take(&bearing) }
    }

    fn take_address(&mut self, node: &SheetNode) -> Match {
        let there = node.fixed_address().map(|address| self.free(self.by_address.get(&address)));
        there.map_or(Match::Missing, |there| self.take(&there))
    }

    fn free(&self, candidates: Option<&Vec<usize>>) -> Vec<usize> {
        candidates.into_iter().flatten().copied().filter(|i| !self.taken[*i]).collect()
    }

    fn take(&mut self, candidates: &[usize]) -> Match {
        match candidates {
            [] => Match::Missing,
            [only] => {
                self.taken[*only] = true;
                Match::Found(*only)
            }
            several => Match::Ambiguous(several.to_vec()),
        }
    }

    /// Whom nobody took. A desk or another program is no surplus node.
    fn left(&self) -> Vec<usize> {
        (0..self.nodes.len()).filter(|i| !self.taken[*i] && self.nodes[*i].is_node()).collect()
    }
}
