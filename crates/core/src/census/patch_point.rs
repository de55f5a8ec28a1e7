//! What of a device is patched: what it sends, what it receives, and where the channels of its outputs come from.

use std::collections::{BTreeMap, HashMap};
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;
use serde::{Deserialize, Serialize};

use super::{Device, NodeName, Unit};
use crate::Said;
use crate::facts::{Field, Patched, Value};

/// One sender, receiver or output of a device.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct PatchPoint {
    /// Which sort.
    pub sort: PatchSort,
    /// How its family knows the device again that it is of.
    pub of: Said,
    /// What that device calls itself.
    pub of_label: Said,
    /// Where that device tells of itself: the port and the path, since its address may change.
    pub of_handle: String,
    /// What its device calls its channels, the first first.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub channels: Vec<Said>,
    /// What each channel of an output can come from.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub choices: Vec<Patched>,
    /// What its family speaks for: the point by itself, at its device's address.
    pub unit: Unit,
}

/// What is patched.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum PatchSort {
    /// A stream leaves the device.
    Sender,
    /// A stream comes to the device.
    Receiver,
    /// Channels come together within the device.
    Output,
}

impl PatchSort {
    /// In a word.
    #[must_use]
    pub const fn word(self) -> &'static str {
        match self {
            Self::Sender => "sender",
            Self::Receiver => "receiver",
            Self::Output => "output",
        }
    }
}

impl PatchPoint {
    /// What its device calls it; empty where it has no name.
    #[must_use]
    pub fn label(&self) -> Said {
        match self.unit.facts.get(Field::Label) {
            Some(Value::Text(text)) => text.clone(),
            _ => Said::default(),
        }
    }

    /// Its label, or how its family knows it; and whose it is.
    #[must_use]
    pub fn title(&self) -> String {
        let label = self.label();
        let own = if label.is_empty() { &self.unit.identity } else { &label };
        let device =
            if self.of_label.is_empty() { self.unit.address.to_string() } else { self.of_label.to_string() };
        format!("{own} of {device}")
    }

    /// Whether it is of this device.
    #[must_use]
    pub fn is_of(&self, device: &Device) -> bool {
        device.is_at(self.unit.address, self.unit.mac)
    }

    /// What tells it from others: several devices may claim one identifier.
    pub(crate) fn key(&self) -> PatchKey {
        let Unit { identity, mac, address, .. } = &self.unit;
        // One whose MAC address is known is the same wherever it goes.
        (identity.clone(), *mac, mac.is_none().then_some(*address))
    }

    /// How messages and the logbook name it. Its device's MAC address would name the device.
    #[must_use]
    pub(crate) fn node_name(&self) -> NodeName {
        let identity = Some(self.unit.identity.to_string());
        NodeName { family: self.unit.family, mac: None, identity, name: self.title(), address: self.unit.address }
    }

    /// Whether somebody is meant who is known so.
    pub(crate) fn is(&self, who: &NodeName) -> bool {
        self.unit.family == who.family && who.identity.as_deref() == Some(&self.unit.identity.to_string())
    }
}

/// Receivers tell from whom they take by an identifier alone: whose that is, the senders say.
pub(super) fn name_senders(all: &mut [PatchPoint]) {
    let senders = all.iter().filter(|point| point.sort == PatchSort::Sender);
    let titles: HashMap<Said, String> =
        senders.map(|point| (point.unit.identity.clone(), point.title())).collect();
    for point in all.iter_mut().filter(|point| point.sort == PatchSort::Receiver) {
        let Some(Value::Patched(sender)) = point.unit.facts.get(Field::Sender) else { continue };
        if let Some(title) = titles.get(&sender.id).filter(|_| sender.label.is_empty()) {
            let named = Patched { label: title.as_str().into(), ..(**sender).clone() };
            point.unit.facts.learn(Field::Sender, Value::Patched(Box::new(named)));
        }
    }
}

/// The identifier of a point, and of which device it is.
pub(crate) type PatchKey = (Said, Option<MacAddress>, Option<Ipv4Addr>);

/// All of them.
#[derive(Debug, Clone, Default)]
pub(crate) struct PatchPoints {
    known: BTreeMap<PatchKey, PatchPoint>,
    overlooked: u64,
}

impl PatchPoints {
    /// The most that are kept.
    const MOST: usize = 65_536;

    pub(crate) fn take(&mut self, point: &PatchPoint) {
        let key = point.key();
        if self.known.len() >= Self::MOST && !self.known.contains_key(&key) {
            self.overlooked += 1;
            return;
        }
        self.known.insert(key, point.clone());
    }

    /// In the order of addresses, sorts and labels.
    pub(crate) fn sorted(&self) -> Vec<PatchPoint> {
        let mut all: Vec<PatchPoint> = self.known.values().cloned().collect();
        all.sort_by_cached_key(|one| (one.unit.address, one.sort, one.label(), one.unit.identity.clone()));
        all
    }

    pub(crate) const fn overlooked(&self) -> u64 {
        self.overlooked
    }
}
