//! `check`: does every node answer, and is it as planned.

use lantern_core::compare::{Comparison, Difference, Row, State, compare};
use lantern_core::finding::Finding;
use serde::Serialize;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::output::{Cell, Out, Table, Tone, findings};
use crate::session::{OnSheet, Session};

/// Ask every node on the sheet to answer, and compare each with the plan
///
/// Changes nothing. Ends with 1 when a node is missing, different, or not on the sheet.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    #[command(flatten)]
    pub(crate) on: OnSheet,
}

#[derive(Debug, Serialize)]
struct Answer<'a> {
    format: u32,
    as_planned: bool,
    nodes: Vec<Line<'a>>,
    unexpected: Vec<Surplus>,
    findings: &'a [Finding],
}

/// A planned node and what became of it.
#[derive(Debug, Serialize)]
struct Line<'a> {
    name: &'a str,
    planned_address: String,
    state: &'static str,
    address: Option<String>,
    mac: Option<String>,
    differences: &'a [Difference],
}

#[derive(Debug, Serialize)]
struct Surplus {
    name: String,
    address: String,
    mac: Option<String>,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let file = SheetFile::read(&args.on.sheet)?;
    let session = Session::with_sheet(args.on.adapter.as_deref(), Some(file), out)?;
    let census = session.survey(true, out)?;
    let Some(file) = session.sheet_file() else { return Ok(Exit::Fine) };
    let comparison = compare(&file.sheet, &census);
    let found = comparison.findings(&file.sheet);
    if out.is_json() {
        out.object(&answer(&comparison, &found))?;
        return Ok(Exit::of(&found));
    }
    out.table(&table(&comparison))?;
    out.line("")?;
    // The table tells the differences; the list adds who is missing and who is too many.
    findings::print(out, &comparison.absences(&file.sheet))?;
    let line = summary(&comparison, out);
    out.line(&line)?;
    if comparison.different() > 0 {
        out.hint(&format!("deft-lantern apply {} --dry-run", file.path.display()))?;
    }
    Ok(Exit::of(&found))
}

fn summary(comparison: &Comparison<'_>, out: &Out) -> String {
    let (planned, not_asked) = comparison.asked();
    let rest =
        if not_asked > 0 { format!("; {not_asked} speak no Art-Net and were not asked") } else { String::new() };
    if comparison.is_as_planned() {
        return out.paint().dye(Tone::Good, &format!("all {planned} nodes answer as planned{rest}"));
    }
    let answering = comparison.rows.iter().filter(|row| matches!(row.state, State::Found(..))).count();
    let different = comparison.different();
    let text = format!(
        "{answering} of {planned} nodes answer, {different} of them otherwise than planned; {} not on the sheet{rest}",
        comparison.unexpected.len()
    );
    out.paint().dye(Tone::Bad, &text)
}

fn table(comparison: &Comparison<'_>) -> Table {
    let mut table = Table::new(&["node", "state", "address", "what"]).unbroken(&["node", "state", "address"]);
    for row in &comparison.rows {
        let (word, tone) = state(row);
        let (address, what) = match &row.state {
            State::NotAsked => (row.planned.address.value.to_string(), "speaks no Art-Net".to_owned()),
            State::Missing => (String::new(), format!("planned at {}", row.planned.address.value)),
            State::Ambiguous(several) => (String::new(), format!("{} units could be it", several.len())),
            State::Found(node, differences) => {
                let list: Vec<String> = differences.iter().map(ToString::to_string).collect();
                (node.address.to_string(), list.join("\n"))
            }
        };
        let name = Cell::new(row.planned.name.value.clone(), Tone::Strong);
        table.row(vec![name, Cell::new(word, tone), address.into(), what.into()]);
    }
    for node in &comparison.unexpected {
        table.row(vec![
            Cell::new(node.title(), Tone::Strong),
            Cell::new("unexpected", Tone::Doubtful),
            node.address.to_string().into(),
            "not on the sheet".into(),
        ]);
    }
    table
}

fn state(row: &Row<'_>) -> (&'static str, Tone) {
    match &row.state {
        State::NotAsked => ("not asked", Tone::Faint),
        State::Missing => ("missing", Tone::Bad),
        State::Ambiguous(_) => ("ambiguous", Tone::Bad),
        State::Found(_, differences) if differences.is_empty() => ("as planned", Tone::Good),
        State::Found(..) => ("different", Tone::Bad),
    }
}

fn answer<'a>(comparison: &'a Comparison<'_>, findings: &'a [Finding]) -> Answer<'a> {
    let line = |row: &'a Row<'_>| {
        let (node, differences) = match &row.state {
            State::Found(node, differences) => (Some(node), &differences[..]),
            State::NotAsked | State::Missing | State::Ambiguous(_) => (None, &[][..]),
        };
        Line {
            name: &row.planned.name.value,
            planned_address: row.planned.address.value.to_string(),
            state: state(row).0,
            address: node.map(|node| node.address.to_string()),
            mac: node.and_then(|node| node.mac).map(|mac| mac.to_string()),
            differences,
        }
    };
    let surplus = |node: &&lantern_core::census::FoundNode| Surplus {
        name: node.title(),
        address: node.address.to_string(),
        mac: node.mac.map(|mac| mac.to_string()),
    };
    Answer {
        format: 1,
        as_planned: comparison.is_as_planned(),
        nodes: comparison.rows.iter().map(line).collect(),
        unexpected: comparison.unexpected.iter().map(surplus).collect(),
        findings,
    }
}
