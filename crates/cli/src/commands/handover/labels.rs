//! Labels: who a unit is, on paper that sticks.

use lantern_core::Direction;
use lantern_core::sheet::{RigSheet, SheetNode, SheetPort, WantedAddress};
use serde::Serialize;

use super::fixtures::{PlannedFixture, fixtures};

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

/// Whose labels.
#[derive(Debug, Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
pub(super) enum Whose {
    /// Those of nodes, with address, ports and MAC address
    Nodes,
    /// Those of fixtures, with the start address as a big number
    Fixtures,
}

/// One label.
#[derive(Debug, Serialize)]
pub(super) struct Label {
    /// What is to be read from below.
    big: String,
    name: String,
    label: String,
    address: String,
    universes: String,
    mac: String,
}

/// The labels, page by page.
pub(super) fn sheets(sheet: &RigSheet, whose: Whose, size: Size) -> Vec<Vec<Label>> {
    let labels: Vec<Label> = match whose {
        Whose::Nodes => sheet.nodes.iter().map(label).collect(),
        Whose::Fixtures => fixtures(sheet).iter().map(label_of_fixture).collect(),
    };
    let on_page = match size {
        Size::A4 => ON_A4,
        Size::Tape => 1,
    };
    let mut pages: Vec<Vec<Label>> = Vec::new();
    for label in labels {
        match pages.last_mut().filter(|page| page.len() < on_page) {
            Some(page) => page.push(label),
            None => pages.push(vec![label]),
        }
    }
    pages
}

fn label_of_fixture(one: &PlannedFixture) -> Label {
    Label {
        big: one.start.clone(),
        name: one.name.clone(),
        label: one.mode.clone(),
        address: String::new(),
        universes: format!("universe {}", one.universe),
        mac: one.uid.clone(),
    }
}

fn label(node: &SheetNode) -> Label {
    let address = node.address.value;
    Label {
        big: String::new(),
        name: node.name.value.clone(),
        label: node.label.as_ref().map(|label| label.value.clone()).unwrap_or_default(),
        address: if address == WantedAddress::Fill { "address open".to_owned() } else { address.to_string() },
        universes: ports(&node.ports),
        mac: node.mac.as_ref().map(|mac| mac.value.to_string()).unwrap_or_default(),
    }
}

/// Ports with their universes; runs that count up together are one: `1–4: 0:0:0 to 0:0:3`.
fn ports(ports: &[SheetPort]) -> String {
    let mut runs: Vec<(&SheetPort, &SheetPort)> = Vec::new();
    for port in ports {
        match runs.last_mut().filter(|(_, last)| goes_on(last, port)) {
            Some((_, last)) => *last = port,
            None => runs.push((port, port)),
        }
    }
    let universe =
        |port: &SheetPort| port.universe.value.real().map_or_else(|| "open".to_owned(), |one| one.to_string());
    let run = |(first, last): &(&SheetPort, &SheetPort)| {
        let way = if first.direction == Direction::In { "in " } else { "" };
        let (number, end) = (first.number.value, last.number.value);
        match (number == end, universe(first), universe(last)) {
            (true, one, _) => format!("{number}: {way}{one}"),
            (false, one, other) if one == other => format!("{number}–{end}: {way}{one}"),
            (false, one, other) => format!("{number}–{end}: {way}{one} to {other}"),
        }
    };
    runs.iter().map(run).collect::<Vec<_>>().join("  ")
}

/// Whether a port goes on where the one before it ends.
fn goes_on(last: &SheetPort, port: &SheetPort) -> bool {
    let flat = |port: &SheetPort| {
        port.universe.value.real().filter(|one| !one.is_sacn()).and_then(|one| Some(one.port_address()?.flat()))
    };
    let counts = port.number.value == last.number.value + 1 && port.direction == last.direction;
    counts
        && match (flat(last), flat(port)) {
            (Some(before), Some(this)) => this == before + 1,
            (None, None) => last.universe.value.real().is_none() && port.universe.value.real().is_none(),
            _ => false,
        }
}
