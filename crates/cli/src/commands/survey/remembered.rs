//! `survey --remembered`: what earlier surveys saw.

use serde::Serialize;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::memory::{Memory, Remembered};
use crate::output::{Cell, Out, Table, Tone};
use crate::session::Where;

#[derive(Debug, Serialize)]
struct Answer<'a> {
    format: u32,
    devices: Vec<Line<'a>>,
}

#[derive(Debug, Serialize)]
struct Line<'a> {
    mac: Option<&'a str>,
    address: Option<&'a str>,
    name: &'a str,
    what: &'a str,
    network: &'a str,
    first_seen: &'a str,
    last_seen: &'a str,
    in_last_survey: bool,
}

/// Runs it.
pub(super) fn run(at: &Where, out: &mut Out) -> Result<Exit, Failure> {
    let sheet = at.sheet(out)?;
    let memory = Memory::open(sheet.as_ref(), false)?;
    let all = memory.as_ref().map_or_else(|| Ok(Vec::new()), Memory::all)?;
    if out.is_json() {
        out.object(&Answer { format: 1, devices: all.iter().map(line).collect() })?;
        return Ok(Exit::Fine);
    }
    if all.is_empty() {
        out.line("nothing is remembered yet")?;
        out.hint("deft-lantern survey")?;
        return Ok(Exit::Fine);
    }
    out.table(&table(&all))?;
    out.line("")?;
    let last = all.iter().filter(|one| one.in_last).count();
    out.line(&format!(
        "{} devices remembered, {last} of them seen by the last survey of their network",
        all.len()
    ))?;
    if let Some(memory) = memory {
        out.note(&format!("remembered in {}; forgetting: deft-lantern forget", memory.path().display()))?;
    }
    Ok(Exit::Fine)
}

fn line(one: &Remembered) -> Line<'_> {
    Line {
        mac: one.mac.as_deref(),
        address: one.address.as_deref(),
        name: &one.name,
        what: &one.what,
        network: &one.network,
        first_seen: &one.first_seen,
        last_seen: &one.last_seen,
        in_last_survey: one.in_last,
    }
}

fn table(all: &[Remembered]) -> Table {
    let headings = ["name", "last at", "MAC", "what it is", "network", "last seen"];
    let mut table = Table::new(&headings).unbroken(&["name", "last at", "MAC", "last seen"]);
    for one in all {
        let or = |text: &Option<String>, none: &str| text.clone().unwrap_or_else(|| none.to_owned());
        table.row(vec![
            Cell::new(one.name.as_str(), Tone::Strong),
            or(&one.address, "none").into(),
            or(&one.mac, "not seen").into(),
            one.what.as_str().into(),
            one.network.as_str().into(),
            Cell::new(one.last_day(), if one.in_last { Tone::Plain } else { Tone::Doubtful }),
        ]);
    }
    table
}
