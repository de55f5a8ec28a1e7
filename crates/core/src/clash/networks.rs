//! Clashes of the blocks themselves: networks, their gateways and ranges, areas.

use crate::address::{AddressRange, Role, Subnet, is_public};
use crate::finding::{Finding, Rule, Severity};
use crate::sheet::{Area, Gateway, Network, Placed, RigSheet, Span};

pub(super) static RULES: &[&Rule] =
    &[&GATEWAY_OUTSIDE, &OVERLAP, &PUBLIC, &AREA_OUTSIDE, &AREAS_OVERLAP, &RANGE_OUTSIDE, &BLOCKS_OVERLAP];

static GATEWAY_OUTSIDE: Rule = Rule {
    code: "A009",
    severity: Severity::Error,
    title: "a gateway that cannot be reached",
    why: "a gateway must stand inside the network it leads out of",
};
static OVERLAP: Rule = Rule {
    code: "A011",
    severity: Severity::Error,
    title: "two networks that overlap",
    why: "with different masks one side hears the other and gets no answer to what it says",
};
static PUBLIC: Rule = Rule {
    code: "A012",
    severity: Severity::Warning,
    title: "a public range on a network with a way out",
    why: "these addresses belong to somebody on the internet: data meant for the rig may leave the house",
};
static AREA_OUTSIDE: Rule = Rule {
    code: "A017",
    severity: Severity::Error,
    title: "an area outside its network",
    why: "no address of the area can be used in its network",
};
static AREAS_OVERLAP: Rule = Rule {
    code: "A018",
    severity: Severity::Warning,
    title: "areas that overlap",
    why: "an address would tell two places, and both may hand it out",
};
static RANGE_OUTSIDE: Rule = Rule {
    code: "A020",
    severity: Severity::Warning,
    title: "a range outside its network",
    why: "it protects nothing there; often a number was mistyped",
};
static BLOCKS_OVERLAP: Rule = Rule {
    code: "U015",
    severity: Severity::Warning,
    title: "areas whose universes overlap",
    why: "both areas may hand out the same universe",
};

pub(super) fn clashes(sheet: &RigSheet) -> Vec<Finding> {
    let mut findings = Vec::new();
    for (i, network) in sheet.networks.iter().enumerate() {
        findings.extend(gateway_outside(sheet, network));
        findings.extend(public(sheet, network));
        findings.extend(ranges_outside(sheet, network));
        findings.extend(sheet.networks[..i].iter().filter_map(|earlier| overlap(sheet, earlier, network)));
    }
    findings.extend(sheet.areas.iter().filter_map(|area| area_outside(sheet, area)));
    findings.extend(areas_overlap(sheet));
    findings.extend(blocks_overlap(sheet));
    findings
}

fn gateway_outside(sheet: &RigSheet, network: &Network) -> Option<Finding> {
    let gateway = network.gateway.as_ref()?;
    let Gateway(Some(address)) = gateway.value else { return None };
    let range = network.range.value;
    let what = match range.role(address) {
        Role::Host => return None,
        Role::Outside => format!("the gateway {address} is outside {range}"),
        Role::Network | Role::Broadcast => format!("the gateway {address} is no device's address in {range}"),
    };
    let remedy = format!("name a router between {}, or \"none\" on a closed network", range.hosts());
    Some(GATEWAY_OUTSIDE.finding(what, remedy).at(sheet, gateway.span, "the gateway"))
}

fn public(sheet: &RigSheet, network: &Network) -> Option<Finding> {
    let range = network.range.value;
    if !network.has_way_out() || !is_public(range.network()) {
        return None;
    }
    let what = format!("{} uses the public range {range} and has a gateway", network.name.value);
    let remedy = "use a range like 10.40.0.0/16, or write gateway = \"none\" and keep the network closed";
    let mut finding = PUBLIC.finding(what, remedy).at(sheet, network.range.span, "public addresses");
    if let Some(gateway) = &network.gateway {
        finding = finding.at(sheet, gateway.span, "the way out");
    }
    Some(finding)
}

fn ranges_outside(sheet: &RigSheet, network: &Network) -> Vec<Finding> {
    let whole = AddressRange::from(network.range.value);
    let kept = [("keep_free", &network.keep_free), ("dhcp", &network.dhcp), ("locked", &network.locked)];
    let ranges = kept.into_iter().flat_map(|(key, ranges)| ranges.iter().map(move |range| (key, range)));
    let outside = ranges.filter(|(_, range)| !whole.covers(range.value));
    let finding = |(key, range): (&str, &Placed<AddressRange>)| {
        let what = format!("{key} has {}, outside {} ({})", range.value, network.name.value, network.range.value);
        RANGE_OUTSIDE
            .finding(what, "correct the range, or put it under its own network")
            .at(sheet, range.span, key)
    };
    outside.map(finding).collect()
}

fn overlap(sheet: &RigSheet, earlier: &Network, later: &Network) -> Option<Finding> {
    let (a, b): (Subnet, Subnet) = (earlier.range.value, later.range.value);
    if !a.contains(b.network()) && !b.contains(a.network()) {
        return None;
    }
    let what = format!("{} ({a}) and {} ({b}) overlap", earlier.name.value, later.name.value);
    let finding = OVERLAP.finding(what, "use one mask for all, or two ranges that share no address");
    let finding = finding.at(sheet, later.range.span, later.name.value.clone());
    Some(finding.at(sheet, earlier.range.span, earlier.name.value.clone()))
}

fn area_outside(sheet: &RigSheet, area: &Area) -> Option<Finding> {
    let range = area.range.as_ref()?;
    let network = &sheet.networks.get(area.network)?;
    if AddressRange::from(network.range.value).covers(range.value) {
        return None;
    }
    let name = &area.name.value;
    let what = format!("{name} has {}, outside {} ({})", range.value, network.name.value, network.range.value);
    let remedy = format!("choose a block of {}, or another network for {name}", network.range.value);
    let finding = AREA_OUTSIDE.finding(what, remedy).at(sheet, range.span, name.clone());
    Some(finding.at(sheet, network.range.span, network.name.value.clone()))
}

fn areas_overlap(sheet: &RigSheet) -> Vec<Finding> {
    let blocks = sheet.areas.iter().filter_map(|area| {
        let range = area.range.as_ref()?;
        Some(Block {
            first: range.value.first().to_bits(),
            last: range.value.last().to_bits(),
            area,
            span: range.span,
        })
    });
    let finding = |(earlier, later): (Block<'_>, Block<'_>)| {
        let what = format!("{} and {} share addresses", earlier.area.name.value, later.area.name.value);
        both(sheet, AREAS_OVERLAP.finding(what, "give each area a block of its own"), &earlier, &later)
    };
    overlapping(blocks).into_iter().map(finding).collect()
}

fn blocks_overlap(sheet: &RigSheet) -> Vec<Finding> {
    let blocks = sheet.areas.iter().filter_map(|area| {
        let block = area.universes.as_ref()?;
        let (first, last) = (block.value.first.flat().into(), block.value.last.flat().into());
        Some(Block { first, last, area, span: block.span })
    });
    let finding = |(earlier, later): (Block<'_>, Block<'_>)| {
        let what = format!("{} and {} share universes", earlier.area.name.value, later.area.name.value);
        both(sheet, BLOCKS_OVERLAP.finding(what, "give each area a block of its own"), &earlier, &later)
    };
    overlapping(blocks).into_iter().map(finding).collect()
}

fn both(sheet: &RigSheet, finding: Finding, earlier: &Block<'_>, later: &Block<'_>) -> Finding {
    let finding = finding.at(sheet, later.span, later.area.name.value.clone());
    finding.at(sheet, earlier.span, earlier.area.name.value.clone())
}

/// Numbers from the first to the last that an area has.
#[derive(Clone, Copy)]
struct Block<'s> {
    first: u32,
    last: u32,
    area: &'s Area,
    span: Span,
}

/// Each block that shares numbers with one that begins before it, behind the one of those that reaches furthest.
fn overlapping<'s>(blocks: impl Iterator<Item = Block<'s>>) -> Vec<(Block<'s>, Block<'s>)> {
    let mut blocks: Vec<Block<'s>> = blocks.collect();
    blocks.sort_by_key(|block| (block.first, block.last));
    let mut pairs = Vec::new();
    let mut blocks = blocks.into_iter();
    let Some(mut furthest) = blocks.next() else { return pairs };
    for block in blocks {
        if block.first <= furthest.last {
            pairs.push((furthest, block));
        }
        if block.last > furthest.last {
            furthest = block;
        }
    }
    pairs
}
