//! What a device is, from everything it told: its name, and what it does in words.

use std::collections::{BTreeSet, HashMap};
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;

use super::meaning::Meaning;
use super::{Census, FoundNode, SeenBy, Way};
use crate::Said;

/// Names and roles by address and by MAC address.
#[derive(Debug, Default)]
pub(super) struct Roles {
    by_address: HashMap<Ipv4Addr, Role>,
    by_mac: HashMap<MacAddress, Role>,
}

#[derive(Debug, Default)]
struct Role {
    name: Option<Said>,
    what: BTreeSet<String>,
}

impl Roles {
    pub(super) fn of(census: &Census) -> Self {
        let mut roles = Self::default();
        let surroundings = census.surroundings.sorted();
        for port in surroundings.switch_ports {
            roles.at(Some(port.mac), Ipv4Addr::UNSPECIFIED).take(Some(port.switch), "switch");
        }
        for source in census.sources() {
            let what = format!("{} source", source.protocol);
            roles.at(source.mac, source.address).take(Some(source.name), &what);
        }
        for stream in census.streams() {
            let what = match stream.kind.raw() {
                "audio" => "sound sender",
                "video" => "picture sender",
                _ => "stream sender",
            };
            roles.at(stream.mac, stream.sender).take(None, what);
        }
        for service in census.services() {
            let name = if service.host.is_empty() { service.name } else { service.host };
            let role = roles.at(service.mac, service.address);
            role.take(
                Some(name),
                &service.meaning.map_or_else(String::new, |meaning: Meaning| meaning.to_string()),
            );
        }
        for unit in census.units() {
            roles.at(unit.mac, unit.address).take(Some(unit.name()), unit.what.raw());
        }
        for server in &surroundings.dhcp_servers {
            roles.at(server.mac, server.address).take(None, "DHCP server");
        }
        for client in &surroundings.dhcp_clients {
            let class = if client.class.is_empty() { String::new() } else { format!(" ({})", client.class.raw()) };
            let what = format!("asks for an address{class}");
            roles.at(Some(client.mac), Ipv4Addr::UNSPECIFIED).take(Some(client.name.clone()), &what);
        }
        for clock in &surroundings.clocks {
            let what = if clock.is_grandmaster() { "PTP grandmaster" } else { "PTP boundary clock" };
            roles.at(clock.mac, clock.address).take(None, what);
        }
        for querier in &surroundings.queriers {
            roles.at(querier.mac, querier.address).take(None, "IGMP querier");
        }
        roles
    }

    fn at(&mut self, mac: Option<MacAddress>, address: Ipv4Addr) -> &mut Role {
        match mac {
            Some(mac) => self.by_mac.entry(mac).or_default(),
            None => self.by_address.entry(address).or_default(),
        }
    }

    /// Name and description of a device.
    pub(super) fn of_device(
        &self,
        node: Option<&FoundNode>,
        mac: Option<MacAddress>,
        addresses: &BTreeSet<Ipv4Addr>,
        seen_by: &[SeenBy],
    ) -> (Said, Said) {
        let by_mac = mac.and_then(|mac| self.by_mac.get(&mac));
        let roles: Vec<&Role> = by_mac
            .into_iter()
            .chain(addresses.iter().filter_map(|address| self.by_address.get(address)))
            .collect();
        let told = roles.iter().find_map(|role| role.name.clone()).unwrap_or_default();
        let name = node.map(FoundNode::name).filter(|name| !name.is_empty()).unwrap_or(told);
        let mut what: Vec<String> = node.map(FoundNode::model).into_iter().collect();
        what.extend(roles.iter().flat_map(|role| &role.what).cloned().collect::<BTreeSet<_>>());
        if what.is_empty() && seen_by.iter().any(|seen| seen.way == Way::ArtNet) {
            what.push("Art-Net controller".to_owned());
        }
        (name, what.join(", ").into())
    }
}

impl Role {
    fn take(&mut self, name: Option<Said>, what: &str) {
        if let Some(name) = name.filter(|name| !name.is_empty()) {
            self.name.get_or_insert(name);
        }
        if !what.is_empty() {
            self.what.insert(what.to_owned());
        }
    }
}
