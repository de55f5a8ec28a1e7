//! What is patched, held against itself: one group has one sender.

use std::collections::{BTreeMap, BTreeSet};
use std::net::{Ipv4Addr, SocketAddrV4};

use super::named;
use crate::census::{Census, PatchPoint, PatchSort};
use crate::facts::{Field, Value};
use crate::finding::{Finding, Rule, Severity};

pub(super) static RULES: &[&Rule] = &[&TWO_SEND];

static TWO_SEND: Rule = Rule {
    code: "W021",
    severity: Severity::Error,
    title: "two send a stream to one group",
    why: "whoever receives the group gets the packets of both, and plays noise",
};

/// Who sends: where from, and what it is called.
type Sender = (Ipv4Addr, String);

/// Groups that several send to: as senders tell it that are on, and as streams are announced.
pub(super) fn clashes(census: &Census) -> Vec<Finding> {
    let mut senders: BTreeMap<SocketAddrV4, BTreeSet<Sender>> = BTreeMap::new();
    let points = census.patch_points();
    for point in points.iter().filter(|point| sends(point)) {
        let groups =
            [Field::Group, Field::SecondGroup].into_iter().filter_map(|field| point.unit.facts.get(field));
        for group in groups {
            if let Value::Group(group) = group {
                senders.entry(*group).or_default().insert((point.unit.address, point.title()));
            }
        }
    }
    for stream in census.streams().into_iter().filter(|stream| !stream.over) {
        let Some(group) = stream.group.map(|group| SocketAddrV4::new(group, stream.port)) else { continue };
        let all = senders.entry(group).or_default();
        // What a device announces is what its sender sends.
        if !all.iter().any(|(address, _)| *address == stream.sender) {
            all.insert((stream.sender, format!("{} from {}", stream.session, stream.sender)));
        }
    }
    let finding = |(group, all): (&SocketAddrV4, &BTreeSet<Sender>)| {
        let who = named(all.iter().map(|(_, title)| title), " and ");
        TWO_SEND.finding(
            format!("{who} send to {group}"),
            "give all but one of them another group, or switch them off: deft-lantern streams",
        )
    };
    let is_shared = |(group, all): &(&SocketAddrV4, &BTreeSet<Sender>)| group.ip().is_multicast() && all.len() > 1;
    senders.iter().filter(is_shared).map(finding).collect()
}

/// Whether it is a sender, and on.
fn sends(point: &PatchPoint) -> bool {
    point.sort == PatchSort::Sender && point.unit.facts.get(Field::Enabled) == Some(&Value::Flag(true))
}
