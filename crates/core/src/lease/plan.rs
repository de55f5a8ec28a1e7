//! Who is to get which address.

use std::collections::{HashMap, HashSet};
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;

use crate::address::{AddressRange, Mask, Seat, Subnet};
use crate::exchange::host_name;
use crate::sheet::kind::FactoryMode;
use crate::sheet::{Member, Network, RigSheet};

/// The most addresses a pool has: as many strangers are remembered.
const LARGEST_POOL: u64 = 4096;

/// What somebody is told with an address.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Terms {
    /// The address.
    pub address: Ipv4Addr,
    /// The mask of its network.
    pub mask: Mask,
    /// The way out, where the network has one.
    pub gateway: Option<Ipv4Addr>,
    /// What it shall be called (RFC 1123, section 2.1); empty for nothing.
    pub host_name: String,
}

/// A device of the sheet that is to get its address.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Place {
    /// What the sheet calls it.
    pub name: String,
    /// Its MAC address, where the sheet says it.
    pub mac: Option<MacAddress>,
    /// Whether the sheet has a place for it to say that.
    pub can_state_mac: bool,
    /// Whether units of its kind are known to have a fixed address as they leave the factory: then they do not ask for one.
    pub is_fixed: bool,
    /// What it is given.
    pub terms: Terms,
}

/// What somebody wishes besides the sheet.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct LeaseWishes {
    /// The devices, by name, that the next strangers to ask are, in this order.
    pub next: Vec<String>,
    /// Which device hangs on which port, as the switch calls the port.
    pub circuits: Vec<(String, String)>,
    /// What strangers are given.
    pub pool: Option<AddressRange>,
}

/// Who is to get what.
#[derive(Debug, Clone, Default)]
pub struct LeasePlan {
    /// The devices of the sheet with a fixed address.
    pub places: Vec<Place>,
    /// Those that strangers are taken for, by their place in [`Self::places`]: the first to ask is the first.
    pub next: Vec<usize>,
    /// Which of them hangs on which port.
    pub circuits: Vec<(String, usize)>,
    /// What other strangers are given.
    pub pool: Vec<Terms>,
    /// Whom nothing is ever said to.
    pub locked: HashSet<MacAddress>,
    /// Which of [`Self::places`] has this MAC address.
    pub by_mac: HashMap<MacAddress, usize>,
}

impl LeasePlan {
    /// What the sheet and these wishes come to. Whoever stands in a locked range is left out.
    ///
    /// # Errors
    /// A name that no device with a fixed address has.
    pub fn by_sheet(sheet: &RigSheet, wishes: &LeaseWishes) -> Result<Self, String> {
        let meant = |member: &Member<'_>| {
            member.fixed_address().is_some_and(|address| !sheet.is_locked(address, mac_of(*member)))
        };
        let places: Vec<Place> =
            sheet.members().filter(meant).filter_map(|member| Place::of(sheet, member)).collect();
        let place_of = |name: &String| places.iter().position(|place| place.name == *name).ok_or(name.clone());
        let next = wishes.next.iter().map(place_of).collect::<Result<_, _>>()?;
        let circuits = wishes.circuits.iter().map(|(port, name)| Ok((port.clone(), place_of(name)?)));
        let circuits = circuits.collect::<Result<_, String>>()?;
        let by_mac = places.iter().enumerate().filter_map(|(at, place)| Some((place.mac?, at))).collect();
        let locked = sheet.networks.iter().flat_map(|network| &network.locked_devices);
        let locked_there = sheet.members().filter(|member| !meant(member) && member.fixed_address().is_some());
        let locked = locked.map(|mac| mac.value).chain(locked_there.filter_map(mac_of)).collect();
        let pool = wishes.pool.map(|pool| pool_of(sheet, pool, &places)).unwrap_or_default();
        Ok(Self { places, next, circuits, pool, locked, by_mac })
    }

    /// Whether this place gets its address as things are, without anybody adding to the sheet.
    #[must_use]
    pub fn is_awaited(&self, place: usize) -> bool {
        (self.places[place].mac.is_some() && !self.places[place].is_fixed)
            || self.next.contains(&place)
            || self.circuits.iter().any(|(_, of)| *of == place)
    }

    /// Whether a client on these seats' cables, or behind this relay, can be given an address there: one that this computer has
    /// itself cannot.
    #[must_use]
    pub fn can_give(seats: &[Seat], relay: Ipv4Addr, terms: &Terms) -> bool {
        let is_own = seats.iter().any(|seat| seat.own == terms.address);
        let is_near = if relay.is_unspecified() {
            Seat::beside(seats, terms.address).is_some()
        } else {
            Subnet::around(relay, terms.mask).contains(terms.address)
        };
        is_near && !is_own
    }

    /// The places that get their address from these seats as things are.
    pub fn awaited<'p>(&'p self, seats: &'p [Seat]) -> impl Iterator<Item = usize> + 'p {
        let nowhere = Ipv4Addr::UNSPECIFIED;
        (0..self.places.len())
            .filter(move |at| self.is_awaited(*at) && Self::can_give(seats, nowhere, &self.places[*at].terms))
    }
}

impl Place {
    fn of(sheet: &RigSheet, member: Member<'_>) -> Option<Self> {
        let (wanted, _) = member.address()?;
        let network = &sheet.networks[sheet.network_at(member.area(), wanted)?];
        let name = member.name().value.clone();
        let terms = Terms { host_name: host_name(&name), ..Terms::within(network, wanted.fixed()?) };
        let kind = match member {
            Member::Node(node) => sheet.kind_of(node),
            Member::Source(_) | Member::Switch(_) => None,
        };
        let is_fixed = kind.is_some_and(|kind| kind.factory_mode == FactoryMode::Fixed && kind.factory.is_some());
        let can_state_mac = matches!(member, Member::Node(_));
        Some(Self { name, mac: mac_of(member), can_state_mac, is_fixed, terms })
    }
}

impl Terms {
    /// What goes with an address of this network, given to nobody in particular.
    fn within(network: &Network, address: Ipv4Addr) -> Self {
        Self { address, mask: network.range.value.mask(), gateway: network.way_out(), host_name: String::new() }
    }
}

/// The MAC address of a member; only nodes have one on the sheet.
fn mac_of(member: Member<'_>) -> Option<MacAddress> {
    match member {
        Member::Node(node) => node.mac.as_ref().map(|mac| mac.value),
        Member::Source(_) | Member::Switch(_) => None,
    }
}

/// What may be given of a pool: what no device is planned at.
fn pool_of(sheet: &RigSheet, pool: AddressRange, places: &[Place]) -> Vec<Terms> {
    let planned: HashSet<Ipv4Addr> = places.iter().map(|place| place.terms.address).collect();
    let all = (0..pool.len().min(LARGEST_POOL)).filter_map(|n| pool.nth(n));
    let free = all.filter(|address| !planned.contains(address) && !sheet.is_locked(*address, None));
    let terms = |address: Ipv4Addr| {
        let network = sheet.networks.iter().find(|network| network.range.value.contains(address))?;
        let is_host = network.range.value.hosts().contains(address) && network.way_out() != Some(address);
        is_host.then(|| Terms::within(network, address))
    };
    free.filter_map(terms).collect()
}
