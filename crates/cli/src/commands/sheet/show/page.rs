//! The page: one file, no script, nothing from elsewhere; what the sheet says is escaped by the template.

use lantern_core::clash::sheet_clashes;
use lantern_core::sheet::{RigSheet, SheetNode};
use minijinja::context;
use serde::Serialize;

use super::drawings;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::output::page;

const TEMPLATE: &str = include_str!("page.html");

/// An area with what stands in it.
#[derive(Debug, Serialize)]
pub(crate) struct Area {
    name: String,
    range: String,
    universes: String,
    nodes: Vec<Node>,
}

#[derive(Debug, Serialize)]
pub(crate) struct Node {
    name: String,
    label: String,
    kind: String,
    address: String,
    mac: String,
    ports: Vec<String>,
}

#[derive(Debug, Serialize)]
struct Stream {
    name: String,
    carries: String,
    from: String,
    to: String,
    group: String,
    load: String,
}

/// The page as HTML.
pub(super) fn render(file: &SheetFile) -> Result<String, Failure> {
    let sheet = &file.sheet;
    let (power, links) = drawings::loads(sheet);
    let findings = sheet_clashes(sheet);
    let values = context! {
        rig => sheet.name.value,
        file => file.path.file_name().unwrap_or_default().to_string_lossy(),
        counts => counts(sheet),
        findings => page::judged(&findings),
        more_findings => findings.len().saturating_sub(page::MOST_FINDINGS),
        areas => areas(sheet),
        maps => drawings::address_maps(sheet),
        universes => drawings::universes(sheet),
        power => power,
        links => links,
        streams => streams(sheet),
    };
    page::render(TEMPLATE, values)
        .map_err(|error| Failure::Page { path: file.path.clone(), why: error.to_string() })
}

/// How much there is of everything.
pub(crate) fn counts(sheet: &RigSheet) -> String {
    let ports: usize = sheet.nodes.iter().map(|node| node.ports.len()).sum();
    format!(
        "{} nodes, {ports} ports, {} fixtures, {} streams, {} switches",
        sheet.nodes.len(),
        sheet.fixtures.iter().map(|fixture| fixture.count.as_ref().map_or(1, |count| count.value)).sum::<u32>(),
        sheet.streams.len(),
        sheet.switches.len()
    )
}

/// The areas, and what stands in none.
pub(crate) fn areas(sheet: &RigSheet) -> Vec<Area> {
    let of = |index: Option<usize>| {
        let stands = |node: &&SheetNode| node.area.as_ref().map(|area| area.value) == index;
        sheet.nodes.iter().filter(stands).map(|node| this(sheet, node)).collect::<Vec<Node>>()
    };
    let mut areas: Vec<Area> = sheet
        .areas
        .iter()
        .enumerate()
        .map(|(index, area)| Area {
            name: area.name.value.clone(),
            range: area.range.as_ref().map(|range| range.value.to_string()).unwrap_or_default(),
            universes: area.universes.as_ref().map(|block| block.value.to_string()).unwrap_or_default(),
            nodes: of(Some(index)),
        })
        .collect();
    let without = of(None);
    if !without.is_empty() {
        areas.push(Area {
            name: "Without an area".to_owned(),
            range: String::new(),
            universes: String::new(),
            nodes: without,
        });
    }
    areas
}

fn this(sheet: &RigSheet, node: &SheetNode) -> Node {
    let port = |port: &lantern_core::sheet::SheetPort| {
        let universe = port.universe.value.real().map_or_else(|| "fill".to_owned(), |u| u.to_string());
        format!("{} {} {universe}", port.number.value, port.direction)
    };
    Node {
        name: node.name.value.clone(),
        label: node.label.as_ref().map(|label| label.value.clone()).unwrap_or_default(),
        kind: sheet.kind_of(node).map(lantern_core::sheet::kind::Kind::title).unwrap_or_default(),
        address: node.address.value.to_string(),
        mac: node.mac.as_ref().map(|mac| mac.value.to_string()).unwrap_or_default(),
        ports: node.ports.iter().map(port).collect(),
    }
}

fn streams(sheet: &RigSheet) -> Vec<Stream> {
    let stream = |stream: &lantern_core::sheet::SheetStream| Stream {
        name: stream.name.value.clone(),
        carries: stream.carries.value.to_string(),
        from: sheet.end_name(&stream.from),
        to: stream.to.iter().map(|to| sheet.end_name(to)).collect::<Vec<_>>().join(", "),
        group: stream.group.value.to_string(),
        load: stream.load().map(|load| load.to_string()).unwrap_or_default(),
    };
    sheet.streams.iter().map(stream).collect()
}
