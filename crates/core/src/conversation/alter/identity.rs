//! Who speaks: the node that is meant, or somebody else in its place or at the address it is to get.

use std::net::Ipv4Addr;

use lantern_wire::{Arp, MacAddress};

use super::{Alter, Other, Outcome, Phase};
use crate::census::{Sighting, Told, answering};

impl Alter {
    /// Where it may be: where it was last heard, where it should be, and where it was.
    fn places(&self) -> [Option<Ipv4Addr>; 3] {
        [Some(self.node.address), self.destination(), self.before.as_ref().map(|node| node.address)]
    }

    pub(super) fn is_ours(&self, sighting: &Sighting) -> bool {
        let places = self.places();
        match &sighting.told {
            Told::PollReply(reply) => match reply.root_elsewhere() {
                Some(root) => places.contains(&Some(root)),
                None if self.node.mac.is_some() => Some(reply.mac) == self.node.mac,
                None => !reply.mac.is_known() && places.contains(&Some(sighting.from)),
            },
            Told::IpSettings(_) => {
                places.contains(&Some(sighting.from)) && sighting.mac.is_none_or(|mac| self.is_own_mac(mac))
            }
            _ => false,
        }
    }

    pub(super) fn is_own_mac(&self, mac: MacAddress) -> bool {
        let pages = self.node.pages.iter().filter_map(|page| page.mac);
        self.node.mac.into_iter().chain(self.node.heard_mac).chain(pages).any(|own| own == mac)
            || self.node.mac.is_none() && self.node.heard_mac.is_none()
    }

    /// Where it answers from, when that is neither where it was, nor where it should be.
    pub(super) fn strange_place(&self, sighting: &Sighting) -> Option<Ipv4Addr> {
        let Told::PollReply(reply) = &sighting.told else { return None };
        let place = answering(reply, sighting.from);
        (reply.root_elsewhere().is_none() && !self.places().contains(&Some(place))).then_some(place)
    }

    /// Somebody else at `address`, if the sighting shows one.
    pub(super) fn other_at(&self, address: Ipv4Addr, sighting: &Sighting) -> Option<Other> {
        if sighting.from != address || self.vantage.is_own(address) {
            return None;
        }
        let stated = match &sighting.told {
            Told::PollReply(reply) => Some(reply.mac).filter(|mac| mac.is_known()),
            _ => None,
        };
        let strange = [sighting.mac, stated].into_iter().flatten().find(|mac| !self.is_own_mac(*mac));
        strange.map(|mac| Other { mac: Some(mac), name: sighting.name() })
    }

    pub(super) fn hear_arp(&mut self, arp: &Arp) {
        let Phase::Probing(probe) = &self.phase else { return };
        if let Some(other) = probe.contender(arp, &self.vantage, |mac| self.is_own_mac(mac)) {
            self.end(Outcome::Taken(other));
        }
    }
}
