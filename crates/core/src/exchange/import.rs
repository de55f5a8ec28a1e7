//! A table brought into a sheet: what is there already is changed where the table says otherwise, the rest is added.
//!
//! The sheet's own reader judges the values: whatever it refuses is told by row and column.

use std::collections::HashMap;

use super::table::{Subject, Table};
use crate::sheet::{Edits, Fixture, RigSheet, SheetNode, SheetPort, Span};

/// A cell that cannot be brought in.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BadCell {
    /// The row of the file, counted from 1 with the heading.
    pub row: usize,
    /// The column's name.
    pub column: String,
    /// What is wrong.
    pub what: String,
    /// What was expected.
    pub expected: String,
}

/// What a table makes of a sheet.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Imported {
    /// The sheet's new text.
    pub text: String,
    /// How many things are new.
    pub added: usize,
    /// How many things that were there are changed.
    pub changed: usize,
    /// Columns that mean nothing to a sheet.
    pub unused: Vec<String>,
}

/// Keys whose values are numbers.
const NUMBERS: [&str; 8] = ["number", "power", "port", "sources", "splits", "slot", "footprint", "count"];

/// Brings a table into a sheet.
///
/// # Errors
/// Every cell that cannot be brought in.
pub fn import(sheet: &RigSheet, subject: Subject, table: &Table) -> Result<Imported, Vec<BadCell>> {
    let mut bringing = Bringing::new(sheet, table);
    for (row, cells) in &table.rows {
        if cells.len() > table.columns.len() {
            bringing.refuse(*row, "", "the row has more cells than there are columns", "one cell for each column");
            continue;
        }
        match subject {
            Subject::Nodes => bringing.node(*row, cells),
            Subject::Ports => bringing.port(*row, cells),
            Subject::Fixtures => bringing.fixture(*row, cells),
        }
    }
    let unused = table.columns.iter().filter(|column| !subject.columns().contains(&column.as_str()));
    let unused = unused.filter(|column| !column.is_empty()).cloned().collect();
    bringing.finish(unused)
}

struct Bringing<'a> {
    sheet: &'a RigSheet,
    table: &'a Table,
    nodes: HashMap<&'a str, &'a SheetNode>,
    fixtures: HashMap<&'a str, &'a Fixture>,
    edits: Edits,
    /// Which cell each edit comes from.
    cells: Vec<(usize, String)>,
    bad: Vec<BadCell>,
    added: usize,
    changed: usize,
}

impl<'a> Bringing<'a> {
    fn new(sheet: &'a RigSheet, table: &'a Table) -> Self {
        Self {
            sheet,
            table,
            nodes: sheet.nodes.iter().map(|node| (node.name.value.as_str(), node)).collect(),
            fixtures: sheet.fixtures.iter().map(|fixture| (fixture.name.value.as_str(), fixture)).collect(),
            edits: Edits::default(),
            cells: Vec::new(),
            bad: Vec::new(),
            added: 0,
            changed: 0,
        }
    }

    fn refuse(&mut self, row: usize, column: &str, what: impl Into<String>, expected: impl Into<String>) {
        self.bad.push(BadCell { row, column: column.to_owned(), what: what.into(), expected: expected.into() });
    }

    fn cell<'r>(&self, cells: &'r [String], column: &str) -> Option<&'r str> {
        let place = self.table.columns.iter().position(|name| name == column)?;
        cells.get(place).map(String::as_str).filter(|cell| !cell.is_empty())
    }

    fn node(&mut self, row: usize, cells: &[String]) {
        let Some(name) = self.cell(cells, "name") else {
            return self.refuse(row, "name", "the row has no name", "the node's name");
        };
        match self.nodes.get(name).copied() {
            Some(node) => {
                let sheet = self.sheet;
                self.change(row, cells, Subject::Nodes, node.name.span, |key| of_node(sheet, node, key));
            }
            None => self.add_at_end(row, cells, Subject::Nodes, "node"),
        }
    }

    fn fixture(&mut self, row: usize, cells: &[String]) {
        let Some(name) = self.cell(cells, "name") else {
            return self.refuse(row, "name", "the row has no name", "the fixture's name");
        };
        match self.fixtures.get(name).copied() {
            Some(fixture) => {
                let sheet = self.sheet;
                self.change(row, cells, Subject::Fixtures, fixture.name.span, |key| {
                    of_fixture(sheet, fixture, key)
                });
            }
            None => self.add_at_end(row, cells, Subject::Fixtures, "fixture"),
        }
    }

    fn port(&mut self, row: usize, cells: &[String]) {
        let Some(node) = self.cell(cells, "node") else {
            return self.refuse(row, "node", "the row names no node", "the name of a node on the sheet");
        };
        let Some(node) = self.nodes.get(node).copied() else {
            let what = format!("there is no node named {node:?}");
            return self.refuse(row, "node", what, "a node on the sheet; bring in the nodes first");
        };
        let number = self.cell(cells, "port").and_then(|number| number.parse::<u32>().ok());
        let same = |port: &&SheetPort| Some(port.number.value) == number;
        match node.ports.iter().find(same) {
            Some(port) => {
                let sheet = self.sheet;
                self.change(row, cells, Subject::Ports, port.number.span, |key| of_port(sheet, port, key));
            }
            None => {
                let end = end_of(node);
                let behind = line_end(self.sheet.text(), end);
                self.add(row, cells, Subject::Ports, "node.port", Span { start: behind, end: behind });
            }
        }
    }

    /// Changes what differs; what was not said before is said behind the first line.
    fn change(
        &mut self,
        row: usize,
        cells: &[String],
        subject: Subject,
        first: Span,
        now: impl Fn(&str) -> Option<(Span, String)>,
    ) {
        let mut is_changed = false;
        for key in subject.columns().iter().skip(1) {
            let Some(value) = self.cell(cells, key) else { continue };
            match now(key) {
                Some((_, before)) if before == value => continue,
                Some((span, _)) => self.edits.replace(span, as_toml(key, value)),
                None if subject == Subject::Ports && *key == "port" => continue,
                None => {
                    let end = line_end(self.sheet.text(), first.end);
                    self.edits.replace(Span { start: end, end }, format!("\n{key} = {}", as_toml(key, value)));
                }
            }
            is_changed = true;
            self.cells.push((row, (*key).to_owned()));
        }
        self.changed += usize::from(is_changed);
    }

    fn add_at_end(&mut self, row: usize, cells: &[String], subject: Subject, heading: &str) {
        let end = self.sheet.text().len();
        self.add(row, cells, subject, heading, Span { start: end, end });
    }

    fn add(&mut self, row: usize, cells: &[String], subject: Subject, heading: &str, at: Span) {
        let is_end = at.start == self.sheet.text().len();
        let break_before = if is_end && (self.sheet.text().ends_with('\n') || self.added > 0) { "" } else { "\n" };
        let space = if heading == "node.port" { "" } else { "\n" };
        let end = if is_end { "\n" } else { "" };
        let mut write = |text: String, column: &str, cells: &mut Vec<(usize, String)>| {
            self.edits.replace(at, text);
            cells.push((row, column.to_owned()));
        };
        write(format!("{break_before}{space}[[{heading}]]{end}"), "", &mut self.cells);
        let columns = subject.columns();
        for key in columns {
            let place = self.table.columns.iter().position(|name| name == key);
            let value = place.and_then(|place| cells.get(place)).filter(|cell| !cell.is_empty());
            let Some(value) = value.filter(|_| *key != "node") else { continue };
            let line = format!("{key} = {}", as_toml(key, value));
            write(if is_end { format!("{line}\n") } else { format!("\n{line}") }, key, &mut self.cells);
        }
        self.added += 1;
    }

    fn finish(mut self, unused: Vec<String>) -> Result<Imported, Vec<BadCell>> {
        let (text, spans) = self.edits.apply_traced(self.sheet.text());
        if let Err(errors) = RigSheet::parse(&text) {
            for error in errors.errors {
                let here =
                    spans.iter().position(|span| span.start <= error.span.start && error.span.start < span.end);
                let (row, column) = here.and_then(|place| self.cells.get(place).cloned()).unwrap_or_default();
                let expected = error.hint.unwrap_or(error.expected);
                self.bad.push(BadCell { row, column, what: error.what, expected });
            }
        }
        if !self.bad.is_empty() {
            self.bad.sort_by_key(|bad| bad.row);
            return Err(self.bad);
        }
        Ok(Imported { text, added: self.added, changed: self.changed, unused })
    }
}

/// A cell as TOML: numbers bare where the sheet has numbers.
fn as_toml(key: &str, value: &str) -> String {
    let is_number = NUMBERS.contains(&key) && value.bytes().all(|b| b.is_ascii_digit() || b == b'.');
    if is_number { value.to_owned() } else { toml::Value::String(value.to_owned()).to_string() }
}

fn line_end(text: &str, from: usize) -> usize {
    text[from..].find('\n').map_or(text.len(), |end| from + end)
}

/// Behind the last thing that is said of a node.
fn end_of(node: &SheetNode) -> usize {
    let beside_tables = ["clone_of", "behind"];
    let own = Subject::Nodes.columns().iter().chain(&beside_tables).filter_map(|key| place_of_node(node, key));
    let of_port = |port| {
        let all = ["port", "out", "in", "merge", "sources", "splits", "rdm", "on_data_loss", "label"];
        all.into_iter().filter_map(move |key| place_of_port(port, key))
    };
    own.chain(node.ports.iter().flat_map(of_port)).map(|span| span.end).max().unwrap_or(0)
}

/// Where a value stands, and how a table shows it.
fn written(sheet: &RigSheet, span: Option<Span>) -> Option<(Span, String)> {
    let span = span?;
    let text = sheet.text().get(span.start..span.end).unwrap_or_default();
    let value = toml::from_str::<toml::Table>(&format!("v = {text}")).ok().and_then(|mut table| table.remove("v"));
    let shown = match value {
        Some(toml::Value::String(text)) => text,
        Some(other) => other.to_string(),
        None => text.to_owned(),
    };
    Some((span, shown))
}

/// Where a key of a node is said.
fn place_of_node(node: &SheetNode, key: &str) -> Option<Span> {
    match key {
        "name" => Some(node.name.span),
        "label" => node.label.as_ref().map(|v| v.span),
        "area" => node.area.as_ref().map(|v| v.span),
        "kind" => node.kind.as_ref().map(|v| v.span),
        "mac" => node.mac.as_ref().map(|v| v.span),
        "serial" => node.serial.as_ref().map(|v| v.span),
        "number" => node.number.as_ref().map(|v| v.span),
        "clone_of" => node.clone_of.as_ref().map(|v| v.span),
        "behind" => node.behind.as_ref().map(|v| v.span),
        "address" => Some(node.address.span),
        "firmware" => node.firmware.as_ref().map(|v| v.span),
        "on_data_loss" => node.on_data_loss.as_ref().map(|v| v.span),
        "protocol" => node.protocol.as_ref().map(|v| v.span),
        "power" => node.power.as_ref().map(|v| v.span),
        "location" => node.location.as_ref().map(|v| v.span),
        _ => None,
    }
}

/// Where a key of a port is said.
fn place_of_port(port: &SheetPort, key: &str) -> Option<Span> {
    match key {
        "port" => Some(port.number.span),
        "out" | "in" => Some(port.universe.span).filter(|_| key == port.direction.to_string()),
        "merge" => port.merge.as_ref().map(|v| v.span),
        "sources" => port.sources.as_ref().map(|v| v.span),
        "splits" => port.splits.as_ref().map(|v| v.span),
        "rdm" => port.rdm.as_ref().map(|v| v.span),
        "on_data_loss" => port.on_data_loss.as_ref().map(|v| v.span),
        "label" => port.label.as_ref().map(|v| v.span),
        _ => None,
    }
}

fn of_node(sheet: &RigSheet, node: &SheetNode, key: &str) -> Option<(Span, String)> {
    written(sheet, place_of_node(node, key))
}

fn of_port(sheet: &RigSheet, port: &SheetPort, key: &str) -> Option<(Span, String)> {
    let (span, shown) = written(sheet, place_of_port(port, key))?;
    // A table shows universes in one notation, so another one on the sheet is no difference.
    let universe = port.universe.value.real().filter(|_| matches!(key, "out" | "in"));
    Some((span, universe.map_or(shown, |universe| universe.to_string())))
}

fn of_fixture(sheet: &RigSheet, fixture: &Fixture, key: &str) -> Option<(Span, String)> {
    let span = match key {
        "on" => Some(fixture.on.span),
        "slot" => Some(fixture.slot.span),
        "footprint" => Some(fixture.footprint.span),
        "count" => fixture.count.as_ref().map(|v| v.span),
        "behind" => fixture.behind.as_ref().map(|v| v.span),
        "port" => fixture.port.as_ref().map(|v| v.span),
        "label" => fixture.label.as_ref().map(|v| v.span),
        "mode" => fixture.mode.as_ref().map(|v| v.span),
        _ => None,
    };
    let (span, shown) = written(sheet, span)?;
    let universe = fixture.on.value.real().filter(|_| key == "on").map(|universe| universe.to_string());
    Some((span, universe.unwrap_or(shown)))
}
