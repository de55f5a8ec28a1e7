//! What the page draws: cells for addresses, bars for universes and switches, as plain numbers for the template.

use std::net::Ipv4Addr;

use lantern_core::clash::{Link, Loads, SwitchLoad};
use lantern_core::sheet::RigSheet;
use lantern_core::view::{AddressState, Run, address_runs, universe_uses};
use serde::Serialize;

/// Cells in a line of a block: sixteen lines of sixteen are 256 addresses.
const LINE: u32 = 16;
/// The most blocks drawn for one network; a rig that is wider is read in tables.
const MOST_BLOCKS: usize = 128;

/// The map of one network.
#[derive(Debug, Serialize)]
pub(crate) struct AddressMap {
    name: String,
    range: String,
    blocks: Vec<Block>,
    /// Blocks in which nothing is planned, or which are too many.
    not_drawn: u64,
}

/// 256 addresses whose first three numbers are the same.
#[derive(Debug, Serialize)]
struct Block {
    title: String,
    area: String,
    cells: Vec<CellDrawn>,
}

#[derive(Debug, Serialize)]
struct CellDrawn {
    column: u32,
    line: u32,
    /// The state's word in CSS.
    class: &'static str,
    /// A letter in the cell, so that colour is not alone.
    sign: &'static str,
    says: String,
}

/// A bar of some share of a whole.
#[derive(Debug, Serialize)]
pub(crate) struct Bar {
    name: String,
    says: String,
    percent: u32,
    class: &'static str,
}

/// Bars under one heading.
#[derive(Debug, Serialize)]
pub(crate) struct Group {
    name: String,
    bars: Vec<Bar>,
}

/// The maps of all networks.
pub(crate) fn address_maps(sheet: &RigSheet) -> Vec<AddressMap> {
    let map = |(index, network): (usize, &lantern_core::sheet::Network)| {
        let mut blocks: Vec<Block> = Vec::new();
        let mut last = None;
        for run in address_runs(sheet, index) {
            add(&mut blocks, &mut last, &run);
        }
        // A block that is all free has nothing to show.
        blocks.retain(|block| block.cells.iter().any(|cell| !matches!(cell.class, "free" | "unusable")));
        let all = (u64::from(network.range.value.broadcast().to_bits() - network.range.value.network().to_bits())
            + 1)
        .div_ceil(256);
        blocks.truncate(MOST_BLOCKS);
        let not_drawn = all.saturating_sub(u64::try_from(blocks.len()).unwrap_or(u64::MAX));
        AddressMap { name: network.name.value.clone(), range: network.range.value.to_string(), blocks, not_drawn }
    };
    sheet.networks.iter().enumerate().map(map).collect()
}

/// Draws a run into the blocks it lies in.
fn add(blocks: &mut Vec<Block>, last: &mut Option<u32>, run: &Run) {
    let (first, end) = (run.first.to_bits(), run.last.to_bits());
    for block in blocks_of(run) {
        if *last != Some(block) {
            *last = Some(block);
            let [a, b, c, _] = Ipv4Addr::from_bits(block << 8).octets();
            blocks.push(Block { title: format!("{a}.{b}.{c}"), area: String::new(), cells: Vec::new() });
        }
        let Some(drawn) = blocks.last_mut() else { continue };
        if let Some(area) = run.area.as_ref().filter(|area| !drawn.area.contains(area.as_str())) {
            let between = if drawn.area.is_empty() { "" } else { ", " };
            drawn.area = format!("{}{between}{area}", drawn.area);
        }
        let (from, to) = ((block << 8).max(first), ((block << 8) + 255).min(end));
        drawn.cells.extend((from..=to).map(|address| cell(run, address)));
    }
}

/// The blocks that a run is drawn in. A long free one is drawn only at its two ends, where something else is too.
fn blocks_of(run: &Run) -> Vec<u32> {
    let (first, last) = (run.first.to_bits() >> 8, run.last.to_bits() >> 8);
    if matches!(run.state, AddressState::Free | AddressState::Unusable) {
        let mut ends = vec![first, last];
        ends.dedup();
        return ends;
    }
    (first..=last).take(MOST_BLOCKS).collect()
}

fn cell(run: &Run, address: u32) -> CellDrawn {
    let place = address & 0xff;
    let shown = Ipv4Addr::from_bits(address);
    let who = usize::try_from(address - run.first.to_bits()).ok().and_then(|n| run.who.get(n));
    let (class, sign) = style(run.state);
    CellDrawn {
        column: place % LINE,
        line: place / LINE,
        class,
        sign,
        says: who.map_or_else(|| format!("{shown} {}", run.state), |who| format!("{shown} {who}")),
    }
}

/// The class and the sign of a state.
pub(crate) const fn style(state: AddressState) -> (&'static str, &'static str) {
    match state {
        AddressState::Node => ("node", "n"),
        AddressState::Source => ("source", "s"),
        AddressState::Switch => ("switch", "w"),
        AddressState::Gateway => ("gateway", "g"),
        AddressState::KeptFree => ("kept", "k"),
        AddressState::Pool => ("pool", "d"),
        AddressState::Locked => ("locked", "x"),
        AddressState::Unusable => ("unusable", ""),
        AddressState::Free => ("free", ""),
    }
}

/// How full each universe is, area by area.
pub(crate) fn universes(sheet: &RigSheet) -> Vec<Group> {
    let mut groups: Vec<Group> = Vec::new();
    for one in universe_uses(sheet) {
        let name = one.area.clone().unwrap_or_else(|| "In no area's block".to_owned());
        let bar = Bar {
            name: one.universe.to_string(),
            says: format!(
                "{} of 512 slots, {} fixtures; sent by {}; comes out of {}",
                one.used,
                one.fixtures,
                none_or(&one.senders),
                none_or(&one.listeners)
            ),
            percent: one.used * 100 / 512,
            class: match (one.senders.is_empty(), one.listeners.is_empty()) {
                (false, false) => "both",
                (false, true) => "sent",
                (true, false) => "heard",
                (true, true) => "neither",
            },
        };
        match groups.iter_mut().find(|group| group.name == name) {
            Some(group) => group.bars.push(bar),
            None => groups.push(Group { name, bars: vec![bar] }),
        }
    }
    groups
}

fn none_or(names: &[String]) -> String {
    if names.is_empty() { "nobody".to_owned() } else { names.join(", ") }
}

/// How loaded each switch and link is.
pub(crate) fn loads(sheet: &RigSheet) -> (Vec<Bar>, Vec<Bar>) {
    let loads = Loads::of(sheet);
    let power = |switch: &SwitchLoad| {
        let (budget, percent) = (switch.budget?, switch.percent()?);
        let says = format!("{} of {budget} ({percent} %)", switch.drawn);
        let class = class(percent, sheet.thresholds.power);
        Some(Bar { name: switch.name.clone(), says, percent: percent.min(100), class })
    };
    let data = |link: &Link| {
        let (capacity, percent) = (link.capacity?, link.percent()?);
        let name = format!("{} port {} to {}", link.switch.name, link.switch.port, link.to);
        let says = format!("{} out, {} back, of {capacity} ({percent} %)", link.out, link.back);
        Some(Bar { name, says, percent: percent.min(100), class: class(percent, sheet.thresholds.link) })
    };
    (loads.switches.iter().filter_map(power).collect(), loads.links.iter().filter_map(data).collect())
}

const fn class(percent: u32, threshold: u32) -> &'static str {
    match percent {
        _ if percent > 100 => "over",
        _ if percent >= threshold => "near",
        _ => "both",
    }
}

#[cfg(test)]
mod tests {
    use lantern_sim::NIGHT_MENDED_SHEET;
    use rstest::rstest;

    use super::*;

    fn sheet(network: &str, rest: &str) -> RigSheet {
        let text = format!("[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\n{network}\n{rest}");
        RigSheet::parse(&text).unwrap_or_else(|errors| panic!("{:?}", errors.errors))
    }

    const NODE: &str = "[[node]]\nname = \"a\"\naddress = \"10.40.7.9\"\n";

    #[rstest]
    #[case::only_where_something_is("range = \"10.40.0.0/16\"", NODE, &["10.40.7"])]
    #[case::a_kept_range_over_three("range = \"10.40.0.0/16\"\nlocked = \"10.40.3.250-10.40.5.5\"", NODE, &["10.40.3", "10.40.4", "10.40.5", "10.40.7"])]
    #[case::a_small_network("range = \"10.40.7.0/28\"", NODE, &["10.40.7"])]
    #[case::nothing("range = \"10.40.0.0/16\"", "", &[])]
    fn blocks_are_drawn_where_something_is(#[case] network: &str, #[case] rest: &str, #[case] blocks: &[&str]) {
        let map = address_maps(&sheet(network, rest)).remove(0);
        assert_eq!(map.blocks.iter().map(|block| block.title.as_str()).collect::<Vec<_>>(), blocks);
        let size = if network.ends_with("/28\"") { 16 } else { 256 };
        assert!(map.blocks.iter().all(|block| block.cells.len() == size));
    }

    #[test]
    fn every_address_of_a_block_has_its_own_cell() {
        let sheet = RigSheet::parse(NIGHT_MENDED_SHEET).unwrap_or_else(|errors| panic!("{errors}"));
        let maps = address_maps(&sheet);
        assert_eq!(maps.len(), 2);
        for block in maps.iter().flat_map(|map| &map.blocks) {
            let places: Vec<u32> = block.cells.iter().map(|cell| cell.line * LINE + cell.column).collect();
            assert_eq!(places, (0..256).collect::<Vec<u32>>(), "{}", block.title);
        }
        let quay = maps[0].blocks.iter().find(|block| block.area == "Quay").map(|block| &block.cells[100]);
        assert_eq!(quay.map(|cell| (cell.class, cell.says.as_str())), Some(("node", "10.40.1.100 quay-north")));
        assert_eq!(maps[0].not_drawn, 256 - 8);
    }

    #[test]
    fn loads_are_marked_by_the_thresholds() {
        let text = "[[node]]\nname = \"a\"\npower = 9\naddress = \"10.40.7.9\"\n";
        let switch = |budget: &str| {
            let text = format!(
                "{text}[[switch]]\nname = \"s\"\npower = {budget}\n[[switch.port]]\nport = 1\nto = \"a\"\n"
            );
            loads(&sheet("range = \"10.40.0.0/16\"", &text)).0.remove(0)
        };
        let marks: Vec<(&str, u32)> =
            ["12", "11", "9", "8.5"].map(switch).iter().map(|bar| (bar.class, bar.percent)).collect();
        assert_eq!(marks, [("both", 75), ("near", 81), ("near", 100), ("over", 100)]);
    }

    #[test]
    fn universes_stand_under_their_areas() {
        let sheet = RigSheet::parse(NIGHT_MENDED_SHEET).unwrap_or_else(|errors| panic!("{errors}"));
        let names: Vec<String> = universes(&sheet).into_iter().map(|group| group.name).collect();
        assert_eq!(names, ["Quay", "Fish Hall", "Lighthouse", "Slipway", "Barge"]);
    }
}
