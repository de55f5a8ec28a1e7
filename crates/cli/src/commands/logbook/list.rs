//! `logbook list`: the runs.

use std::collections::HashSet;
use std::path::PathBuf;

use lantern_core::logbook::{Ending, Order, Run};
use serde::Serialize;

use super::{path_of, when};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::logbook_file::runs_of;
use crate::output::{Cell, Out, Table, Tone};

/// List the runs that changed something, the oldest first
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The rig sheet; without it, the only *.rig.toml in this folder, if there is one
    #[arg(long, value_name = "FILE")]
    sheet: Option<PathBuf>,
}

#[derive(Debug, Serialize)]
struct Answer<'a> {
    format: u32,
    runs: Vec<Listed<'a>>,
}

#[derive(Debug, Serialize)]
struct Listed<'a> {
    run: &'a str,
    at: &'a str,
    /// `null` in a logbook of the first version.
    order: Option<Order>,
    part: Option<String>,
    undoes: Option<&'a str>,
    nodes: usize,
    steps: usize,
    /// `null` for one that runs still or was killed.
    ended: Option<Ending>,
    undone: bool,
}

/// Runs it.
pub(super) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let path = path_of(args.sheet.as_deref())?;
    let runs = runs_of(&path, out)?;
    let undone: HashSet<&str> =
        runs.iter().filter(|run| run.is_undone(&runs)).map(|run| run.id.as_str()).collect();
    let listed: Vec<Listed<'_>> = runs.iter().map(|run| listed(run, undone.contains(run.id.as_str()))).collect();
    if out.is_json() {
        out.object(&Answer { format: 1, runs: listed })?;
        return Ok(Exit::Fine);
    }
    if runs.is_empty() {
        out.line(&format!("nothing was changed yet: there is no run in {}", path.display()))?;
        return Ok(Exit::Fine);
    }
    let mut table =
        Table::new(&["run", "began", "by", "of", "nodes", "steps", "ended"]).unbroken(&["run", "began"]);
    for one in &listed {
        let (tone, ended) = ending(one);
        table.row(vec![
            Cell::new(one.run, Tone::Strong),
            when(one.at).into(),
            one.order.map_or("?", Order::word).into(),
            one.undoes.map_or_else(|| one.part.clone().unwrap_or_default(), |run| format!("run {run}")).into(),
            one.nodes.to_string().into(),
            one.steps.to_string().into(),
            Cell::new(ended, tone),
        ]);
    }
    out.table(&table)?;
    if let Some(run) = Run::to_resume(&runs) {
        let sheet = run.begun.as_ref().and_then(|begun| begun.sheet.clone()).unwrap_or_default();
        out.hint(&format!("deft-lantern apply {sheet} --resume; or take it back with: deft-lantern undo"))?;
    }
    Ok(Exit::Fine)
}

fn listed(run: &Run, undone: bool) -> Listed<'_> {
    Listed {
        run: &run.id,
        at: &run.at,
        order: run.order(),
        part: run.begun.as_ref().map(|begun| begun.part.to_string()),
        undoes: run.begun.as_ref().and_then(|begun| begun.undoes.as_deref()),
        nodes: run.nodes().len() + run.said_to(),
        steps: run.sent.len() + run.said.len(),
        ended: run.ended,
        undone,
    }
}

fn ending(run: &Listed<'_>) -> (Tone, &'static str) {
    match run.ended {
        _ if run.undone => (Tone::Faint, "taken back"),
        Some(Ending::Done) => (Tone::Good, "done"),
        Some(Ending::Unfinished) => (Tone::Doubtful, "unfinished"),
        Some(Ending::BrokenOff) => (Tone::Doubtful, "broken off"),
        None => (Tone::Bad, "no end: killed, or under way"),
    }
}
