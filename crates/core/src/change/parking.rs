//! Where a device waits until the address that it is meant for is left.

use std::collections::{HashMap, HashSet};
use std::net::Ipv4Addr;

use super::graph::Detour;
use super::guard::Leaving;
use super::holders::Surroundings;
use super::{Change, steps};
use crate::address::{AddressRange, Mask, Role, Seat, Subnet};
use crate::census::Subject;
use crate::compare::{Addressing, Wanted};
use crate::facts::{Difference, Field};
use crate::sheet::{Gateway, RigSheet};

/// How many addresses of a subnet are looked at for one that is free.
const MOST_LOOKED_AT: u32 = 65_536;
/// What a device that does not tell its mask is taken to share with this computer's seat, at most.
const USUAL: Mask = Mask::SIXTEEN;

/// How many addresses of a range are asked for before a plan is made.
const ASKED: u32 = 16;

/// Addresses at which devices may have to wait: whoever looks before a plan is made asks for them too, so that one that
/// somebody silent holds is not chosen.
#[must_use]
pub fn waiting_places(seats: &[Seat], sheet: Option<&RigSheet>, parking: Option<AddressRange>) -> Vec<Ipv4Addr> {
    let networks = || sheet.into_iter().flat_map(|sheet| &sheet.networks).map(|network| network.range.value);
    let of_seat = |seat: &Seat| {
        let own = networks().find(|network| network.contains(seat.own) && network.mask() > seat.subnet.mask());
        own.unwrap_or(seat.subnet).hosts()
    };
    let ranges: Vec<AddressRange> =
        parking.map_or_else(|| seats.iter().map(of_seat).collect(), |parking| vec![parking]);
    let last_of = |range: AddressRange| {
        let (first, last) = (u32::from(range.first()), u32::from(range.last()));
        (first.max(last.saturating_sub(ASKED - 1))..=last).rev().map(Ipv4Addr::from)
    };
    ranges.into_iter().flat_map(last_of).collect()
}

/// Finds free addresses to wait at, each for one device: from the end of the range backwards, where plans begin last.
pub(super) struct Parking<'a> {
    around: &'a Surroundings<'a>,
    leaving: &'a Leaving,
    /// Gateways, and where somebody silent may be.
    spoken_for: HashSet<Ipv4Addr>,
    /// For each range the next address to look at.
    next: HashMap<(Ipv4Addr, Ipv4Addr), u32>,
}

impl<'a> Parking<'a> {
    pub(super) fn new(around: &'a Surroundings<'a>, leaving: &'a Leaving) -> Self {
        let planned = around.around.sheet.into_iter().flat_map(|sheet| &sheet.networks);
        let planned = planned.filter_map(|network| match network.gateway.as_ref()?.value {
            Gateway(gateway) => gateway,
        });
        let told = around.around.census.nodes().iter().filter_map(|node| Some(node.settings?.gateway));
        let silent = around.around.silent.iter().flat_map(|one| one.places.iter().copied());
        Self { around, leaving, spoken_for: planned.chain(told).chain(silent).collect(), next: HashMap::new() }
    }

    /// This change by way of a free address; `None` where there is none, or the device cannot go there.
    pub(super) fn detour(&mut self, change: &Change) -> Option<Detour> {
        let subject = &change.subject;
        let address = self.free_for(subject)?;
        let aside = Wanted { addressing: Some(Addressing::Fixed(address)), ..Wanted::default() };
        let mut differences = aside.differences_of(subject);
        differences.retain(|difference| !difference.cannot_be_told());
        let parked = subject.parked_at(address);
        let left: Vec<Difference> = change.differences.iter().filter_map(|d| d.against(&parked)).collect();
        let parking = Change {
            steps: steps::of(subject, &differences).ok()?,
            subject: subject.clone(),
            planned_as: change.planned_as.clone(),
            reason: "waits there until its place is left".to_owned(),
            differences,
        };
        let steps = steps::of(&parked, &left).ok()?;
        let rest = Change { subject: parked, differences: left, steps, ..change.clone() };
        Some(Detour { parking, rest })
    }

    /// A free address in the subnet that the device is in now, which this computer is in too.
    fn free_for(&mut self, subject: &Subject) -> Option<Ipv4Addr> {
        let own = subject.address();
        let seats = self.around.around.seats.iter();
        let seat = seats.map(|seat| seat.subnet).find(|subnet| subnet.contains(own))?;
        let mask = subject.told_address(Field::Mask).and_then(|mask| Mask::try_from(mask).ok()).unwrap_or(USUAL);
        let theirs = Subnet::around(own, mask);
        let both = if theirs.mask() > seat.mask() { theirs } else { seat };
        let range = self.around.around.parking.unwrap_or_else(|| both.hosts());
        let (first, last) = (u32::from(range.first()), u32::from(range.last()));
        let begin = *self.next.entry((range.first(), range.last())).or_insert(last);
        let lowest = first.max(begin.saturating_sub(MOST_LOOKED_AT));
        let free = (lowest..=begin).rev().map(Ipv4Addr::from).find(|address| {
            both.contains(*address) && both.role(*address) == Role::Host && self.is_free(*address, subject)
        })?;
        self.next.insert((range.first(), range.last()), u32::from(free).saturating_sub(1));
        Some(free)
    }

    /// Whether nobody has it, was lately there, is planned or meant for it, and it is neither kept, handed out nor locked.
    fn is_free(&self, address: Ipv4Addr, subject: &Subject) -> bool {
        let around = &self.around.around;
        let is_own = around.own.contains(&address) || around.seats.iter().any(|seat| seat.own == address);
        let is_spoken_for = self.spoken_for.contains(&address) || self.leaving.is_wanted(address);
        let network = around.sheet.and_then(|s| s.networks.iter().find(|n| n.range.value.contains(address)));
        let is_kept = |range: &AddressRange| range.contains(address);
        let is_kept = network.is_some_and(|network| {
            // A range that is named may be one that is kept free: for this.
            let kept = network.keep_free.iter().filter(|_| around.parking.is_none());
            kept.chain(&network.locked).chain(&network.dhcp).any(|range| is_kept(&range.value))
        });
        !is_own
            && !is_spoken_for
            && !is_kept
            && self.around.holder(address, subject).is_none()
            && self.around.earlier_at(address, subject).is_none()
    }
}
