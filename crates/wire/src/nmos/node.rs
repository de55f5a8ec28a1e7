//! What a node tells of itself (IS-04, the Node API's schemas).

use core::net::Ipv4Addr;

use serde_json::Value;

use super::page::{self, Trouble, entries, id, number, text};
use super::{Api, Id, Version};
use crate::MacAddress;

/// A node: the computer in a device.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Node {
    /// Its identifier.
    pub id: Id,
    /// What its owner calls it.
    pub label: String,
    /// What it is called on the network.
    pub host_name: String,
    /// The MAC addresses of its interfaces.
    pub macs: Vec<MacAddress>,
    /// Where it can be asked: address and port, without encryption.
    pub endpoints: Vec<(Ipv4Addr, u16)>,
    /// The versions in which it can be.
    pub versions: Vec<Version>,
    /// The grandmasters of the clocks it follows, as it writes them.
    pub clocks: Vec<String>,
}

/// A device of a node: what belongs together in it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Device {
    /// Its identifier.
    pub id: Id,
    /// What its owner calls it.
    pub label: String,
    /// How it can be told anything.
    pub controls: Vec<Control>,
}

/// An interface by which a device can be told something.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Control {
    /// Which one: `urn:x-nmos:control:sr-ctrl/v1.1`.
    pub kind: String,
    /// Where it is.
    pub href: String,
}

/// Where something comes from, before it is coded.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Source {
    /// Its identifier.
    pub id: Id,
    /// What its channels are called, one after the other.
    pub channels: Vec<String>,
}

/// Something as it is coded.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Flow {
    /// Its identifier.
    pub id: Id,
    /// The source it is of.
    pub source: Option<Id>,
    /// What it carries.
    pub format: Option<Format>,
    /// Bits of a sample.
    pub bits: Option<u32>,
    /// Samples in a second.
    pub samples: Option<u32>,
}

/// What is sent to the network.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Sender {
    /// Its identifier.
    pub id: Id,
    /// What its owner calls it.
    pub label: String,
    /// The device it is of.
    pub device: Id,
    /// What it sends.
    pub flow: Option<Id>,
    /// Whether it sends now, where it tells.
    pub active: Option<bool>,
    /// How it is carried: `urn:x-nmos:transport:rtp.mcast`.
    pub transport: String,
}

/// What is taken from the network.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Receiver {
    /// Its identifier.
    pub id: Id,
    /// What its owner calls it.
    pub label: String,
    /// The device it is of.
    pub device: Id,
    /// What it takes.
    pub format: Option<Format>,
    /// Whom it takes it from; `None` for nobody that it knows.
    pub sender: Option<Id>,
    /// Whether it receives now, where it tells.
    pub active: Option<bool>,
    /// How it is carried.
    pub transport: String,
}

/// What a stream carries.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Format {
    /// Sound.
    Audio,
    /// Picture.
    Video,
    /// Anything beside them.
    Data,
    /// Both in one.
    Mux,
}

impl Format {
    const NAMES: [(&'static str, Self); 4] = [
        ("urn:x-nmos:format:audio", Self::Audio),
        ("urn:x-nmos:format:video", Self::Video),
        ("urn:x-nmos:format:data", Self::Data),
        ("urn:x-nmos:format:mux", Self::Mux),
    ];

    fn of(value: &Value) -> Option<Self> {
        let name = value.get("format")?.as_str()?;
        Self::NAMES.into_iter().find(|(known, _)| *known == name).map(|(_, format)| format)
    }
}

impl Node {
    /// Reads what it says of itself: `self`, or one of a registry's list.
    ///
    /// # Errors
    /// When it is none.
    pub fn parse(body: &[u8]) -> Result<Self, Trouble> {
        Self::of(&page::json(body)?).ok_or(Trouble::Foreign)
    }

    /// A registry's list of nodes; what cannot be read is passed over.
    ///
    /// # Errors
    /// When it is no list.
    pub fn list(body: &[u8]) -> Result<Vec<Self>, Trouble> {
        list(body, Self::of)
    }

    fn of(value: &Value) -> Option<Self> {
        let api = value.get("api").unwrap_or(&Value::Null);
        let endpoint = |one: &Value| {
            let is_plain = one.get("protocol").and_then(Value::as_str).is_none_or(|protocol| protocol == "http");
            let place = (text(one, "host")?.parse().ok()?, number(one, "port")?);
            is_plain.then_some(place)
        };
        let interface = |one: &Value| text(one, "port_id")?.parse().ok();
        let grandmaster = |one: &Value| text(one, "gmid");
        let version = |one: &Value| one.as_str()?.parse().ok();
        Some(Self {
            id: id(value, "id")?,
            label: text(value, "label").unwrap_or_default(),
            host_name: text(value, "hostname").unwrap_or_default(),
            macs: entries(value, "interfaces").filter_map(interface).collect(),
            endpoints: entries(api, "endpoints").filter_map(endpoint).collect(),
            versions: entries(api, "versions").filter_map(version).collect(),
            clocks: entries(value, "clocks").filter_map(grandmaster).collect(),
        })
    }
}

impl Device {
    /// A list of them.
    ///
    /// # Errors
    /// When it is none.
    pub fn list(body: &[u8]) -> Result<Vec<Self>, Trouble> {
        list(body, |value| {
            let control = |one: &Value| {
                Some(Control { kind: text(one, "type")?, href: one.get("href")?.as_str()?.to_owned() })
            };
            Some(Self {
                id: id(value, "id")?,
                label: text(value, "label").unwrap_or_default(),
                controls: entries(value, "controls").filter_map(control).collect(),
            })
        })
    }

    /// Where it can be told by this interface, and in which version.
    #[must_use]
    pub fn control(&self, api: Api) -> Option<(Version, &str)> {
        let kind = match api {
            // IS-05, "Interoperability: NMOS IS-04"; IS-08, the same.
            Api::Connection => "urn:x-nmos:control:sr-ctrl/",
            Api::ChannelMapping => "urn:x-nmos:control:cm-ctrl/",
            Api::Node | Api::Query => return None,
        };
        let version = |one: &Control| one.kind.strip_prefix(kind)?.parse::<Version>().ok();
        let offered: Vec<Version> = self.controls.iter().filter_map(version).collect();
        let best = api.best(&offered)?;
        let control = self.controls.iter().find(|one| version(one) == Some(best))?;
        Some((best, &control.href))
    }
}

impl Source {
    /// A list of them.
    ///
    /// # Errors
    /// When it is none.
    pub fn list(body: &[u8]) -> Result<Vec<Self>, Trouble> {
        list(body, |value| {
            let channels = entries(value, "channels").map(|one| text(one, "label").unwrap_or_default());
            Some(Self { id: id(value, "id")?, channels: channels.collect() })
        })
    }
}

impl Flow {
    /// A list of them.
    ///
    /// # Errors
    /// When it is none.
    pub fn list(body: &[u8]) -> Result<Vec<Self>, Trouble> {
        list(body, |value| {
            let rate = value.get("sample_rate").unwrap_or(&Value::Null);
            let samples = number::<u32>(rate, "numerator")
                .and_then(|above| above.checked_div(number(rate, "denominator").unwrap_or(1)));
            Some(Self {
                id: id(value, "id")?,
                source: id(value, "source_id"),
                format: Format::of(value),
                bits: number(value, "bit_depth"),
                samples,
            })
        })
    }
}

impl Sender {
    /// A list of them.
    ///
    /// # Errors
    /// When it is none.
    pub fn list(body: &[u8]) -> Result<Vec<Self>, Trouble> {
        list(body, |value| {
            Some(Self {
                id: id(value, "id")?,
                label: text(value, "label").unwrap_or_default(),
                device: id(value, "device_id")?,
                flow: id(value, "flow_id"),
                active: is_active(value),
                transport: text(value, "transport").unwrap_or_default(),
            })
        })
    }
}

impl Receiver {
    /// A list of them.
    ///
    /// # Errors
    /// When it is none.
    pub fn list(body: &[u8]) -> Result<Vec<Self>, Trouble> {
        list(body, |value| {
            Some(Self {
                id: id(value, "id")?,
                label: text(value, "label").unwrap_or_default(),
                device: id(value, "device_id")?,
                format: Format::of(value),
                sender: value.get("subscription").and_then(|subscription| id(subscription, "sender_id")),
                active: is_active(value),
                transport: text(value, "transport").unwrap_or_default(),
            })
        })
    }
}

/// The subscription of a sender or receiver says so from version 1.2 on.
fn is_active(value: &Value) -> Option<bool> {
    value.get("subscription")?.get("active")?.as_bool()
}

fn list<T>(body: &[u8], read: impl Fn(&Value) -> Option<T>) -> Result<Vec<T>, Trouble> {
    let Value::Array(all) = page::json(body)? else { return Err(Trouble::Foreign) };
    Ok(all.iter().take(page::MOST).filter_map(read).collect())
}
