//! Clashes of streams of sound and picture.

use std::collections::HashSet;
use std::net::{Ipv4Addr, SocketAddrV4};

use lantern_wire::MacAddress;

use super::{named, open, repeated};
use crate::Protocol;
use crate::finding::{Finding, Rule, Severity};
use crate::sheet::{RigSheet, SheetStream, WantedGroup};
use crate::universe::{SacnUniverse, Universe};

pub(super) static RULES: &[&Rule] = &[&TWICE, &SAME_MAC, &FLOODED, &ON_SACN, &NO_GROUP, &NO_RECEIVER, &OPEN];

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

type Fixed<'s> = (&'s SheetStream, SocketAddrV4);

pub(super) fn clashes(sheet: &RigSheet) -> Vec<Finding> {
    let mut findings = Vec::new();
    let mut multicast: Vec<Fixed<'_>> = Vec::new();
    let mut without = Vec::new();
    for stream in &sheet.streams {
        let name = &stream.name.value;
        match stream.group.value {
            WantedGroup::Fill => without.push((name.clone(), stream.group.span)),
            WantedGroup::Fixed(group) if !group.ip().is_multicast() => {
                let what = format!("{name} goes to {}, which is no multicast address", group.ip());
                let finding = NO_GROUP.finding(what, "choose a group of 239.0.0.0/8, as in \"239.69.10.1:5004\"");
                findings.push(finding.at(sheet, stream.group.span, "no group"));
            }
            WantedGroup::Fixed(group) => multicast.push((stream, group)),
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
    findings
}

fn twice(sheet: &RigSheet, streams: &[Fixed<'_>]) -> Vec<Finding> {
    let finding = |group: Vec<Fixed<'_>>| {
        let names = named(group.iter().map(|(stream, _)| &stream.name.value), " and ");
        let finding =
            TWICE.finding(format!("{names} go to {}", group[0].1), "give all but one of them another group");
        at_all(sheet, finding, &group)
    };
    repeated(streams.iter().copied(), |(_, group)| *group).into_iter().map(finding).collect()
}

fn same_mac(sheet: &RigSheet, streams: &[Fixed<'_>]) -> Vec<Finding> {
    let groups = repeated(streams.iter().copied(), |(_, group)| MacAddress::of_group(*group.ip()));
    let different =
        groups.into_iter().filter(|group| group.iter().any(|(_, other)| other.ip() != group[0].1.ip()));
    let finding = |group: Vec<Fixed<'_>>| {
        let names =
            named(group.iter().map(|(stream, to)| format!("{} ({})", stream.name.value, to.ip())), " and ");
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

fn reserved(sheet: &RigSheet, (stream, group): &Fixed<'_>, universes: &HashSet<Ipv4Addr>) -> Option<Finding> {
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
    Some(finding.at(sheet, stream.group.span, name.clone()))
}

fn at_all(sheet: &RigSheet, finding: Finding, group: &[Fixed<'_>]) -> Finding {
    group
        .iter()
        .rev()
        .fold(finding, |finding, (stream, _)| finding.at(sheet, stream.group.span, stream.name.value.clone()))
}
