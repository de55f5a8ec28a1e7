//! Two censuses compared, in the words of the trade.

use std::collections::HashMap;
use std::fmt;

use serde::Serialize;

use super::{Device, FoundNode, Identity, Standing};

/// What is different in a later census.
#[derive(Debug, Default)]
pub struct CensusDiff<'a> {
    /// Devices that were not there before.
    pub new: Vec<&'a Device>,
    /// Devices that are not there any more.
    pub gone: Vec<&'a Device>,
    /// Devices that are there, but not as before: before, after, and what is different.
    pub changed: Vec<(&'a Device, &'a Device, Vec<Change>)>,
    /// How many are as they were.
    pub same: usize,
}

/// One thing that is different.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Change {
    /// What kind of change: moved, renamed, changed.
    pub kind: ChangeKind,
    /// Which field.
    pub field: String,
    /// What it was.
    pub before: String,
    /// What it is.
    pub after: String,
}

/// What kind of change.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum ChangeKind {
    /// Another address.
    Moved,
    /// Another name.
    Renamed,
    /// Something else.
    Changed,
}

/// A census to compare: its devices, and the Art-Net nodes among them.
#[derive(Debug, Clone, Copy)]
pub struct Compared<'a> {
    /// The devices.
    pub devices: &'a [Device],
    /// The Art-Net nodes.
    pub nodes: &'a [FoundNode],
}

impl<'a> CensusDiff<'a> {
    /// What is different in `after`.
    #[must_use]
    pub fn between(before: Compared<'a>, after: Compared<'a>) -> Self {
        let mut diff = Self::default();
        let earlier: HashMap<Identity, &Device> =
            before.devices.iter().filter_map(|device| Some((device.identity()?, device))).collect();
        let mut found = Vec::new();
        for device in present(after.devices) {
            match device.identity().and_then(|identity| earlier.get(&identity)) {
                Some(known) => {
                    found.push(known.identity());
                    let mut changes = device_changes(known, device);
                    changes.extend(node_changes(node_of(before, known), node_of(after, device)));
                    if changes.is_empty() {
                        diff.same += 1;
                    } else {
                        diff.changed.push((known, device, changes));
                    }
                }
                None => diff.new.push(device),
            }
        }
        let found: std::collections::HashSet<_> = found.into_iter().collect();
        diff.gone = present(before.devices).filter(|device| !found.contains(&device.identity())).collect();
        diff
    }

    /// Whether nothing is different.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.new.is_empty() && self.gone.is_empty() && self.changed.is_empty()
    }
}

/// Those that were really there.
fn present(devices: &[Device]) -> impl Iterator<Item = &Device> {
    devices.iter().filter(|device| device.standing != Standing::Missing)
}

fn node_of<'a>(census: Compared<'a>, device: &Device) -> Option<&'a FoundNode> {
    let same = |node: &&FoundNode| match (node.mac.or(node.heard_mac), device.mac) {
        (Some(a), Some(b)) => a == b || node.heard_mac == Some(b),
        _ => Some(node.address) == device.address,
    };
    census.nodes.iter().find(same)
}

fn device_changes(before: &Device, after: &Device) -> Vec<Change> {
    let address =
        |device: &Device| device.address.map_or_else(|| "none".to_owned(), |address| address.to_string());
    let fields = [
        (ChangeKind::Moved, "address", address(before), address(after)),
        (ChangeKind::Renamed, "name", before.name.to_string(), after.name.to_string()),
        (ChangeKind::Changed, "what it is", before.what.to_string(), after.what.to_string()),
        (ChangeKind::Changed, "state", before.standing.to_string(), after.standing.to_string()),
    ];
    differing(fields.map(|(kind, field, before, after)| (kind, field.to_owned(), before, after)))
}

fn node_changes(before: Option<&FoundNode>, after: Option<&FoundNode>) -> Vec<Change> {
    let (Some(before), Some(after)) = (before, after) else { return Vec::new() };
    let changed = |field: &str, a: String, b: String| (ChangeKind::Changed, field.to_owned(), a, b);
    let mut fields = vec![
        (ChangeKind::Renamed, "label".to_owned(), before.label().to_string(), after.label().to_string()),
        changed("firmware", before.firmware.to_string(), after.firmware.to_string()),
        changed("DHCP", yes(before.dhcp), yes(after.dhcp)),
    ];
    let last = before.port_count().max(after.port_count());
    for number in 1..=last {
        let port = |node: &FoundNode| {
            node.port(number).map_or_else(
                || "none".to_owned(),
                |(_, port)| format!("{} {} {}", port.direction, port.protocol, port.universe()),
            )
        };
        fields.push(changed(&format!("port {number}"), port(before), port(after)));
    }
    differing(fields)
}

fn yes(on: Option<bool>) -> String {
    match on {
        Some(true) => "on",
        Some(false) => "off",
        None => "not told",
    }
    .to_owned()
}

fn differing(fields: impl IntoIterator<Item = (ChangeKind, String, String, String)>) -> Vec<Change> {
    let different = fields.into_iter().filter(|(_, _, before, after)| before != after);
    different.map(|(kind, field, before, after)| Change { kind, field, before, after }).collect()
}

impl fmt::Display for ChangeKind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Moved => "moved",
            Self::Renamed => "renamed",
            Self::Changed => "changed",
        })
    }
}
