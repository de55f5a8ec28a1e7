//! Multicast groups of streams: out of the network's own block, with MAC addresses that no other group shares.

use std::collections::{HashMap, HashSet};
use std::net::{Ipv4Addr, SocketAddrV4};

use lantern_wire::MacAddress;

use super::{Choice, TOO_FEW_GROUPS};
use crate::address::AddressRange;
use crate::finding::Finding;
use crate::sheet::{Placed, RTP_PORT, RigSheet, SheetStream, Span, WantedAddress, WantedGroup};

/// Where a network names no groups: the scope of one organisation (RFC 2365, section 6.2), its first part.
const USUAL: (Ipv4Addr, Ipv4Addr) = (Ipv4Addr::new(239, 192, 0, 1), Ipv4Addr::new(239, 192, 255, 254));
/// The groups of sACN universes (ANSI E1.31, section 9.3.1), and those that switches flood.
const NEVER: [(u32, u32); 2] = [(0xefff_0000, 0xffff_0000), (0xe000_0000, 0xffff_ff00)];

pub(super) fn fill(sheet: &RigSheet) -> Result<Vec<Choice>, Vec<Finding>> {
    let mac = |group: u32| MacAddress::of_group(Ipv4Addr::from_bits(group));
    let groups = || sheet.streams.iter().flat_map(|stream| stream.groups().map(move |group| (stream, group)));
    let fixed = groups().filter_map(|(_, group)| group.value.fixed());
    let mut taken: HashSet<MacAddress> = fixed.map(|group| MacAddress::of_group(*group.ip())).collect();
    let mut next: HashMap<Option<usize>, u32> = HashMap::new();
    let mut choices = Vec::new();
    let mut findings = Vec::new();
    for (stream, open) in groups().filter(|(_, group)| group.value == WantedGroup::Fill) {
        let network = network_of(sheet, stream);
        let ranges = ranges(sheet, network);
        let from = next.get(&network).copied().unwrap_or(0);
        let mut candidates =
            ranges.iter().flat_map(|range| range.value.first().to_bits().max(from)..=range.value.last().to_bits());
        let is_free = |group: &u32| is_usable(*group) && !taken.contains(&mac(*group));
        let Some(group) = candidates.find(is_free) else {
            findings.push(too_few(sheet, stream, open.span, &ranges));
            continue;
        };
        taken.insert(mac(group));
        next.insert(network, group + 1);
        let group = Ipv4Addr::from_bits(group);
        let whose = network.map_or("the usual ones", |index| sheet.networks[index].name.value.as_str());
        choices.push(Choice {
            span: open.span,
            for_what: stream.name.value.clone(),
            value: SocketAddrV4::new(group, RTP_PORT).to_string(),
            why: format!("the next group of {whose} whose MAC address is free"),
        });
    }
    if findings.is_empty() { Ok(choices) } else { Err(findings) }
}

fn is_usable(group: u32) -> bool {
    let address = Ipv4Addr::from_bits(group);
    address.is_multicast() && !NEVER.iter().any(|(base, mask)| group & mask == *base)
}

/// The network of the sender, where that names groups.
fn network_of(sheet: &RigSheet, stream: &SheetStream) -> Option<usize> {
    let sender = sheet.member(stream.from.member.value)?;
    let address = sender.address().map_or(WantedAddress::Dhcp, |(address, _)| address);
    sheet.network_at(sender.area(), address).filter(|index| !sheet.networks[*index].groups.is_empty())
}

fn ranges(sheet: &RigSheet, network: Option<usize>) -> Vec<Placed<AddressRange>> {
    match network {
        Some(index) => sheet.networks[index].groups.clone(),
        None => vec![Placed::new(AddressRange::between(USUAL.0, USUAL.1), Span::default())],
    }
}

fn too_few(sheet: &RigSheet, stream: &SheetStream, open: Span, ranges: &[Placed<AddressRange>]) -> Finding {
    let what = format!("{} finds no group that is free", stream.name.value);
    let finding = TOO_FEW_GROUPS.finding(what, "widen the network's groups, or give fewer streams a group");
    let finding = finding.at(sheet, open, "still \"fill\"");
    let written = ranges.iter().filter(|range| range.span.end > 0);
    written.fold(finding, |finding, range| finding.at(sheet, range.span, "all of these are used"))
}
