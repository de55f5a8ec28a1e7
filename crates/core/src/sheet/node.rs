//! Nodes as they should be.

use std::fmt;
use std::net::Ipv4Addr;
use std::str::FromStr;

use lantern_wire::MacAddress;

use super::fields::Fields;
use super::kind::{AddressedBy, read_reading_name, read_sacn_offset};
use super::place::Placed;
use super::port::{self, SheetPort};
use super::quantity::Watts;
use crate::facts::ReadingName;
use crate::secret::Owner;
use crate::universe::DeskBase;
use crate::{DataLoss, Firmware, Protocol};

/// A node as it should be.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SheetNode {
    /// Its name, as Art-Net's short name.
    pub name: Placed<String>,
    /// A longer text, as Art-Net's long name.
    pub label: Option<Placed<String>>,
    /// Where it stands, as the device itself is to tell it.
    pub location: Option<Placed<String>>,
    /// Who looks after it, as the device itself is to tell it.
    pub contact: Option<Placed<String>>,
    /// What the device itself is to tell of what it is.
    pub description: Option<Placed<String>>,
    /// What readings of its kind are to be, by their names.
    pub readings: Vec<(Placed<ReadingName>, Placed<String>)>,
    /// Which of [`super::RigSheet::areas`] it stands in.
    pub area: Option<Placed<usize>>,
    /// Its model.
    pub kind: Option<Placed<String>>,
    /// Its MAC address: how to know it again.
    pub mac: Option<Placed<MacAddress>>,
    /// The serial number on its label.
    pub serial: Option<Placed<String>>,
    /// The number on its thumbwheel or in its system.
    pub number: Option<Placed<u32>>,
    /// The node whose number and universes it shares on purpose.
    pub clone_of: Option<Placed<usize>>,
    /// The node it is chained behind.
    pub behind: Option<Placed<usize>>,
    /// Its address.
    pub address: Placed<WantedAddress>,
    /// How that comes to be its, where its kind does not say or says otherwise.
    pub addressing: Option<Placed<AddressedBy>>,
    /// The firmware it should run, as major and minor.
    pub firmware: Option<Placed<Firmware>>,
    /// What it should do when data stops.
    pub on_data_loss: Option<Placed<DataLoss>>,
    /// The protocol of its ports that do not say.
    pub protocol: Option<Placed<Protocol>>,
    /// By how much its sACN universes are above its Port-Addresses, where its kind does not say or says otherwise.
    pub sacn_offset: Option<Placed<u16>>,
    /// What it draws, where its kind does not say or says otherwise.
    pub power: Option<Placed<Watts>>,
    /// Its ports.
    pub ports: Vec<SheetPort>,
}

/// Where a node's address is to come from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum WantedAddress {
    /// Fixed.
    Fixed(Ipv4Addr),
    /// By DHCP.
    Dhcp,
    /// Not decided yet.
    Fill,
}

/// A node whose references are names still.
pub(super) struct Unplaced {
    pub(super) node: SheetNode,
    pub(super) area: Option<Placed<String>>,
    pub(super) clone_of: Option<Placed<String>>,
    pub(super) behind: Option<Placed<String>>,
}

pub(super) fn read(fields: &Fields<'_>, desk: DeskBase) -> Option<Unplaced> {
    let name = fields.required("name", fields.text("name"), "\"quay-north\"");
    let label = fields.text("label");
    let location = fields.text("location");
    let contact = fields.text("contact");
    let description = fields.text("description");
    let area = fields.text("area");
    let kind = fields.text("kind");
    let mac = fields.parsed("mac");
    let serial = fields.text("serial");
    let number = fields.number("number", 0..=u32::MAX);
    let clone_of = fields.text("clone_of");
    let behind = fields.text("behind");
    let address = fields.required("address", fields.parsed("address"), "\"10.40.1.100\"");
    let addressing = fields.word("addressing", &AddressedBy::WORDS);
    let firmware = fields.parsed("firmware");
    let on_data_loss = fields.word("on_data_loss", &DataLoss::WORDS);
    let protocol = fields.word("protocol", &Protocol::WORDS);
    let sacn_offset = read_sacn_offset(fields);
    let power = fields.quantity("power");
    let readings = read_readings(fields);
    let ports = port::read_all(fields, desk, protocol.as_ref().map(|p| p.value));
    fields.refuse_unknown_keys();
    let node = SheetNode {
        name: name?,
        label,
        location,
        contact,
        description,
        readings,
        area: None,
        kind,
        mac,
        serial,
        number,
        clone_of: None,
        behind: None,
        address: address?,
        addressing,
        firmware,
        on_data_loss,
        protocol,
        sacn_offset,
        power,
        ports,
    };
    Some(Unplaced { node, area, clone_of, behind })
}

/// What its readings are to be.
fn read_readings(fields: &Fields<'_>) -> Vec<(Placed<ReadingName>, Placed<String>)> {
    let mut readings: Vec<(Placed<ReadingName>, Placed<String>)> = Vec::new();
    for table in fields.tables("reading", "this reading") {
        let name = read_reading_name(&table);
        let is = table.required("is", table.text("is"), "\"4\"");
        table.refuse_unknown_keys();
        let (Some(name), Some(is)) = (name, is) else { continue };
        if readings.iter().any(|(one, _)| one.value == name.value) {
            table.note(name.span, format!("the reading {:?} is described twice", name.value), "each once");
        }
        readings.push((name, is));
    }
    readings
}

impl SheetNode {
    /// Whose secrets are its own, the surest first.
    pub fn owners(&self) -> impl Iterator<Item = Owner> {
        let mac = self.mac.as_ref().map(|mac| Owner::Mac(mac.value));
        mac.into_iter().chain(self.fixed_address().map(Owner::Address))
    }

    /// Its address when that is fixed.
    #[must_use]
    pub fn fixed_address(&self) -> Option<Ipv4Addr> {
        self.address.value.fixed()
    }

    /// The highest port number it plans; 0 without ports.
    #[must_use]
    pub fn last_port(&self) -> u32 {
        self.ports.iter().map(|port| port.number.value).max().unwrap_or(0)
    }
}

impl WantedAddress {
    /// The address, when it is fixed.
    #[must_use]
    pub const fn fixed(self) -> Option<Ipv4Addr> {
        match self {
            Self::Fixed(address) => Some(address),
            Self::Dhcp | Self::Fill => None,
        }
    }
}

impl FromStr for WantedAddress {
    type Err = &'static str;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        match text {
            "dhcp" => Ok(Self::Dhcp),
            "fill" => Ok(Self::Fill),
            _ => {
                text.parse().map(Self::Fixed).map_err(|_| "an address like \"10.40.1.100\", \"dhcp\" or \"fill\"")
            }
        }
    }
}

impl fmt::Display for WantedAddress {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Fixed(address) => address.fmt(f),
            Self::Dhcp => f.write_str("dhcp"),
            Self::Fill => f.write_str("fill"),
        }
    }
}
