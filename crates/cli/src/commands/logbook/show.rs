//! `logbook show`: the steps of one run.

use std::path::PathBuf;

use lantern_core::logbook::{LineSaid, Run, SentStep, Stage};
use lantern_core::pattern::Pattern;
use serde::Serialize;

use super::{path_of, when};
use crate::commands::changes::steps_of;
use crate::commands::spoken::{DOTS, in_words};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::logbook_file::runs_of;
use crate::output::{Cell, Out, Table, Tone};

/// Show every step of a run, with before and after
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// Which run, as logbook list calls it; without it, the last one
    #[arg(value_name = "RUN")]
    run: Option<String>,

    /// Only the steps of these nodes, as in 'quay-*'; may be given several times
    #[arg(long, value_name = "NAME")]
    node: Vec<Pattern>,

    /// The rig sheet; without it, the only *.rig.toml in this folder, if there is one
    #[arg(long, value_name = "FILE")]
    sheet: Option<PathBuf>,
}

#[derive(Debug, Serialize)]
struct Answer<'a> {
    format: u32,
    run: &'a str,
    at: &'a str,
    steps: Vec<Step<'a>>,
    said: &'a [LineSaid],
}

#[derive(Debug, Serialize)]
struct Step<'a> {
    number: usize,
    at: &'a str,
    #[serde(flatten)]
    step: &'a lantern_core::logbook::StepTaken,
}

/// Runs it.
pub(super) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let path = path_of(args.sheet.as_deref())?;
    let runs = runs_of(&path, out)?;
    let run = match &args.run {
        Some(wanted) => runs.iter().find(|run| run.id == *wanted),
        None => runs.last(),
    };
    let Some(run) = run else {
        let there = runs.iter().map(|run| run.id.clone()).collect();
        return Err(Failure::NoRun { wanted: args.run.clone().unwrap_or_default(), there });
    };
    let steps: Vec<(usize, &SentStep)> = (1..).zip(&run.sent).filter(|(_, taken)| args.means(taken)).collect();
    if out.is_json() {
        let steps = steps.iter().map(|(number, taken)| Step { number: *number, at: &taken.at, step: &taken.step });
        out.object(&Answer { format: 1, run: &run.id, at: &run.at, steps: steps.collect(), said: &run.said })?;
        return Ok(Exit::Fine);
    }
    show(run, &steps, out)
}

impl Args {
    fn means(&self, taken: &SentStep) -> bool {
        let node = &taken.step.node;
        let mac = node.mac.map(|mac| mac.to_string()).unwrap_or_default();
        self.node.is_empty() || self.node.iter().any(|one| one.matches(&node.name) || one.matches(&mac))
    }
}

/// Lines of text, with what came of each.
fn show_said(run: &Run, out: &mut Out) -> Result<Exit, Failure> {
    let mut table = Table::new(&["line", "node", "to", "said", "came of it"]).unbroken(&["node", "to"]);
    for (number, said) in (1..).zip(&run.said) {
        let under_way = || ("no end: killed, or under way".to_owned(), Tone::Doubtful);
        let (what, tone) = said.result.map_or_else(under_way, |result| in_words(result, said.answer.as_ref()));
        table.row(vec![
            number.to_string().into(),
            Cell::new(said.node.clone(), Tone::Strong),
            said.to.to_string().into(),
            said.line.clone().unwrap_or_else(|| DOTS.to_owned()).into(),
            Cell::new(what, tone),
        ]);
    }
    out.table(&table)?;
    Ok(Exit::Fine)
}

fn show(run: &Run, steps: &[(usize, &SentStep)], out: &mut Out) -> Result<Exit, Failure> {
    let order = run.order().map_or("run", lantern_core::logbook::Order::word);
    out.line(&format!("{order} of {} (run {})", when(&run.at), run.id))?;
    if !run.said.is_empty() {
        return show_said(run, out);
    }
    if steps.is_empty() {
        out.line("nothing was sent")?;
        return Ok(Exit::Fine);
    }
    let mut table = Table::new(&["step", "sent", "node", "at", "what", "state"]).unbroken(&["node", "at", "sent"]);
    for (number, taken) in steps {
        let step = &taken.step;
        let tone = match step.stage {
            Stage::Confirmed => Tone::Good,
            Stage::Unverified | Stage::HeardOnly | Stage::BrokenOff => Tone::Doubtful,
            _ => Tone::Bad,
        };
        table.row(vec![
            number.to_string().into(),
            when(&taken.at).into(),
            Cell::new(step.node.name.clone(), Tone::Strong),
            step.node.address.to_string().into(),
            steps_of(&step.fields).into(),
            Cell::new(step.stage.word(), tone),
        ]);
    }
    out.table(&table)?;
    Ok(Exit::Fine)
}
