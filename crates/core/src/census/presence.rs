//! Who had which address: the evidence from which devices are put together.

use std::collections::{HashMap, HashSet};
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;

use super::Way;

/// A MAC address, where it is known, with an address; all zero where it has none.
pub(crate) type Holding = (Option<MacAddress>, Ipv4Addr);

/// Everybody who was seen, by MAC address and address.
#[derive(Debug, Clone, Default)]
pub(crate) struct Presence {
    seen: HashMap<Holding, Seen>,
    macs: HashSet<MacAddress>,
    addresses: HashSet<Ipv4Addr>,
    overlooked: u64,
}

/// When somebody was seen, in which ways.
#[derive(Debug, Clone, Default)]
pub(crate) struct Seen {
    /// For each way, first and last time.
    ways: Vec<(Way, Duration, Duration)>,
    /// Whether it answered this computer alone.
    pub(crate) to_us: bool,
}

impl Presence {
    /// The most entries: a whole /16 fits, a flood of made-up addresses does not.
    pub(crate) const MOST: usize = 65_536;

    /// Takes in that this one was seen. Gives whether it was for the first time.
    pub(crate) fn take(&mut self, (mac, address): Holding, way: Way, at: Duration, to_us: bool) -> bool {
        if !self.seen.contains_key(&(mac, address)) && self.seen.len() >= Self::MOST {
            self.overlooked += 1;
            return false;
        }
        let seen = self.seen.entry((mac, address)).or_default();
        seen.to_us |= to_us;
        match seen.ways.iter_mut().find(|(known, ..)| *known == way) {
            Some((_, _, last)) => *last = at,
            None => seen.ways.push((way, at, at)),
        }
        let new_address = !address.is_unspecified() && self.addresses.insert(address);
        match mac {
            // Seen before without its MAC address, it is not new.
            Some(mac) => {
                self.macs.insert(mac) && (new_address || address.is_unspecified() || !self.is_bare(address))
            }
            None => new_address,
        }
    }

    /// Whether somebody was seen at the address whose MAC address is not known.
    fn is_bare(&self, address: Ipv4Addr) -> bool {
        self.seen.contains_key(&(None, address))
    }

    /// Whether anybody was seen at the address.
    pub(crate) fn is_seen(&self, address: Ipv4Addr) -> bool {
        self.addresses.contains(&address)
    }

    /// Whether this one was seen.
    pub(crate) fn has(&self, holding: Holding) -> bool {
        self.seen.contains_key(&holding)
    }

    /// Whether this MAC address was seen.
    pub(crate) fn has_mac(&self, mac: MacAddress) -> bool {
        self.macs.contains(&mac)
    }

    /// Everybody, in a fixed order.
    pub(crate) fn sorted(&self) -> Vec<(Holding, &Seen)> {
        let mut all: Vec<(Holding, &Seen)> = self.seen.iter().map(|(holding, seen)| (*holding, seen)).collect();
        all.sort_by_key(|(holding, _)| *holding);
        all
    }

    /// How many sightings were not taken in because there were too many.
    pub(crate) const fn overlooked(&self) -> u64 {
        self.overlooked
    }
}

impl Seen {
    /// For each way, first and last time.
    pub(crate) fn ways(&self) -> &[(Way, Duration, Duration)] {
        &self.ways
    }
}
