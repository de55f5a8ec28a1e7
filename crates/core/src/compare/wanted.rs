//! What somebody wants a node to be: the sheet, or a person at the command line. Whatever is `None` is left open.

use std::net::Ipv4Addr;

use super::difference::{Difference, PortDifference};
use crate::address::Mask;
use crate::census::FoundNode;
use crate::sheet::{Firmware, Gateway, RigSheet, SheetNode, SheetPort, WantedAddress};
use crate::universe::Universe;
use crate::{DataLoss, Direction, Merge};

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
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WantedPort {
    /// Its number, from 1.
    pub number: u32,
    /// Which way it works.
    pub direction: Option<Direction>,
    /// Its universe, and by that its protocol.
    pub universe: Option<Universe>,
    /// How two sources are combined.
    pub merge: Option<Merge>,
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
        }
    }

    /// Where a found node differs from it.
    #[must_use]
    pub fn differences(&self, found: &FoundNode) -> Vec<Difference> {
        let mut all = Vec::new();
        match self.addressing {
            Some(Addressing::Fixed(planned)) => {
                if planned != found.address {
                    all.push(Difference::Address { planned, found: found.address });
                }
                if found.dhcp {
                    all.push(Difference::Dhcp { planned: false });
                }
            }
            Some(Addressing::Dhcp) if !found.dhcp => all.push(Difference::Dhcp { planned: true }),
            Some(Addressing::Dhcp) | None => {}
        }
        if let Some(settings) = found.settings {
            if let Some(planned) = self.mask.filter(|mask| mask.dotted() != settings.mask) {
                all.push(Difference::Mask { planned, found: settings.mask });
            }
            if let Some(planned) = self.gateway.filter(|gateway| *gateway != settings.gateway) {
                all.push(Difference::Gateway { planned, found: settings.gateway });
            }
        }
        if let Some(planned) = self.name.as_ref().filter(|name| **name != found.name().raw()) {
            all.push(Difference::Name { planned: planned.clone(), found: found.name() });
        }
        if let Some(planned) = self.label.as_ref().filter(|label| **label != found.label().raw()) {
            all.push(Difference::Label { planned: planned.clone(), found: found.label() });
        }
        if let Some(planned) = self.firmware.filter(|firmware| *firmware != found.firmware) {
            all.push(Difference::Firmware { planned, found: found.firmware });
        }
        if let Some(planned) = self.on_data_loss.filter(|loss| *loss != found.on_data_loss) {
            all.push(Difference::DataLoss { planned, found: found.on_data_loss });
        }
        if !self.ports.is_empty() && !found.is_whole() {
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
            merge: port.merge.as_ref().map(|merge| merge.value),
        }
    }

    fn differences(&self, node: &FoundNode) -> Vec<Difference> {
        let number = self.number;
        let Some((_, found)) = node.port(number) else {
            return vec![Difference::Port { number, what: PortDifference::Absent { has: node.port_count() } }];
        };
        let mut all = Vec::new();
        if let Some(planned) = self.direction.filter(|direction| *direction != found.direction) {
            all.push(PortDifference::Direction { planned, found: found.direction });
        }
        if let Some(planned) = self.universe {
            let protocol = planned.protocol();
            // An input sends what it sends; only outputs choose whom they listen to.
            let is_output = self.direction.unwrap_or(found.direction) == Direction::Out;
            if is_output && protocol != found.protocol {
                all.push(PortDifference::Protocol { planned: protocol, found: found.protocol });
            }
            if planned.port_address() != Some(found.universe) {
                all.push(PortDifference::Universe { planned, found: found.universe() });
            }
        }
        if let Some(planned) = self.merge.filter(|merge| *merge != Merge::Off && *merge != found.merge) {
            all.push(PortDifference::Merge { planned, found: found.merge });
        }
        all.into_iter().map(|what| Difference::Port { number, what }).collect()
    }
}
