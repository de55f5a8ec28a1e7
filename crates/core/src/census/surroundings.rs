//! What the network around the devices is: the switch at the other end, who asks for groups, who gives addresses and who
//! asks for one.

use std::net::Ipv4Addr;

use lantern_wire::{Lldp, MacAddress};
use serde::{Deserialize, Serialize};

use super::Clock;
use crate::{Said, as_text};

/// The network around the devices.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Surroundings {
    /// Who told by LLDP that this cable ends at it.
    pub switch_ports: Vec<SwitchPort>,
    /// Who asks for groups.
    pub queriers: Vec<Querier>,
    /// Who wants which group.
    #[serde(default)]
    pub listeners: Vec<Listener>,
    /// Who gives addresses.
    pub dhcp_servers: Vec<DhcpServer>,
    /// Who asks for one.
    #[serde(default)]
    pub dhcp_clients: Vec<DhcpClient>,
    /// Which clocks are announced.
    #[serde(default)]
    pub clocks: Vec<Clock>,
}

/// The port at the other end of this computer's cable.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct SwitchPort {
    /// The MAC address it speaks from.
    #[serde(with = "as_text")]
    pub mac: MacAddress,
    /// What the switch calls itself.
    pub switch: Said,
    /// Which of its ports it is.
    pub port: Said,
    /// The address it is managed at.
    pub address: Option<Ipv4Addr>,
    /// What it is.
    pub description: Option<Said>,
}

/// Who asks for groups.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Querier {
    /// Its address; all zero for a switch that has none.
    pub address: Ipv4Addr,
    /// Its MAC address, where frames are seen.
    #[serde(with = "as_text::option")]
    pub mac: Option<MacAddress>,
    /// Version of IGMP.
    pub version: u8,
}

/// Somebody who wants to hear a group. Where switches pass groups on only to those who want them, most of them are not seen.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Listener {
    /// The group.
    pub group: Ipv4Addr,
    /// Who wants it.
    pub address: Ipv4Addr,
    /// The MAC address it spoke from, where frames are seen.
    #[serde(with = "as_text::option")]
    pub mac: Option<MacAddress>,
}

/// Who gives addresses.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct DhcpServer {
    /// Its address.
    pub address: Ipv4Addr,
    /// The MAC address it spoke from, where frames are seen.
    #[serde(with = "as_text::option")]
    pub mac: Option<MacAddress>,
}

/// Who asks for an address by DHCP.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct DhcpClient {
    /// Its MAC address.
    #[serde(with = "as_text")]
    pub mac: MacAddress,
    /// What it calls itself; may be empty.
    pub name: Said,
    /// What it says it is; may be empty.
    pub class: Said,
}

impl Surroundings {
    /// The most of each kind.
    const MOST: usize = 256;
    /// The most wishes for a group: a device has many.
    const MOST_WISHES: usize = 1024;

    pub(crate) fn take_lldp(&mut self, lldp: &Lldp) {
        // A switch that goes says so by leaving no time.
        if lldp.seconds == 0 {
            self.switch_ports.retain(|port| port.mac != lldp.from);
            return;
        }
        let name = lldp.name.as_deref().filter(|name| !name.is_empty());
        let port = lldp.port_description.as_deref().filter(|text| !text.is_empty() && *text != lldp.port);
        let port = port.map_or_else(|| lldp.port.clone(), |text| format!("{} ({text})", lldp.port));
        let told = SwitchPort {
            mac: lldp.from,
            switch: name.unwrap_or(&lldp.chassis).into(),
            port: port.into(),
            address: lldp.management,
            description: lldp.description.as_deref().map(Said::from),
        };
        put(&mut self.switch_ports, told, |a, b| a.mac == b.mac);
    }

    pub(crate) fn take_querier(&mut self, querier: Querier) {
        put(&mut self.queriers, querier, |a, b| (a.address, a.mac) == (b.address, b.mac));
    }

    /// Groups in which only the network speaks with itself are nobody's wish (RFC 5771, sections 4 and 5).
    pub(crate) fn take_groups(
        &mut self,
        (address, mac): (Ipv4Addr, Option<MacAddress>),
        wants: &[Ipv4Addr],
        leaves: &[Ipv4Addr],
    ) {
        self.listeners.retain(|one| (one.address, one.mac) != (address, mac) || !leaves.contains(&one.group));
        let is_of_the_network = |group: &Ipv4Addr| matches!(group.octets(), [224, 0, 0 | 1, _]);
        for group in wants.iter().filter(|group| group.is_multicast() && !is_of_the_network(group)) {
            let wish = Listener { group: *group, address, mac };
            if self.listeners.len() < Self::MOST_WISHES && !self.listeners.contains(&wish) {
                self.listeners.push(wish);
            }
        }
    }

    pub(crate) fn take_dhcp_server(&mut self, server: DhcpServer) {
        put(&mut self.dhcp_servers, server, |a, b| a.address == b.address && (a.mac == b.mac || b.mac.is_none()));
    }

    pub(crate) fn take_dhcp_client(&mut self, client: DhcpClient) {
        put(&mut self.dhcp_clients, client, |a, b| a.mac == b.mac);
    }

    pub(crate) fn take_clock(&mut self, clock: Clock) {
        let known = self.clocks.iter().position(|known| known.is_as(&clock));
        let first = known.map_or(clock.first, |known| self.clocks[known].first);
        put(&mut self.clocks, Clock { first, ..clock }, Clock::is_as);
    }

    /// The same in a fixed order, whoever was heard first.
    pub(crate) fn sorted(&self) -> Self {
        let mut sorted = self.clone();
        sorted.switch_ports.sort_by_key(|port| port.mac);
        sorted.queriers.sort_by_key(|querier| (querier.address, querier.mac));
        sorted.listeners.sort_by_key(|one| (one.group, one.address, one.mac));
        sorted.dhcp_servers.sort_by_key(|server| (server.address, server.mac));
        sorted.dhcp_clients.sort_by_key(|client| client.mac);
        sorted.clocks.sort_by_key(|clock| (clock.domain, clock.grandmaster, clock.announced_by, clock.mac));
        sorted
    }
}

fn put<T>(all: &mut Vec<T>, new: T, same: impl Fn(&T, &T) -> bool) {
    match all.iter().position(|known| same(known, &new)) {
        Some(known) => all[known] = new,
        None if all.len() < Surroundings::MOST => all.push(new),
        None => {}
    }
}
