//! What an adapter is set to: to be kept before a change, and put back after it.

use std::net::Ipv4Addr;

use serde::{Deserialize, Serialize};

use crate::address::Mask;

/// Addresses and routes of one adapter, as the kernel has them. Routes that the kernel makes from addresses by itself
/// are not part of it.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct AdapterState {
    /// The addresses, in the kernel's order.
    pub addresses: Vec<AddressState>,
    /// The routes, in the kernel's order.
    pub routes: Vec<RouteState>,
}

/// An address with everything that must be the same when it is put back.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct AddressState {
    /// The address.
    pub address: Ipv4Addr,
    /// Length of its prefix.
    pub prefix: u8,
    /// Its broadcast address, where one is set.
    pub broadcast: Option<Ipv4Addr>,
    /// Its label, by custom the adapter's name.
    pub label: Option<String>,
    /// Its scope, as the kernel numbers it.
    pub scope: u8,
    /// For how many seconds it is valid; `u32::MAX` for ever.
    pub valid: u32,
    /// For how many seconds it is preferred; `u32::MAX` for ever.
    pub preferred: u32,
}

/// A route with everything that must be the same when it is put back.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct RouteState {
    /// Where it leads.
    pub destination: Ipv4Addr,
    /// Length of the destination's prefix; 0 for a default route.
    pub prefix: u8,
    /// The gateway, where there is one.
    pub gateway: Option<Ipv4Addr>,
    /// The source address it prefers, where it does.
    pub source: Option<Ipv4Addr>,
    /// Its metric, where one is set.
    pub metric: Option<u32>,
    /// The table it stands in.
    pub table: u32,
    /// Who made it, as the kernel numbers it.
    pub protocol: u8,
    /// Its scope, as the kernel numbers it.
    pub scope: u8,
}

/// One thing to do on the way from one state to another.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Move {
    /// Take an address off.
    RemoveAddress(AddressState),
    /// Put an address on.
    AddAddress(AddressState),
    /// Make a route.
    AddRoute(RouteState),
    /// Take a route away.
    RemoveRoute(RouteState),
}

impl AddressState {
    /// An address that somebody wants: fixed, with the usual broadcast address.
    #[must_use]
    pub fn fixed(address: Ipv4Addr, prefix: u8, broadcast: Ipv4Addr, label: &str) -> Self {
        Self {
            address,
            prefix,
            broadcast: Some(broadcast),
            label: Some(label.to_owned()),
            scope: 0,
            valid: u32::MAX,
            preferred: u32::MAX,
        }
    }

    /// Whether it is the same address, however long it is still valid.
    fn is_same(&self, other: &Self) -> bool {
        (self.address, self.prefix) == (other.address, other.prefix)
    }

    /// Whether both are in one subnet, of which the system makes the first the one it speaks from.
    fn is_in_subnet_of(&self, other: &Self) -> bool {
        let network = |one: &Self| Mask::from_prefix(one.prefix).map(|mask| one.address.to_bits() & mask.bits());
        self.prefix == other.prefix && network(self) == network(other)
    }
}

impl RouteState {
    /// A default route by this gateway, as an administrator would make it.
    #[must_use]
    pub const fn default_by(gateway: Ipv4Addr) -> Self {
        Self {
            destination: Ipv4Addr::UNSPECIFIED,
            prefix: 0,
            gateway: Some(gateway),
            source: None,
            metric: None,
            table: 254,
            protocol: 4,
            scope: 0,
        }
    }
}

impl AdapterState {
    /// Whether two states are the same, lifetimes aside: those run down by themselves.
    #[must_use]
    pub fn is_like(&self, other: &Self) -> bool {
        moves(self, other).is_empty()
    }
}

/// What to do to come from `now` to `wanted`. Addresses go off before others come on, so that none is there twice;
/// routes come last, since a gateway must be reachable when its route is made.
///
/// Of the addresses in one subnet the first is the one this computer speaks from, and taking it off takes the others along
/// (Linux, unless it is told to promote them). So they go off from the last, as far back as their order is another one.
#[must_use]
pub fn moves(now: &AdapterState, wanted: &AdapterState) -> Vec<Move> {
    let removed =
        now.addresses.iter().rev().filter(|one| !is_kept(one, &now.addresses, &wanted.addresses)).cloned();
    let added = wanted.addresses.iter().filter(|one| !is_kept(one, &wanted.addresses, &now.addresses)).cloned();
    let too_many = now.routes.iter().filter(|one| !wanted.routes.contains(one)).cloned();
    let missing = wanted.routes.iter().filter(|one| !now.routes.contains(one)).cloned();
    let mut all: Vec<Move> = too_many.map(Move::RemoveRoute).collect();
    all.extend(removed.map(Move::RemoveAddress));
    all.extend(added.map(Move::AddAddress));
    all.extend(missing.map(Move::AddRoute));
    all
}

/// Whether an address stands in `here` as it stands in `there`: after the same others of its subnet.
fn is_kept(one: &AddressState, here: &[AddressState], there: &[AddressState]) -> bool {
    let mut there = there.iter().filter(|other| other.is_in_subnet_of(one));
    for mine in here.iter().filter(|other| other.is_in_subnet_of(one)) {
        if !there.next().is_some_and(|other| other.is_same(mine)) {
            return false;
        }
        if mine.is_same(one) {
            return true;
        }
    }
    false
}

#[cfg(test)]
mod tests {
    use super::*;

    fn address(last: u8) -> AddressState {
        AddressState::fixed(Ipv4Addr::new(10, 40, 0, last), 16, Ipv4Addr::new(10, 40, 255, 255), "rig0")
    }

    fn default_by(last: u8) -> RouteState {
        RouteState::default_by(Ipv4Addr::new(10, 40, 0, last))
    }

    fn state(addresses: &[u8], routes: &[u8]) -> AdapterState {
        AdapterState {
            addresses: addresses.iter().copied().map(address).collect(),
            routes: routes.iter().copied().map(default_by).collect(),
        }
    }

    #[test]
    fn only_what_differs_is_moved_and_in_an_order_that_works() {
        let (now, wanted) = (state(&[7, 9], &[1]), state(&[7, 8], &[2]));
        let expected = [
            Move::RemoveRoute(default_by(1)),
            Move::RemoveAddress(address(9)),
            Move::AddAddress(address(8)),
            Move::AddRoute(default_by(2)),
        ];
        assert_eq!(moves(&now, &wanted), expected);
        assert_eq!(moves(&wanted, &wanted), []);
    }

    /// Taking the first of a subnet off takes the others along: they go before it, and come again after it.
    #[test]
    fn others_of_its_subnet_go_before_the_first_and_come_again_in_order() {
        let (now, wanted) = (state(&[7, 8, 9], &[]), state(&[8], &[]));
        let removed = |last| Move::RemoveAddress(address(last));
        let added = |last| Move::AddAddress(address(last));
        assert_eq!(moves(&now, &wanted), [removed(9), removed(8), removed(7), added(8)]);
        assert_eq!(moves(&wanted, &now), [removed(8), added(7), added(8), added(9)]);
        assert_eq!(moves(&now, &state(&[7, 8], &[])), [removed(9)]);
        assert!(!state(&[7, 8], &[]).is_like(&state(&[8, 7], &[])));
    }

    #[test]
    fn a_lease_that_runs_down_is_still_the_same_address() {
        let (mut now, wanted) = (state(&[7], &[]), state(&[7], &[]));
        now.addresses[0].valid = 1234;
        assert!(now.is_like(&wanted) && !now.is_like(&state(&[8], &[])));
    }

    #[test]
    fn a_state_survives_being_saved() {
        let state = state(&[7, 8], &[1]);
        let saved = serde_json::to_string(&state).unwrap();
        assert_eq!(serde_json::from_str::<AdapterState>(&saved).unwrap(), state);
    }
}
