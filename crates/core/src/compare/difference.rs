//! One field in which a node is not as wanted: the same words for comparing, planning, writing and the logbook.

use std::fmt;
use std::net::Ipv4Addr;

use serde::Serialize;
use serde::ser::{SerializeStruct, Serializer};

use crate::address::Mask;
use crate::census::{FoundNode, FoundPort};
use crate::sheet::Firmware;
use crate::universe::Universe;
use crate::{DataLoss, Direction, Merge, Protocol, Said};

/// One field, planned and found.
#[derive(Debug, Clone, PartialEq, Eq)]
#[allow(missing_docs, reason = "planned and found mean the same in every variant")]
pub enum Difference {
    /// The address.
    Address { planned: Ipv4Addr, found: Ipv4Addr },
    /// Whether the address comes by DHCP; found is the opposite.
    Dhcp { planned: bool },
    /// The subnet mask.
    Mask { planned: Mask, found: Ipv4Addr },
    /// The gateway; all zero for none.
    Gateway { planned: Ipv4Addr, found: Ipv4Addr },
    /// The name.
    Name { planned: String, found: Said },
    /// The label.
    Label { planned: String, found: Said },
    /// The firmware. Not set from here.
    Firmware { planned: Firmware, found: Firmware },
    /// What happens when data stops.
    DataLoss { planned: DataLoss, found: DataLoss },
    /// Not every page was heard, so nothing can be said of its ports.
    Pages { heard: usize },
    /// Something about a port.
    Port { number: u32, what: PortDifference },
}

/// What is different about a port.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs, reason = "planned and found mean the same in every variant")]
pub enum PortDifference {
    /// The node has no such port.
    Absent { has: u32 },
    /// Input or output.
    Direction { planned: Direction, found: Direction },
    /// Art-Net or sACN.
    Protocol { planned: Protocol, found: Protocol },
    /// The universe.
    Universe { planned: Universe, found: Universe },
    /// How sources are combined.
    Merge { planned: Merge, found: Merge },
}

impl Difference {
    /// Which field it is.
    #[must_use]
    pub fn field(&self) -> String {
        let name = match self {
            Self::Address { .. } => "address",
            Self::Dhcp { .. } => "addressing",
            Self::Mask { .. } => "mask",
            Self::Gateway { .. } => "gateway",
            Self::Name { .. } => "name",
            Self::Label { .. } => "label",
            Self::Firmware { .. } => "firmware",
            Self::DataLoss { .. } => "on data loss",
            Self::Pages { .. } => "pages",
            Self::Port { number, what } => return format!("port {number}{}", what.field()),
        };
        name.to_owned()
    }

    /// What is planned, in words.
    #[must_use]
    pub fn planned(&self) -> String {
        match self {
            Self::Address { planned, .. } => planned.to_string(),
            Self::Dhcp { planned } => addressing(*planned),
            Self::Mask { planned, .. } => planned.to_string(),
            Self::Gateway { planned, .. } => gateway(*planned),
            Self::Name { planned, .. } | Self::Label { planned, .. } => planned.clone(),
            Self::Firmware { planned, .. } => planned.to_string(),
            Self::DataLoss { planned, .. } => planned.to_string(),
            Self::Pages { .. } => "all heard".to_owned(),
            Self::Port { what, .. } => what.planned(),
        }
    }

    /// What was found, in words.
    #[must_use]
    pub fn found(&self) -> String {
        match self {
            Self::Address { found, .. } | Self::Mask { found, .. } => found.to_string(),
            Self::Dhcp { planned } => addressing(!planned),
            Self::Gateway { found, .. } => gateway(*found),
            Self::Name { found, .. } | Self::Label { found, .. } => {
                if found.is_empty() {
                    "(empty)".to_owned()
                } else {
                    found.to_string()
                }
            }
            Self::Firmware { found, .. } => found.to_string(),
            Self::DataLoss { found, .. } => found.to_string(),
            Self::Pages { heard } => format!("{heard} heard"),
            Self::Port { what, .. } => what.found(),
        }
    }

    /// Whether `node` is now as planned in this field. What it does not tell is not as planned.
    #[must_use]
    pub fn is_gone_from(&self, node: &FoundNode) -> bool {
        match self {
            Self::Address { planned, .. } => node.address == *planned,
            Self::Dhcp { planned } => node.dhcp == *planned,
            Self::Mask { planned, .. } => node.settings.is_some_and(|s| s.mask == planned.dotted()),
            Self::Gateway { planned, .. } => node.settings.is_some_and(|s| s.gateway == *planned),
            Self::Name { planned, .. } => node.name().raw() == planned,
            Self::Label { planned, .. } => node.label().raw() == planned,
            Self::Firmware { planned, .. } => node.firmware == *planned,
            Self::DataLoss { planned, .. } => node.on_data_loss == *planned,
            Self::Pages { .. } => node.is_whole(),
            Self::Port { number, what } => node.port(*number).is_some_and(|(_, port)| what.is_gone_from(port)),
        }
    }

    /// Whether it is about address, mask or gateway, which are written together.
    #[must_use]
    pub const fn is_ip(&self) -> bool {
        matches!(self, Self::Address { .. } | Self::Dhcp { .. } | Self::Mask { .. } | Self::Gateway { .. })
    }
}

impl PortDifference {
    fn is_gone_from(self, port: &FoundPort) -> bool {
        match self {
            Self::Absent { .. } => true,
            Self::Direction { planned, .. } => port.direction == planned,
            Self::Protocol { planned, .. } => port.protocol == planned,
            Self::Universe { planned, .. } => Some(port.universe) == planned.port_address(),
            Self::Merge { planned, .. } => port.merge == planned,
        }
    }

    const fn field(self) -> &'static str {
        match self {
            Self::Absent { .. } => "",
            Self::Direction { .. } => " direction",
            Self::Protocol { .. } => " protocol",
            Self::Universe { .. } => " universe",
            Self::Merge { .. } => " merge",
        }
    }

    fn planned(self) -> String {
        match self {
            Self::Absent { .. } => "there".to_owned(),
            Self::Direction { planned, .. } => planned.to_string(),
            Self::Protocol { planned, .. } => planned.to_string(),
            Self::Universe { planned, .. } => planned.to_string(),
            Self::Merge { planned, .. } => planned.to_string(),
        }
    }

    fn found(self) -> String {
        match self {
            Self::Absent { has } => format!("only {has} ports"),
            Self::Direction { found, .. } => found.to_string(),
            Self::Protocol { found, .. } => found.to_string(),
            Self::Universe { found, .. } => found.to_string(),
            Self::Merge { found, .. } => found.to_string(),
        }
    }
}

fn addressing(dhcp: bool) -> String {
    if dhcp { "by DHCP" } else { "fixed" }.to_owned()
}

fn gateway(address: Ipv4Addr) -> String {
    if address.is_unspecified() { "none".to_owned() } else { address.to_string() }
}

impl fmt::Display for Difference {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Port { number, what: PortDifference::Absent { has } } => {
                return write!(f, "port {number} is planned, the node states {has}");
            }
            Self::Pages { heard } => return write!(f, "only {heard} of its pages heard, look again"),
            _ => {}
        }
        write!(f, "{} is {}, planned {}", self.field(), self.found(), self.planned())
    }
}

impl Serialize for Difference {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        let mut object = to.serialize_struct("Difference", 3)?;
        object.serialize_field("field", &self.field())?;
        object.serialize_field("planned", &self.planned())?;
        object.serialize_field("found", &self.found())?;
        object.end()
    }
}
