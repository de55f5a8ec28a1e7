//! Which part of a sheet, and of each device, somebody means.

use std::fmt;

use serde::{Deserialize, Serialize};

use crate::facts::{Field, PortField};
use crate::pattern::Pattern;
use crate::sheet::{RigSheet, SheetNode};

/// A part of what could be changed. Where nothing is named, everything is meant.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Part {
    /// Devices by name.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub nodes: Vec<Pattern>,
    /// Areas of the sheet by name.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub areas: Vec<String>,
    /// Aspects of a device.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub only: Vec<Aspect>,
}

/// One sort of settings.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Aspect {
    /// Address, mask, gateway, DHCP.
    Addresses,
    /// Name and label.
    Names,
    /// Universe, direction and protocol of each port; start address and mode of fixtures.
    Universes,
    /// What happens on data loss, how sources are combined, RDM.
    Behaviour,
    /// What is sent and received, and which channel goes where.
    Streams,
}

impl Aspect {
    /// Their words.
    pub const WORDS: [(&'static str, Self); 5] = [
        ("addresses", Self::Addresses),
        ("names", Self::Names),
        ("universes", Self::Universes),
        ("behaviour", Self::Behaviour),
        ("streams", Self::Streams),
    ];

    /// The one that `field` belongs to; `None` for what is only told.
    const fn of(field: Field) -> Option<Self> {
        match field {
            Field::Address
            | Field::Addressing
            | Field::Mask
            | Field::Gateway
            | Field::NameServer
            | Field::Scope
            | Field::Broker
            | Field::FactoryNetwork => Some(Self::Addresses),
            Field::Name
            | Field::HostName
            | Field::Label
            | Field::Location
            | Field::Contact
            | Field::Port(_, PortField::Label) => Some(Self::Names),
            Field::Port(
                _,
                PortField::Presence | PortField::Direction | PortField::Protocol | PortField::Universe,
            )
            | Field::Pages
            | Field::Cable
            | Field::StartAddress
            | Field::Mode
            | Field::ModeName
            | Field::Footprint => Some(Self::Universes),
            Field::Reading(_)
            | Field::OnDataLoss
            | Field::Indicators
            | Field::Setting(_)
            | Field::Own(_)
            | Field::SacnPriority
            | Field::Merging
            | Field::LossScene
            | Field::Port(
                _,
                PortField::Merge
                | PortField::Rdm
                | PortField::Input
                | PortField::OnDataLoss
                | PortField::Indicators,
            ) => Some(Self::Behaviour),
            Field::Enabled | Field::Sender | Field::Group | Field::SecondGroup | Field::Channel(_) => {
                Some(Self::Streams)
            }
            _ => None,
        }
    }
}

impl Part {
    /// Whether everything is meant.
    #[must_use]
    pub fn is_everything(&self) -> bool {
        self.nodes.is_empty() && self.areas.is_empty() && self.only.is_empty()
    }

    /// Whether a device that has one of these names is meant.
    #[must_use]
    pub fn names(&self, names: &[&str]) -> bool {
        self.nodes.is_empty() || self.nodes.iter().any(|node| names.iter().any(|name| node.matches(name)))
    }

    /// Whether this area is meant; `None` for a device that is in none.
    #[must_use]
    pub fn has_area(&self, area: Option<&str>) -> bool {
        self.areas.is_empty() || area.is_some_and(|area| self.areas.iter().any(|one| one == area))
    }

    /// Whether this node of the sheet is meant, by its name and its area.
    #[must_use]
    pub fn means(&self, sheet: Option<&RigSheet>, planned: &SheetNode) -> bool {
        let area = sheet.and_then(|sheet| sheet.area_of(planned)).map(|area| area.name.value.as_str());
        self.names(&[&planned.name.value]) && self.has_area(area)
    }

    /// Whether this field is meant.
    #[must_use]
    pub fn has(&self, field: Field) -> bool {
        self.only.is_empty() || Aspect::of(field).is_some_and(|aspect| self.only.contains(&aspect))
    }
}

impl fmt::Display for Part {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let mut parts: Vec<String> = self.nodes.iter().map(|node| node.text().to_owned()).collect();
        parts.extend(self.areas.iter().map(|area| format!("area {area}")));
        let word = |aspect: &Aspect| Aspect::WORDS.iter().find(|(_, one)| one == aspect).map(|(word, _)| *word);
        parts.extend(self.only.iter().filter_map(|aspect| Some(format!("only {}", word(aspect)?))));
        f.write_str(&if parts.is_empty() { "everything".to_owned() } else { parts.join(", ") })
    }
}
