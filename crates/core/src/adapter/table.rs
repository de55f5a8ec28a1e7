//! The system's table of neighbours: which MAC address it has found for an address, and whether it looks again.

use std::net::Ipv4Addr;

use lantern_wire::MacAddress;
use serde::Serialize;

use crate::as_text;
use crate::sheet::{Member, RigSheet};

/// An entry of the table.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct Entry {
    /// The address.
    pub address: Ipv4Addr,
    /// The MAC address found for it; `None` where nobody answered.
    #[serde(with = "as_text::option")]
    pub mac: Option<MacAddress>,
    /// How sure the system is of it.
    pub held: Held,
}

/// How an entry is held.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Held {
    /// It was made sure of lately.
    Fresh,
    /// It is used until it fails, whatever has become of the device.
    Stale,
    /// The system is asking.
    Asking,
    /// Nobody answered.
    Unanswered,
    /// Somebody pinned it: it is never asked again.
    Pinned,
}

impl Held {
    /// In a word.
    #[must_use]
    pub const fn word(self) -> &'static str {
        match self {
            Self::Fresh => "fresh",
            Self::Stale => "stale",
            Self::Asking => "asking",
            Self::Unanswered => "no answer",
            Self::Pinned => "pinned",
        }
    }
}

/// What the sheet says of an entry.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Planned<'a> {
    /// This device is planned at the address, with this MAC address where it names one.
    Here(&'a str),
    /// Another MAC address than that of the device that is planned there: what is sent to it goes to somebody else.
    Other(&'a str, MacAddress),
    /// The MAC address is that of a device that is planned elsewhere.
    Elsewhere(&'a str, Ipv4Addr),
}

impl Entry {
    /// What a sheet says of it; `None` where it has neither the address nor the MAC address.
    #[must_use]
    pub fn on<'a>(&self, sheet: &'a RigSheet) -> Option<Planned<'a>> {
        let at = sheet.members().find(|member| member.fixed_address() == Some(self.address));
        let of = |mac: MacAddress| {
            sheet.nodes.iter().find(|node| node.mac.as_ref().is_some_and(|planned| planned.value == mac))
        };
        if let Some(member) = at {
            let name = member.name().value.as_str();
            let planned = if let Member::Node(node) = member { node.mac.as_ref() } else { None };
            return Some(match planned.filter(|planned| self.mac.is_some_and(|mac| mac != planned.value)) {
                Some(planned) => Planned::Other(name, planned.value),
                None => Planned::Here(name),
            });
        }
        let node = self.mac.and_then(of)?;
        Some(Planned::Elsewhere(&node.name.value, node.fixed_address()?))
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    const SHEET: &str = "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n\
        [[node]]\nname = \"quay\"\nmac = \"02:00:00:00:00:01\"\naddress = \"10.40.1.1\"\n\
        [[source]]\nname = \"desk\"\naddress = \"10.40.0.20\"\n";

    #[rstest]
    #[case::as_planned("10.40.1.1", Some(1), "Some(Here(\"quay\"))")]
    #[case::nobody_answered("10.40.1.1", None, "Some(Here(\"quay\"))")]
    #[case::somebody_else("10.40.1.1", Some(2), "Some(Other(\"quay\", MacAddress([2, 0, 0, 0, 0, 1])))")]
    #[case::moved("10.40.1.9", Some(1), "Some(Elsewhere(\"quay\", 10.40.1.1))")]
    #[case::a_desk("10.40.0.20", Some(7), "Some(Here(\"desk\"))")]
    #[case::a_stranger("10.40.1.9", Some(9), "None")]
    fn the_sheet_is_asked_for_both(#[case] address: &str, #[case] mac: Option<u8>, #[case] says: &str) {
        let sheet = RigSheet::parse(SHEET).unwrap();
        let mac = mac.map(|last| MacAddress([2, 0, 0, 0, 0, last]));
        let entry = Entry { address: address.parse().unwrap(), mac, held: Held::Fresh };
        assert_eq!(format!("{:?}", entry.on(&sheet)), says);
    }
}
