//! Clashes of streams of sound and picture.

use std::collections::HashSet;
use std::net::{Ipv4Addr, SocketAddrV4};

use lantern_wire::MacAddress;

use super::{named, open, repeated};
use crate::Protocol;
use crate::finding::{Finding, Rule, Severity};
use crate::sheet::{ChannelMap, RigSheet, SheetStream, Span, StreamEnd, WantedGroup};
use crate::universe::{SacnUniverse, Universe};

pub(super) static RULES: &[&Rule] =
    &[&TWICE, &SAME_MAC, &FLOODED, &ON_SACN, &NO_GROUP, &NO_RECEIVER, &OPEN, &TWO_TO_ONE, &MAPPED_TWICE];

static TWICE: Rule = Rule {
    code: "S001",
    severity: Severity::Error,
    title: "the same group and port twice",
    why: "receivers of either stream get the packets of both, and play noise",
};
static SAME_MAC: Rule = Rule {
    code: "S002",
    severity: Severity::Warning,
    title: "groups that share a multicast MAC address",
    why: "only the low 23 bits of a group reach the MAC address, so switches and receivers get both streams",
};
static FLOODED: Rule = Rule {
    code: "S003",
    severity: Severity::Error,
    title: "a group that is sent everywhere",
    why: "switches never filter 224.0.0.0/24, so the stream goes down every cable, wireless ones too",
};
static ON_SACN: Rule = Rule {
    code: "S004",
    severity: Severity::Error,
    title: "a stream on the group of an sACN universe",
    why: "every receiver of the universe gets the stream, and every receiver of the stream the universe",
};
static NO_GROUP: Rule = Rule {
    code: "S005",
    severity: Severity::Error,
    title: "a group that is no multicast address",
    why: "multicast groups lie between 224.0.0.0 and 239.255.255.255; anything else is a single device or nobody",
};
static NO_RECEIVER: Rule = Rule {
    code: "S006",
    severity: Severity::Note,
    title: "a stream that nobody receives",
    why: "it is planned for somebody, and the sheet does not say for whom",
};
static OPEN: Rule = Rule {
    code: "S007",
    severity: Severity::Warning,
    title: "a stream without a group yet",
    why: "neither sender nor receivers can be set before it is known",
};

static TWO_TO_ONE: Rule = Rule {
    code: "S008",
    severity: Severity::Error,
    title: "two streams for one receiver",
    why: "a receiver takes one stream at a time; which of the two it gets depends on who was set last",
};
static MAPPED_TWICE: Rule = Rule {
    code: "S009",
    severity: Severity::Error,
    title: "one output mapped twice",
    why: "a channel comes from one place; which of the two maps holds depends on which was set last",
};

/// One way of a stream, and where the sheet says it.
type Fixed<'s> = (&'s SheetStream, SocketAddrV4, Span);

pub(super) fn clashes(sheet: &RigSheet) -> Vec<Finding> {
    let mut findings = Vec::new();
    let mut multicast: Vec<Fixed<'_>> = Vec::new();
    let mut without = Vec::new();
    for stream in &sheet.streams {
        let name = &stream.name.value;
        for group in stream.groups() {
            match group.value {
                WantedGroup::Fill => without.push((name.clone(), group.span)),
                WantedGroup::Fixed(to) if !to.ip().is_multicast() => {
                    let what = format!("{name} goes to {}, which is no multicast address", to.ip());
                    let finding =
                        NO_GROUP.finding(what, "choose a group of 239.0.0.0/8, as in \"239.69.10.1:5004\"");
                    findings.push(finding.at(sheet, group.span, "no group"));
                }
                WantedGroup::Fixed(to) => multicast.push((stream, to, group.span)),
            }
        }
        if stream.to.is_empty() {
            let finding =
                NO_RECEIVER.finding(format!("{name} has no receiver"), "write to = [\"…\"] with who receives it");
            findings.push(finding.at(sheet, stream.name.span, "for nobody"));
        }
    }
    findings.extend(open(sheet, &OPEN, "group", &without));
    findings.extend(twice(sheet, &multicast));
    findings.extend(same_mac(sheet, &multicast));
    let universes = sacn_groups(sheet);
    findings.extend(multicast.iter().filter_map(|fixed| reserved(sheet, fixed, &universes)));
    findings.extend(two_to_one(sheet));
    findings.extend(mapped_twice(sheet));
    findings
}

/// Where a receiver is not named, it may be another one each time.
fn two_to_one(sheet: &RigSheet) -> Vec<Finding> {
    let ends = sheet.streams.iter().flat_map(|stream| stream.to.iter().map(move |to| (stream, to)));
    let named_ends: Vec<_> = ends.filter(|(_, to)| to.label.is_some()).collect();
    let of = |(_, to): &(&SheetStream, &StreamEnd)| (to.member.value, to.label.clone());
    let finding = |group: Vec<(&SheetStream, &StreamEnd)>| {
        let names = named(group.iter().map(|(stream, _)| &stream.name.value), " and ");
        let what = format!("{} is to receive {names}", sheet.end_name(group[0].1));
        let finding = TWO_TO_ONE.finding(what, "give all but one of them another receiver");
        let at = |finding: Finding, (stream, to): &(&SheetStream, &StreamEnd)| {
            finding.at(sheet, to.member.span, stream.name.value.clone())
        };
        group.iter().rev().fold(finding, at)
    };
    repeated(named_ends, of).into_iter().map(finding).collect()
}

fn mapped_twice(sheet: &RigSheet) -> Vec<Finding> {
    let of = |map: &&ChannelMap| (map.node.value, map.output.as_ref().map(|output| output.value.clone()));
    let finding = |group: Vec<&ChannelMap>| {
        let node = sheet.member_name(group[0].node.value);
        let output = group[0].output.as_ref().map(|output| format!("{} of ", output.value)).unwrap_or_default();
        let finding = MAPPED_TWICE.finding(format!("{output}{node} is mapped twice"), "make one table of the two");
        group.iter().rev().fold(finding, |finding, map| finding.at(sheet, map.node.span, node))
    };
    repeated(sheet.channel_maps.iter(), of).into_iter().map(finding).collect()
}

fn twice(sheet: &RigSheet, streams: &[Fixed<'_>]) -> Vec<Finding> {
    let finding = |group: Vec<Fixed<'_>>| {
        let names = named(group.iter().map(|(stream, ..)| &stream.name.value), " and ");
        let finding =
            TWICE.finding(format!("{names} go to {}", group[0].1), "give all but one of them another group");
        at_all(sheet, finding, &group)
    };
    repeated(streams.iter().copied(), |(_, group, _)| *group).into_iter().map(finding).collect()
}

fn same_mac(sheet: &RigSheet, streams: &[Fixed<'_>]) -> Vec<Finding> {
    let groups = repeated(streams.iter().copied(), |(_, group, _)| MacAddress::of_group(*group.ip()));
    let different =
        groups.into_iter().filter(|group| group.iter().any(|(_, other, _)| other.ip() != group[0].1.ip()));
    let finding = |group: Vec<Fixed<'_>>| {
        let names =
            named(group.iter().map(|(stream, to, _)| format!("{} ({})", stream.name.value, to.ip())), " and ");
        let mac = MacAddress::of_group(*group[0].1.ip());
        let what = format!("{names} share the MAC address {mac}");
        at_all(sheet, SAME_MAC.finding(what, "choose groups that differ in the last two numbers"), &group)
    };
    different.map(finding).collect()
}

/// The groups of the sACN universes on the sheet.
fn sacn_groups(sheet: &RigSheet) -> HashSet<Ipv4Addr> {
    let ports = sheet.nodes.iter().flat_map(|node| &node.ports).filter_map(|port| port.universe.value.real());
    let used = ports.filter(|universe| universe.is_sacn()).filter_map(Universe::sacn);
    let sources = sheet.sources.iter().filter(|source| source.protocol == Protocol::Sacn);
    let sent = sources.flat_map(|source| &source.sends).flat_map(|block| block.value.iter());
    let sent = sent.filter_map(Option::<SacnUniverse>::from);
    used.chain(sent).map(SacnUniverse::group).collect()
}

fn reserved(
    sheet: &RigSheet,
    (stream, group, span): &Fixed<'_>,
    universes: &HashSet<Ipv4Addr>,
) -> Option<Finding> {
    let (name, address) = (&stream.name.value, group.ip());
    let finding = if address.octets()[..3] == [224, 0, 0] {
        FLOODED.finding(format!("{name} goes to {address}"), "choose a group of 239.0.0.0/8")
    } else if universes.contains(address) {
        let [_, _, high, low] = address.octets();
        let universe = u16::from_be_bytes([high, low]);
        let what = format!("{name} goes to {address}, the group of sACN universe {universe}");
        ON_SACN.finding(what, "choose a group outside 239.255.0.0/16")
    } else {
        return None;
    };
    Some(finding.at(sheet, *span, name.clone()))
}

fn at_all(sheet: &RigSheet, finding: Finding, group: &[Fixed<'_>]) -> Finding {
    group
        .iter()
        .rev()
        .fold(finding, |finding, (stream, _, span)| finding.at(sheet, *span, stream.name.value.clone()))
}
