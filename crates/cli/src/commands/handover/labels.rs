//! Labels: who a unit is, on paper that sticks.

use lantern_core::Direction;
use lantern_core::sheet::{RigSheet, SheetNode};
use serde::Serialize;

/// Labels on one sheet of A4: three in a row, eight rows.
const ON_A4: usize = 24;

/// What they are printed on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub(super) enum Size {
    /// A4 with 24 labels of 70 × 37 mm.
    A4,
    /// A tape of 62 mm, cut every 29 mm.
    Tape,
}

/// One label.
#[derive(Debug, Serialize)]
pub(super) struct Label {
    name: String,
    label: String,
    address: String,
    universes: String,
    mac: String,
}

/// The labels of all nodes, page by page.
pub(super) fn sheets(sheet: &RigSheet, size: Size) -> Vec<Vec<Label>> {
    let on_page = match size {
        Size::A4 => ON_A4,
        Size::Tape => 1,
    };
    let mut pages: Vec<Vec<Label>> = Vec::new();
    for node in &sheet.nodes {
        match pages.last_mut().filter(|page| page.len() < on_page) {
            Some(page) => page.push(label(node)),
            None => pages.push(vec![label(node)]),
        }
    }
    pages
}

fn label(node: &SheetNode) -> Label {
    let ports: Vec<String> = node
        .ports
        .iter()
        .map(|port| {
            let universe = port.universe.value.real().map_or_else(|| "?".to_owned(), |one| one.to_string());
            let way = if port.direction == Direction::In { "in " } else { "" };
            format!("{}: {way}{universe}", port.number.value)
        })
        .collect();
    Label {
        name: node.name.value.clone(),
        label: node.label.as_ref().map(|label| label.value.clone()).unwrap_or_default(),
        address: node.address.value.to_string(),
        universes: ports.join("  "),
        mac: node.mac.as_ref().map(|mac| mac.value.to_string()).unwrap_or_default(),
    }
}
