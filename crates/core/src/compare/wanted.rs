//! What somebody wants a node to be: the sheet, or a person at the command line. Whatever is `None` is left open.

use std::net::Ipv4Addr;

use super::difference::{Difference, PortDifference};
use crate::address::Mask;
use crate::census::FoundNode;
use crate::sheet::{Firmware, Gateway, RigSheet, SheetNode, SheetPort, WantedAddress};
use crate::universe::Universe;
use crate::{DataLoss, Direction, Merge, Protocol};

/// What a node should be.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Wanted {
    /// Its name.
    pub name: Option<String>,
    /// Its label.
    pub label: Option<String>,
    /// Where its address comes from.
    pub addressing: Option<Addressing>,
    /// Its mask.
    pub mask: Option<Mask>,
    /// Its gateway; all zero for none.
    pub gateway: Option<Ipv4Addr>,
    /// Its firmware.
    pub firmware: Option<Firmware>,
    /// What it does when data stops.
    pub on_data_loss: Option<DataLoss>,
    /// Its ports.
    pub ports: Vec<WantedPort>,
    /// How many ports its kind has: with fewer heard, a page is missing. 0 when that is not known.
    pub least_ports: u32,
}

/// Where an address comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Addressing {
    /// It is fixed.
    Fixed(Ipv4Addr),
    /// A DHCP server hands it out.
    Dhcp,
}

/// What a port should be.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct WantedPort {
    /// Its number, from 1.
    pub number: u32,
    /// Which way it works.
    pub direction: Option<Direction>,
    /// Its universe, and by that its protocol.
    pub universe: Option<Universe>,
    /// Which protocol it listens to, where no universe says so.
    pub protocol: Option<Protocol>,
    /// How two sources are combined.
    pub merge: Option<Merge>,
    /// Whether RDM goes through it.
    pub rdm: Option<bool>,
    /// What it does when data stops.
    pub on_data_loss: Option<DataLoss>,
}

impl Wanted {
    /// What the sheet wants of one of its nodes.
    #[must_use]
    pub fn by_sheet(sheet: &RigSheet, node: &SheetNode) -> Self {
        let fixed = node.fixed_address();
        let network = sheet.network_of(node).filter(|_| fixed.is_some());
        Self {
            name: Some(node.name.value.clone()),
            label: node.label.as_ref().map(|label| label.value.clone()),
            addressing: match node.address.value {
                WantedAddress::Fixed(address) => Some(Addressing::Fixed(address)),
                WantedAddress::Dhcp => Some(Addressing::Dhcp),
                WantedAddress::Fill => None,
            },
            mask: network.map(|network| network.range.value.mask()),
            gateway: network.and_then(|network| network.gateway.as_ref()).map(|g| match g.value {
                Gateway(Some(address)) => address,
                Gateway(None) => Ipv4Addr::UNSPECIFIED,
            }),
            firmware: node.firmware.as_ref().map(|firmware| firmware.value),
            on_data_loss: node.on_data_loss.as_ref().map(|loss| loss.value),
            ports: node.ports.iter().map(WantedPort::by_sheet).collect(),
            least_ports: sheet.kind_of(node).map_or(0, |kind| kind.ports),
        }
    }

    /// Where a found node differs from it. What the node does not tell is not as wanted.
    #[must_use]
    pub fn differences(&self, found: &FoundNode) -> Vec<Difference> {
        let mut all = Vec::new();
        match self.addressing {
            Some(Addressing::Fixed(planned)) => {
                all.extend(Difference::of_address(planned, found));
                all.extend(Difference::of_dhcp(false, found));
            }
            Some(Addressing::Dhcp) => all.extend(Difference::of_dhcp(true, found)),
            None => {}
        }
        all.extend(self.mask.and_then(|planned| Difference::of_mask(planned, found)));
        all.extend(self.gateway.and_then(|planned| Difference::of_gateway(planned, found)));
        all.extend(self.name.as_ref().and_then(|planned| Difference::of_name(planned, found)));
        all.extend(self.label.as_ref().and_then(|planned| Difference::of_label(planned, found)));
        all.extend(self.firmware.and_then(|planned| Difference::of_firmware(planned, found)));
        all.extend(self.on_data_loss.and_then(|planned| Difference::of_data_loss(planned, found)));
        let is_whole = found.is_whole_with(self.least_ports);
        if !self.ports.is_empty() && !is_whole {
            all.push(Difference::Pages { heard: found.pages.len() });
            return all;
        }
        all.extend(self.ports.iter().flat_map(|port| port.differences(found)));
        all
    }
}

impl WantedPort {
    fn by_sheet(port: &SheetPort) -> Self {
        Self {
            number: port.number.value,
            direction: Some(port.direction),
            universe: port.universe.value.real(),
            protocol: None,
            merge: port.merge.as_ref().map(|merge| merge.value),
            rdm: port.rdm.as_ref().map(|rdm| rdm.value),
            on_data_loss: port.on_data_loss.as_ref().map(|loss| loss.value),
        }
    }

    fn differences(&self, node: &FoundNode) -> Vec<Difference> {
        let number = self.number;
        let Some((_, found)) = node.port(number) else {
            return vec![Difference::Port { number, what: PortDifference::Absent { has: node.port_count() } }];
        };
        let mut all = Vec::new();
        if let Some(planned) = self.direction.filter(|direction| found.facing(*direction).is_none()) {
            all.push(PortDifference::Direction { planned, found: found.direction });
        }
        let direction = self.direction.unwrap_or(found.direction);
        // An input sends what it sends; only outputs choose whom they listen to.
        let protocol = self.protocol.or(self.universe.map(Universe::protocol));
        if let Some(planned) = protocol.filter(|p| direction == Direction::Out && *p != found.protocol) {
            all.push(PortDifference::Protocol { planned, found: found.protocol });
        }
        if let Some(planned) = self.universe {
            let there = found.facing(direction).unwrap_or(found.universe);
            if planned.port_address() != Some(there) {
                all.push(PortDifference::Universe { planned, found: found.in_notation(there) });
            }
        }
        all.extend(self.merge.and_then(|planned| PortDifference::of_merge(planned, found)));
        all.extend(self.rdm.and_then(|planned| PortDifference::of_rdm(planned, found)));
        all.extend(self.on_data_loss.map(|planned| PortDifference::DataLoss { planned }));
        all.into_iter().map(|what| Difference::Port { number, what }).collect()
    }
}
