//! The leases on disk: a line for each that was given or came to its end. These types are the file's own.

use std::collections::BTreeMap;
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;
use serde::{Deserialize, Serialize};

use crate::address::Mask;
use crate::census::Device;
use crate::facts::{Field, Known, Tells, Value};
use crate::lines::LinesError;
use crate::{as_text, lines};

/// The version of the format.
pub const FORMAT: u32 = 1;

/// One line.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct LeaseLine {
    /// The version of the format.
    pub format: u32,
    /// When, in UTC (RFC 3339).
    pub at: String,
    /// To whom.
    #[serde(with = "as_text")]
    pub mac: MacAddress,
    /// Which device of the sheet it is taken for; `None` for a stranger.
    pub node: Option<String>,
    /// The address.
    pub address: Ipv4Addr,
    /// For how many seconds; 0 where it was given back.
    pub seconds: u32,
    /// The mask that went with it; `None` in lines of before that was written down.
    #[serde(default, with = "as_text::option", skip_serializing_if = "Option::is_none")]
    pub mask: Option<Mask>,
    /// The gateway that went with it, where one did.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub gateway: Option<Ipv4Addr>,
}

impl LeaseLine {
    /// The lease, where the line says everything that went with it and the address was not given back.
    #[must_use]
    pub fn lease(&self) -> Option<Lease> {
        let (mac, address, gateway) = (self.mac, self.address, self.gateway);
        (self.seconds > 0).then_some(Lease { mac, address, mask: self.mask?, gateway })
    }
}

/// What somebody has from us by DHCP. Of a unit that stands there by its MAC address, and that speaks nothing by which it would tell
/// where its address comes from, it is known by this.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Lease {
    /// Who.
    pub mac: MacAddress,
    /// The address.
    pub address: Ipv4Addr,
    /// The mask.
    pub mask: Mask,
    /// The gateway; `None` where none was given.
    pub gateway: Option<Ipv4Addr>,
}

impl Lease {
    /// Whether it is this device's, which stands where it was told to.
    #[must_use]
    pub fn is_of(&self, device: &Device) -> bool {
        device.mac == Some(self.mac) && device.address == Some(self.address)
    }
}

impl Tells for Lease {
    fn tells(&self, field: Field, _: &Value) -> Known<Value> {
        match field {
            Field::Addressing => Known::Told(Value::Flag(true)),
            Field::Mask => Known::Told(Value::Address(self.mask.dotted())),
            Field::Gateway => Known::Told(Value::Address(self.gateway.unwrap_or(Ipv4Addr::UNSPECIFIED))),
            _ => Known::CannotTell,
        }
    }
}

/// What everybody was given last, and how many lines could not be read: a power cut may tear off the line that was being
/// written, after which nothing was given.
///
/// # Errors
/// When there are lines of a later version: what they mean cannot be known.
pub fn read_leases(text: &str) -> Result<(BTreeMap<MacAddress, LeaseLine>, usize), LinesError> {
    let mut given = BTreeMap::new();
    let mut torn = 0;
    for value in lines::read(text, FORMAT) {
        match value?.and_then(|value| LeaseLine::deserialize(value).ok()) {
            Some(line) => drop(given.insert(line.mac, line)),
            None => torn += 1,
        }
    }
    Ok((given, torn))
}
