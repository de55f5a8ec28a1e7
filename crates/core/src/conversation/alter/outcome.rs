//! What became of a change, in the words of what the node itself told.

use std::fmt;
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;

use crate::census::FoundNode;
use crate::facts::Difference;
use crate::{Said, universe::Universe};

/// What became of a change.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Outcome {
    /// Everything was read back as wanted, and nothing else of the node is otherwise than before.
    Done,
    /// Everything was sent, and what the node tells is as wanted. It does not tell these.
    Unverified(Vec<Difference>),
    /// The node moved out of this computer's reach: its address was heard there. These could not be read back.
    HeardOnly(Vec<Difference>),
    /// What was wanted is so, and these have changed along with it.
    MovedAlong(Vec<Shift>),
    /// The node still tells other values after all the time it has for a restart.
    Refused(Vec<Difference>),
    /// The node said that it takes the address, and still answers from the old one after all that time.
    Acknowledged(Vec<Difference>),
    /// The node came up at an address that nobody meant.
    Elsewhere(Ipv4Addr),
    /// The node does not answer any more, and was not seen with a new address.
    Silent {
        /// Whether anything was written to it before.
        written: bool,
    },
    /// Somebody holds the wanted address, asked in the moment before it would have been given. It was not sent.
    Taken(Other),
    /// Somebody else answers from the node's address. Nothing was sent to it.
    Stranger(Other),
    /// The node is where it should be, and somebody else is there too.
    Shared(Other),
}

/// Another device than the one that is meant.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Other {
    /// Its MAC address, where it was seen or told.
    pub mac: Option<MacAddress>,
    /// What it calls itself; empty when it told no name.
    pub name: Said,
}

/// A field that was not meant to change, and has.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Shift {
    /// Which field.
    pub field: String,
    /// What the node told before.
    pub before: String,
    /// What it tells now.
    pub after: String,
}

impl Outcome {
    /// Whether the node is not what was wanted, so that a run of changes stops here.
    #[must_use]
    pub const fn is_failure(&self) -> bool {
        !matches!(self, Self::Done | Self::Unverified(_) | Self::HeardOnly(_))
    }
}

impl fmt::Display for Other {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match (self.name.is_empty(), self.mac) {
            (false, Some(mac)) => write!(f, "{} ({mac})", self.name),
            (false, None) => self.name.fmt(f),
            (true, Some(mac)) => mac.fmt(f),
            (true, None) => f.write_str("a device that did not tell its MAC address"),
        }
    }
}

/// What of a node is otherwise than before, leaving out what `wanted` meant to change.
pub(super) fn shifts(before: &FoundNode, after: &FoundNode, wanted: &[Difference]) -> Vec<Shift> {
    let by_dhcp = wanted.iter().any(Difference::wants_dhcp);
    let meant: Vec<String> = wanted.iter().map(|difference| difference.field.to_string()).collect();
    let leased = ["address", "mask", "gateway"];
    let is_meant = |field: &str| {
        meant.iter().any(|one| one == field)
            || (by_dhcp && leased.contains(&field))
            // Which way a port works decides what can be said of it.
            || field.strip_prefix("port ").is_some_and(|rest| {
                let number = rest.split(' ').next().unwrap_or_default();
                meant.contains(&format!("port {number} direction"))
            })
    };
    let (before, after) = (told(before), told(after));
    let value = |field: &String| after.iter().find(|(one, _)| one == field).map(|(_, value)| value.clone());
    let shift = |(field, before): (String, String)| {
        // A port may be gone; what else is not there was not told, which is another matter.
        let gone = || field.starts_with("port ").then(|| "gone".to_owned());
        let after = value(&field).or_else(gone).unwrap_or_else(|| before.clone());
        (after != before && !is_meant(&field)).then_some(Shift { field, before, after })
    };
    before.into_iter().filter_map(shift).collect()
}

/// Everything a node tells of its settings, field by field. What it does not tell is left out.
fn told(node: &FoundNode) -> Vec<(String, String)> {
    let mut all = vec![
        ("address".to_owned(), node.address.to_string()),
        ("name".to_owned(), node.name().to_string()),
        ("label".to_owned(), node.label().to_string()),
    ];
    let mut put = |field: &str, value: Option<String>| all.extend(value.map(|value| (field.to_owned(), value)));
    put("addressing", node.dhcp.map(|dhcp| if dhcp { "by DHCP" } else { "fixed" }.to_owned()));
    put("mask", node.settings.map(|settings| settings.mask.to_string()));
    put("gateway", node.settings.map(|settings| settings.gateway.to_string()));
    put("on data loss", node.on_data_loss.map(|loss| loss.to_string()));
    for (number, _, port) in node.ports() {
        let mut put = |field: &str, value: String| all.push((format!("port {number} {field}"), value));
        put("direction", port.direction.to_string());
        put("protocol", port.protocol.to_string());
        put("universe", Universe::ArtNet(port.universe).to_string());
        put("merge", port.merge.to_string());
        if let Some(rdm) = port.rdm {
            put("RDM", if rdm { "on" } else { "off" }.to_owned());
        }
    }
    all
}
