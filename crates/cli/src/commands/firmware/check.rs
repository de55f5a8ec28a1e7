//! `firmware check`: who runs an older version than expected.

use std::path::PathBuf;

use lantern_core::Firmware;
use lantern_core::census::FoundNode;
use lantern_core::compare::compare_all;
use lantern_core::firmware::{Expected, FirmwareStanding, FirmwareTable};
use lantern_core::sheet::{RigSheet, SheetNode};
use serde::Serialize;

use crate::commands::named;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::{Cell, Out, Table, Tone, counted};
use crate::session::{Session, Where};

/// Hold what the nodes run against what they should
///
/// What is expected of a node stands on the rig sheet (firmware), else for its kind in the table firmware.toml, by kind,
/// version and file. Versions are compared as numbers, so that 1.10 is newer than 1.9.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// Only these nodes: name, address or MAC address; several by a pattern, as 'quay-*'
    #[arg(value_name = "NODE")]
    node: Vec<String>,

    /// The table of expected versions; without it firmware.toml in this folder, if there is one
    #[arg(long, value_name = "FILE")]
    table: Option<PathBuf>,

    #[command(flatten)]
    at: Where,
}

/// One node.
#[derive(Debug, Serialize)]
struct Row {
    name: String,
    mac: Option<String>,
    model: String,
    kind: Option<String>,
    has: String,
    expected: Option<String>,
    standing: FirmwareStanding,
    #[serde(skip)]
    file: Option<String>,
}

#[derive(Debug, Serialize)]
struct Answer<'a> {
    format: u32,
    nodes: &'a [Row],
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let table = super::table(args.table.as_deref())?;
    let session = Session::open(&args.at, out)?;
    // Nobody named is everybody.
    let look = named::look(&session, &args.node, out)?;
    let comparison = session.sheet().map(|sheet| compare_all(sheet, &look.census, look.everybody()));
    let mut nodes: Vec<&FoundNode> = look.census.nodes().iter().filter(|node| node.is_node()).collect();
    if !args.node.is_empty() {
        let meant = named::subjects(&args.node, &look.census, session.sheet())?;
        nodes.retain(|node| meant.iter().any(|subject| subject.is_node(node)));
    }
    let planned = |node| comparison.as_ref()?.row_of(node).map(|row| row.planned);
    let mut rows: Vec<Row> =
        nodes.into_iter().map(|node| row(node, planned(node), session.sheet(), &table)).collect();
    rows.sort_by(|a, b| a.name.cmp(&b.name));
    if out.is_json() {
        out.object(&Answer { format: 1, nodes: &rows })?;
    } else {
        show(&rows, out)?;
    }
    let is_wrong = |row: &Row| matches!(row.standing, FirmwareStanding::Older | FirmwareStanding::Newer);
    Ok(if rows.iter().any(is_wrong) { Exit::Wrong } else { Exit::Fine })
}

fn row(node: &FoundNode, planned: Option<&SheetNode>, sheet: Option<&RigSheet>, table: &FirmwareTable) -> Row {
    let by_sheet = planned.and_then(|planned| sheet?.kind_of(planned));
    let kind = by_sheet.or_else(|| node.kind()).map(|kind| kind.name.value.clone());
    let of_kind: Option<&Expected> = kind.as_deref().and_then(|kind| table.of_kind(kind));
    let expected: Option<Firmware> =
        planned.and_then(|planned| planned.firmware.as_ref()).map(|firmware| firmware.value);
    let expected = expected.or_else(|| of_kind.map(|one| one.version));
    Row {
        name: node.title(),
        mac: node.mac.map(|mac| mac.to_string()),
        model: node.model(),
        kind,
        has: node.firmware.to_string(),
        expected: expected.map(|version| version.to_string()),
        standing: FirmwareStanding::of(Some(node.firmware), expected),
        file: of_kind.filter(|one| Some(one.version) == expected).and_then(|one| one.file.clone()),
    }
}

fn show(rows: &[Row], out: &mut Out) -> Result<(), Failure> {
    let mut table = Table::new(&["node", "model", "has", "expected", "it is"]).unbroken(&["node", "it is"]);
    for row in rows {
        let tone = match row.standing {
            FirmwareStanding::Equal => Tone::Good,
            FirmwareStanding::Older | FirmwareStanding::Newer => Tone::Bad,
            FirmwareStanding::Unknown => Tone::Faint,
        };
        table.row(vec![
            Cell::new(row.name.clone(), Tone::Strong),
            row.model.clone().into(),
            row.has.clone().into(),
            row.expected.clone().unwrap_or_default().into(),
            Cell::new(row.standing.to_string(), tone),
        ]);
    }
    out.table(&table)?;
    let count = |standing| rows.iter().filter(|row| row.standing == standing).count();
    let older = count(FirmwareStanding::Older);
    out.line("")?;
    out.line(&format!(
        "{}: {older} older, {} equal, {} newer, {} unknown",
        counted(rows.len(), "node"),
        count(FirmwareStanding::Equal),
        count(FirmwareStanding::Newer),
        count(FirmwareStanding::Unknown)
    ))?;
    let first = rows.iter().find(|row| row.standing == FirmwareStanding::Older && row.file.is_some());
    if let Some((file, first)) = first.and_then(|first| Some((first.file.clone()?, first))) {
        let same = rows.iter().filter(|row| row.standing == FirmwareStanding::Older && row.file == first.file);
        // Where two are called alike, the name would not say which.
        let is_single = |row: &Row| rows.iter().filter(|one| one.name == row.name).count() == 1;
        let call = |row: &Row| row.mac.clone().filter(|_| !is_single(row)).unwrap_or_else(|| row.name.clone());
        let names: Vec<String> = same.map(call).collect();
        out.hint(&format!("deft-lantern firmware send {file} {}", names.join(" ")))?;
    } else if older == 0 && count(FirmwareStanding::Unknown) == rows.len() {
        out.hint("write what you expect into firmware.toml: [[firmware]], kind = \"…\", version = \"1.5\", file = \"…\"")?;
    }
    Ok(())
}
