//! Networks of the rig, and what the numbers of their addresses mean.

use std::collections::BTreeMap;
use std::net::Ipv4Addr;
use std::str::FromStr;

use lantern_wire::MacAddress;

use super::fields::Fields;
use super::place::Placed;
use crate::address::{AddressRange, Subnet};

/// One network of the rig.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Network {
    /// Its name.
    pub name: Placed<String>,
    /// Its addresses.
    pub range: Placed<Subnet>,
    /// The way out; `None` inside means a closed network, `None` outside that the sheet does not say.
    pub gateway: Option<Placed<Gateway>>,
    /// Addresses never handed out: desks, servers.
    pub keep_free: Vec<Placed<AddressRange>>,
    /// Addresses somebody else hands out by DHCP.
    pub dhcp: Vec<Placed<AddressRange>>,
    /// Addresses whose devices are never touched.
    pub locked: Vec<Placed<AddressRange>>,
    /// Devices that are never touched, wherever they stand.
    pub locked_devices: Vec<Placed<MacAddress>>,
    /// Multicast groups that may be handed out to streams.
    pub groups: Vec<Placed<AddressRange>>,
    /// What the numbers of an address mean.
    pub scheme: Vec<SchemePart>,
}

/// The way out of a network.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Gateway(pub Option<Ipv4Addr>);

/// What one of the four numbers of an address means.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SchemePart {
    /// Which number, 1 to 4 from the left.
    pub octet: Placed<u32>,
    /// What it tells: `area` and `kind` are checked against the node's own, any other word is for people.
    pub means: Placed<String>,
    /// What each number, or run of numbers, stands for.
    pub words: Vec<(OctetRun, Placed<String>)>,
}

/// Numbers from the first to the last, 0 to 255.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct OctetRun {
    /// The first.
    pub first: u8,
    /// The last.
    pub last: u8,
}

impl Network {
    /// Whether the network leads anywhere outside.
    #[must_use]
    pub fn has_way_out(&self) -> bool {
        self.way_out().is_some()
    }

    /// The way out, where the sheet says one.
    #[must_use]
    pub fn way_out(&self) -> Option<Ipv4Addr> {
        self.gateway.as_ref().and_then(|gateway| gateway.value.0)
    }

    /// The parts of an address in words, as far as the scheme says: "area Quay, unit 4".
    #[must_use]
    pub fn in_words(&self, address: Ipv4Addr) -> Option<String> {
        let words: Vec<String> = self.scheme.iter().filter_map(|part| part.in_words(address)).collect();
        (!words.is_empty()).then(|| words.join(", "))
    }
}

impl SchemePart {
    /// The number of `address` that this part is about.
    #[must_use]
    pub fn number_in(&self, address: Ipv4Addr) -> u8 {
        let place = self.octet.value.clamp(1, 4) - 1;
        address.octets()[usize::try_from(place).unwrap_or(0)]
    }

    /// The word for the number in `address`, and the run it belongs to.
    #[must_use]
    pub fn word(&self, address: Ipv4Addr) -> Option<(OctetRun, &Placed<String>)> {
        let number = self.number_in(address);
        self.words.iter().find(|(run, _)| run.contains(number)).map(|(run, word)| (*run, word))
    }

    /// This part of an address in words: a run of several numbers counts its units from 1.
    fn in_words(&self, address: Ipv4Addr) -> Option<String> {
        let (run, word) = self.word(address)?;
        let unit = if run.first == run.last {
            String::new()
        } else {
            format!(" number {}", u16::from(self.number_in(address) - run.first) + 1)
        };
        Some(format!("{} {}{unit}", self.means.value, word.value))
    }
}

impl OctetRun {
    /// Whether `number` is one of them.
    #[must_use]
    pub fn contains(self, number: u8) -> bool {
        (self.first..=self.last).contains(&number)
    }
}

impl FromStr for OctetRun {
    type Err = &'static str;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        let (first, last) = text.split_once('-').unwrap_or((text, text));
        let number = |part: &str| part.trim().parse::<u8>().ok();
        match (number(first), number(last)) {
            (Some(first), Some(last)) if first <= last => Ok(Self { first, last }),
            _ => Err("a number from 0 to 255, or two like \"100-149\""),
        }
    }
}

impl FromStr for Gateway {
    type Err = &'static str;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        match text {
            "none" => Ok(Self(None)),
            _ => text.parse().map(|a| Self(Some(a))).map_err(|_| "an address like \"10.40.0.1\", or \"none\""),
        }
    }
}

pub(super) fn read(fields: &Fields<'_>) -> Option<Network> {
    let name = fields.required("name", fields.text("name"), "\"lights\"");
    let range = fields.required("range", fields.parsed("range"), "\"10.40.0.0/16\"");
    let gateway = fields.parsed("gateway");
    let keep_free = fields.list("keep_free");
    let dhcp = fields.list("dhcp");
    let locked = fields.list("locked");
    let locked_devices = fields.list("locked_devices");
    let groups = fields.list("groups");
    let scheme = fields.tables("scheme", "this part of the scheme");
    fields.refuse_unknown_keys();
    let scheme = scheme.iter().filter_map(scheme_part).collect();
    Some(Network { name: name?, range: range?, gateway, keep_free, dhcp, locked, locked_devices, groups, scheme })
}

fn scheme_part(fields: &Fields<'_>) -> Option<SchemePart> {
    let octet = fields.required("octet", fields.number("octet", 1..=4), "3");
    let means = fields.required("means", fields.text("means"), "\"area\"");
    let words = fields.words("words");
    let words = fields.required("words", words, "{ 1 = \"Quay\", 2 = \"Fish Hall\" }");
    fields.refuse_unknown_keys();
    let words: BTreeMap<OctetRun, Placed<String>> = words?.into_iter().collect();
    Some(SchemePart { octet: octet?, means: means?, words: words.into_iter().collect() })
}
