//! The map of a network's addresses: runs of equal state.

use std::collections::BTreeMap;
use std::fmt;
use std::net::Ipv4Addr;

use serde::Serialize;

use crate::address::{AddressRange, Role};
use crate::sheet::{Gateway, Member, Network, Placed, RigSheet};

/// What an address is on the sheet.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum AddressState {
    /// A node has it.
    Node,
    /// A desk or server has it.
    Source,
    /// A switch has it.
    Switch,
    /// The way out has it.
    Gateway,
    /// Never handed out.
    KeptFree,
    /// Handed out by DHCP.
    Pool,
    /// What stands here is never touched.
    Locked,
    /// The network's own address or its broadcast address.
    Unusable,
    /// Nothing is there.
    Free,
}

/// Addresses of equal state, one after the other.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Run {
    /// The first.
    pub first: Ipv4Addr,
    /// The last.
    pub last: Ipv4Addr,
    /// What they are.
    pub state: AddressState,
    /// The area in whose block they lie.
    pub area: Option<String>,
    /// Who has them, in their order.
    pub who: Vec<String>,
}

impl Run {
    /// How many addresses it has.
    #[must_use]
    pub fn count(&self) -> u64 {
        AddressRange::between(self.first, self.last).len()
    }
}

/// All addresses of a network, by its place in [`RigSheet::networks`], in runs.
#[must_use]
pub fn address_runs(sheet: &RigSheet, network: usize) -> Vec<Run> {
    let index = network;
    let network = &sheet.networks[index];
    let whole = AddressRange::from(network.range.value);
    let holders: BTreeMap<u32, Member<'_>> = sheet
        .members()
        .filter_map(|member| Some((member.address()?.0.fixed()?.to_bits(), member)))
        .filter(|(address, _)| whole.contains(Ipv4Addr::from_bits(*address)))
        .collect();
    let areas: Vec<(AddressRange, &str)> = sheet
        .areas
        .iter()
        .filter(|area| area.network == index)
        .filter_map(|area| Some((area.range.as_ref()?.value, area.name.value.as_str())))
        .collect();
    let mut runs: Vec<Run> = Vec::new();
    let starts = starts(network, whole, holders.keys().copied(), &areas);
    for (i, start) in starts.iter().enumerate() {
        let first = Ipv4Addr::from_bits(*start);
        let last = starts.get(i + 1).map_or(whole.last(), |next| Ipv4Addr::from_bits(next - 1));
        let holder = holders.get(start).copied();
        let state = holder.map_or_else(|| state(network, first), of_member);
        let area = areas.iter().find(|(range, _)| range.contains(first)).map(|(_, name)| (*name).to_owned());
        let who = holder.map(|member| member.name().value.clone());
        match runs.last_mut() {
            Some(run) if run.state == state && run.area == area => {
                run.last = last;
                run.who.extend(who);
            }
            _ => runs.push(Run { first, last, state, area, who: who.into_iter().collect() }),
        }
    }
    runs
}

/// Where something may change from one address to the next.
fn starts(
    network: &Network,
    whole: AddressRange,
    held: impl Iterator<Item = u32>,
    areas: &[(AddressRange, &str)],
) -> Vec<u32> {
    let mut starts = vec![whole.first().to_bits()];
    let mut edges = |range: AddressRange| {
        starts.push(range.first().to_bits());
        starts.extend(range.last().to_bits().checked_add(1));
    };
    edges(network.range.value.hosts());
    for range in network.keep_free.iter().chain(&network.dhcp).chain(&network.locked) {
        edges(range.value);
    }
    areas.iter().for_each(|(range, _)| edges(*range));
    for address in gateway(network).map(Ipv4Addr::to_bits).into_iter().chain(held) {
        edges(AddressRange::between(Ipv4Addr::from_bits(address), Ipv4Addr::from_bits(address)));
    }
    starts.retain(|start| whole.contains(Ipv4Addr::from_bits(*start)));
    starts.sort_unstable();
    starts.dedup();
    starts
}

fn gateway(network: &Network) -> Option<Ipv4Addr> {
    match network.gateway.as_ref()?.value {
        Gateway(address) => address,
    }
}

const fn of_member(member: Member<'_>) -> AddressState {
    match member {
        Member::Node(_) => AddressState::Node,
        Member::Source(_) => AddressState::Source,
        Member::Switch(_) => AddressState::Switch,
    }
}

fn state(network: &Network, address: Ipv4Addr) -> AddressState {
    let within = |ranges: &[Placed<AddressRange>]| ranges.iter().any(|range| range.value.contains(address));
    if gateway(network) == Some(address) {
        AddressState::Gateway
    } else if network.range.value.role(address) != Role::Host {
        AddressState::Unusable
    } else if within(&network.keep_free) {
        AddressState::KeptFree
    } else if within(&network.dhcp) {
        AddressState::Pool
    } else if within(&network.locked) {
        AddressState::Locked
    } else {
        AddressState::Free
    }
}

impl fmt::Display for AddressState {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(match self {
            Self::Node => "node",
            Self::Source => "source",
            Self::Switch => "switch",
            Self::Gateway => "gateway",
            Self::KeptFree => "kept free",
            Self::Pool => "DHCP pool",
            Self::Locked => "locked",
            Self::Unusable => "not usable",
            Self::Free => "free",
        })
    }
}
