//! One field in which a node is not as wanted: the same words for comparing, planning, writing and the logbook.

use std::fmt;
use std::net::Ipv4Addr;

use serde::Serialize;
use serde::ser::{SerializeStruct, Serializer};

use super::Known;
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
    /// Whether the address comes by DHCP.
    Dhcp { planned: bool, found: Known<bool> },
    /// The subnet mask.
    Mask { planned: Mask, found: Known<Ipv4Addr> },
    /// The gateway; all zero for none.
    Gateway { planned: Ipv4Addr, found: Known<Ipv4Addr> },
    /// The name.
    Name { planned: String, found: Said },
    /// The label.
    Label { planned: String, found: Said },
    /// The firmware. Not set from here.
    Firmware { planned: Firmware, found: Firmware },
    /// What happens when data stops.
    DataLoss { planned: DataLoss, found: Known<DataLoss> },
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
    /// How sources are combined. That they are not is nothing Art-Net tells.
    Merge { planned: Merge, found: Known<Merge> },
    /// Whether RDM goes through it.
    Rdm { planned: bool, found: Known<bool> },
    /// What this port does when data stops. Art-Net tells it of whole nodes only.
    DataLoss { planned: DataLoss },
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
            Self::Dhcp { planned, .. } => addressing(*planned),
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
            Self::Address { found, .. } => found.to_string(),
            Self::Mask { found, .. } => found.to_string(),
            Self::Dhcp { found, .. } => found.in_words(|dhcp| addressing(*dhcp)),
            Self::Gateway { found, .. } => found.in_words(|address| gateway(*address)),
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

    /// The same field as `node` tells it now; `None` when it is as planned.
    #[must_use]
    pub fn against(&self, node: &FoundNode) -> Option<Self> {
        match self {
            Self::Address { planned, .. } => Self::of_address(*planned, node),
            Self::Dhcp { planned, .. } => Self::of_dhcp(*planned, node),
            Self::Mask { planned, .. } => Self::of_mask(*planned, node),
            Self::Gateway { planned, .. } => Self::of_gateway(*planned, node),
            Self::Name { planned, .. } => Self::of_name(planned, node),
            Self::Label { planned, .. } => Self::of_label(planned, node),
            Self::Firmware { planned, .. } => Self::of_firmware(*planned, node),
            Self::DataLoss { planned, .. } => Self::of_data_loss(*planned, node),
            Self::Pages { .. } => (!node.is_whole()).then_some(Self::Pages { heard: node.pages.len() }),
            Self::Port { number, what } => {
                let now = node.port(*number).and_then(|(_, port)| what.against(port))?;
                Some(Self::Port { number: *number, what: now })
            }
        }
    }

    pub(super) fn of_address(planned: Ipv4Addr, node: &FoundNode) -> Option<Self> {
        (planned != node.address).then_some(Self::Address { planned, found: node.address })
    }

    pub(super) fn of_dhcp(planned: bool, node: &FoundNode) -> Option<Self> {
        (node.dhcp != Some(planned)).then(|| Self::Dhcp { planned, found: Known::told(node.dhcp) })
    }

    pub(super) fn of_mask(planned: Mask, node: &FoundNode) -> Option<Self> {
        let told = node.settings.map(|settings| settings.mask);
        (told != Some(planned.dotted())).then(|| Self::Mask { planned, found: Known::told(told) })
    }

    pub(super) fn of_gateway(planned: Ipv4Addr, node: &FoundNode) -> Option<Self> {
        let told = node.settings.map(|settings| settings.gateway);
        (told != Some(planned)).then(|| Self::Gateway { planned, found: Known::told(told) })
    }

    pub(super) fn of_name(planned: &str, node: &FoundNode) -> Option<Self> {
        let found = node.name();
        (!says(&found, planned)).then(|| Self::Name { planned: planned.to_owned(), found })
    }

    pub(super) fn of_label(planned: &str, node: &FoundNode) -> Option<Self> {
        let found = node.label();
        (!says(&found, planned)).then(|| Self::Label { planned: planned.to_owned(), found })
    }

    pub(super) fn of_firmware(planned: Firmware, node: &FoundNode) -> Option<Self> {
        (planned != node.firmware).then_some(Self::Firmware { planned, found: node.firmware })
    }

    pub(super) fn of_data_loss(planned: DataLoss, node: &FoundNode) -> Option<Self> {
        (node.on_data_loss != Some(planned))
            .then(|| Self::DataLoss { planned, found: Known::told(node.on_data_loss) })
    }

    /// Whether the node tells something else than planned. Otherwise it tells nothing of this field.
    #[must_use]
    pub const fn is_told(&self) -> bool {
        !self.is_untold() && !self.cannot_be_told()
    }

    /// Whether the node could tell this field, and did not.
    #[must_use]
    pub const fn is_untold(&self) -> bool {
        matches!(
            self,
            Self::Dhcp { found: Known::Untold, .. }
                | Self::Mask { found: Known::Untold, .. }
                | Self::Gateway { found: Known::Untold, .. }
                | Self::DataLoss { found: Known::Untold, .. }
                | Self::Port {
                    what: PortDifference::Merge { found: Known::Untold, .. }
                        | PortDifference::Rdm { found: Known::Untold, .. },
                    ..
                }
        )
    }

    /// Whether no message of the protocol tells this field, so that it can neither be set nor checked from here.
    #[must_use]
    pub const fn cannot_be_told(&self) -> bool {
        matches!(
            self,
            Self::Port {
                what: PortDifference::Merge { found: Known::CannotTell, .. } | PortDifference::DataLoss { .. },
                ..
            }
        )
    }

    /// Of a text: whether the node keeps only the beginning of what is planned.
    #[must_use]
    pub fn is_cut_short(&self) -> bool {
        match self {
            Self::Name { planned, found } | Self::Label { planned, found } => {
                !found.is_empty() && planned.starts_with(found.raw())
            }
            _ => false,
        }
    }

    /// Whether it is about address, mask or gateway, which are written together.
    #[must_use]
    pub const fn is_ip(&self) -> bool {
        matches!(self, Self::Address { .. } | Self::Dhcp { .. } | Self::Mask { .. } | Self::Gateway { .. })
    }
}

impl PortDifference {
    fn against(self, port: &FoundPort) -> Option<Self> {
        match self {
            Self::Absent { .. } => None,
            Self::Direction { planned, .. } => {
                port.facing(planned).is_none().then_some(Self::Direction { planned, found: port.direction })
            }
            Self::Protocol { planned, .. } => {
                (port.protocol != planned).then_some(Self::Protocol { planned, found: port.protocol })
            }
            Self::Universe { planned, .. } => {
                let faces = [Some(port.universe), port.also_in];
                let differs = !faces.into_iter().flatten().any(|there| planned.port_address() == Some(there));
                differs.then(|| Self::Universe { planned, found: port.universe() })
            }
            Self::Merge { planned, .. } => Self::of_merge(planned, port),
            Self::Rdm { planned, .. } => Self::of_rdm(planned, port),
            Self::DataLoss { planned } => Some(Self::DataLoss { planned }),
        }
    }

    pub(super) fn of_merge(planned: Merge, port: &FoundPort) -> Option<Self> {
        let found = if planned == Merge::Off || port.direction == Direction::In {
            Known::CannotTell
        } else {
            Known::Told(port.merge)
        };
        (found != Known::Told(planned)).then_some(Self::Merge { planned, found })
    }

    pub(super) fn of_rdm(planned: bool, port: &FoundPort) -> Option<Self> {
        (port.rdm != Some(planned)).then(|| Self::Rdm { planned, found: Known::told(port.rdm) })
    }

    const fn field(self) -> &'static str {
        match self {
            Self::Absent { .. } => "",
            Self::Direction { .. } => " direction",
            Self::Protocol { .. } => " protocol",
            Self::Universe { .. } => " universe",
            Self::Merge { .. } => " merge",
            Self::Rdm { .. } => " RDM",
            Self::DataLoss { .. } => " on data loss",
        }
    }

    fn planned(self) -> String {
        match self {
            Self::Absent { .. } => "there".to_owned(),
            Self::Direction { planned, .. } => planned.to_string(),
            Self::Protocol { planned, .. } => planned.to_string(),
            Self::Universe { planned, .. } => planned.to_string(),
            Self::Merge { planned, .. } => planned.to_string(),
            Self::Rdm { planned, .. } => on_or_off(planned),
            Self::DataLoss { planned } => planned.to_string(),
        }
    }

    fn found(self) -> String {
        match self {
            Self::Absent { has } => format!("only {has} ports"),
            Self::Direction { found, .. } => found.to_string(),
            Self::Protocol { found, .. } => found.to_string(),
            Self::Universe { found, .. } => found.to_string(),
            Self::Merge { found, .. } => found.to_string(),
            Self::Rdm { found, .. } => found.in_words(|on| on_or_off(*on)),
            Self::DataLoss { .. } => Known::<DataLoss>::CannotTell.to_string(),
        }
    }
}

fn on_or_off(on: bool) -> String {
    if on { "on" } else { "off" }.to_owned()
}

/// Whether a text is the planned one. A sheet written from what was found holds what cannot be shown as it was escaped.
fn says(found: &Said, planned: &str) -> bool {
    let planned = planned.trim_end_matches(' ');
    found.raw() == planned || found.to_string() == planned
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
        let (field, planned) = (self.field(), self.planned());
        if self.is_untold() {
            write!(f, "did not tell its {field}, planned {planned}")
        } else if self.cannot_be_told() {
            write!(f, "{field} cannot be checked by Art-Net, planned {planned}")
        } else {
            write!(f, "{field} is {}, planned {planned}", self.found())
        }
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
