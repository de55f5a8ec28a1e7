//! A sheet's nodes, ports or fixtures as a table.

use super::table::{Delimiter, Subject, write_table};
use crate::Direction;
use crate::sheet::{AskedUniverse, Fixture, Placed, RigSheet, SheetNode, SheetPort, WantedSlot};

/// The table of a subject, as text.
#[must_use]
pub fn export(sheet: &RigSheet, subject: Subject, delimiter: Delimiter) -> String {
    let rows: Vec<Vec<String>> = match subject {
        Subject::Nodes => sheet.nodes.iter().map(|node| self::node(sheet, node)).collect(),
        Subject::Ports => {
            let ports = sheet.nodes.iter().flat_map(|node| node.ports.iter().map(move |port| (node, port)));
            ports.map(|(node, port)| self::port(node, port)).collect()
        }
        Subject::Fixtures => sheet.fixtures.iter().map(|one| fixture(sheet, one)).collect(),
    };
    write_table(subject.columns(), &rows, delimiter)
}

fn text<T: ToString>(value: &Option<Placed<T>>) -> String {
    value.as_ref().map(|placed| placed.value.to_string()).unwrap_or_default()
}

fn node(sheet: &RigSheet, node: &SheetNode) -> Vec<String> {
    let milliwatts = node.power.as_ref().map(|power| power.value.to_string().replace(" W", ""));
    vec![
        node.name.value.clone(),
        text(&node.label),
        sheet.area_of(node).map(|area| area.name.value.clone()).unwrap_or_default(),
        text(&node.kind),
        text(&node.mac),
        text(&node.serial),
        text(&node.number),
        node.address.value.to_string(),
        text(&node.firmware),
        text(&node.on_data_loss),
        node.protocol.as_ref().map(|protocol| protocol.value.word().to_owned()).unwrap_or_default(),
        milliwatts.unwrap_or_default(),
        text(&node.location),
    ]
}

fn universe(asked: &AskedUniverse) -> String {
    match asked {
        AskedUniverse::Real(universe) => universe.to_string(),
        AskedUniverse::Fill(crate::Protocol::ArtNet) => "fill".to_owned(),
        AskedUniverse::Fill(crate::Protocol::Sacn) => "sacn fill".to_owned(),
        // The number that does not exist is what has to be seen.
        AskedUniverse::Impossible(out) => out.value.to_string(),
    }
}

fn port(node: &SheetNode, port: &SheetPort) -> Vec<String> {
    let used =
        |direction| if port.direction == direction { universe(&port.universe.value) } else { String::new() };
    vec![
        node.name.value.clone(),
        port.number.value.to_string(),
        used(Direction::Out),
        used(Direction::In),
        text(&port.merge),
        text(&port.sources),
        text(&port.splits),
    ]
}

fn fixture(sheet: &RigSheet, fixture: &Fixture) -> Vec<String> {
    let slot = match fixture.slot.value {
        WantedSlot::Fixed(slot) => slot.to_string(),
        WantedSlot::Fill => "fill".to_owned(),
    };
    vec![
        fixture.name.value.clone(),
        universe(&fixture.on.value),
        slot,
        fixture.footprint.value.to_string(),
        text(&fixture.count),
        fixture.behind.as_ref().map_or_else(String::new, |node| sheet.nodes[node.value].name.value.clone()),
        text(&fixture.port),
        text(&fixture.label),
        text(&fixture.mode),
    ]
}
