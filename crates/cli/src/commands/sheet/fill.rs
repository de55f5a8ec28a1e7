//! `sheet fill`: what is left open, filled in.

use std::path::PathBuf;

use lantern_core::fill::{Choice, fill};
use serde::Serialize;

use super::rewrite::{self, HowToRewrite};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::output::{Cell, Out, Table, Tone};

/// The most choices shown.
const MOST: usize = 200;

/// Choose every address, universe, slot and group that says "fill"
///
/// By area and kind, in sequence, gaps kept; what is written already is never changed. Shows each choice and why, then
/// asks. When not everything can be filled in, nothing is, and the demands that contradict each other are named.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The rig sheet; without it, the only *.rig.toml in this folder
    #[arg(value_name = "FILE.rig.toml")]
    pub(crate) sheet: Option<PathBuf>,

    #[command(flatten)]
    pub(crate) how: HowToRewrite,
}

#[derive(Debug, Serialize)]
struct Chosen<'a> {
    line: usize,
    #[serde(rename = "for")]
    for_what: &'a str,
    value: &'a str,
    why: &'a str,
}

#[derive(Debug, Serialize)]
struct Answer<'a> {
    format: u32,
    sheet: String,
    choices: Vec<Chosen<'a>>,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let file = SheetFile::one(args.sheet.as_deref())?;
    let filled = fill(&file.sheet).map_err(|findings| Failure::CannotFill {
        path: file.path.clone(),
        text: file.sheet.text().to_owned(),
        findings,
    })?;
    if out.is_json() && args.how.dry_run {
        let choices = filled.choices.iter().map(|choice| chosen(&file, choice)).collect();
        out.object(&Answer { format: 1, sheet: file.path.display().to_string(), choices })?;
        return Ok(Exit::Fine);
    }
    if !out.is_json() {
        show(&file, &filled.choices, out)?;
    }
    rewrite::propose(&file, &filled.text, args.how, true, out)
}

fn chosen<'a>(file: &SheetFile, choice: &'a Choice) -> Chosen<'a> {
    let Choice { span, for_what, value, why } = choice;
    Chosen { line: file.sheet.position(*span).line, for_what, value, why }
}

fn show(file: &SheetFile, choices: &[Choice], out: &mut Out) -> Result<(), Failure> {
    if choices.is_empty() {
        return Ok(());
    }
    let mut table = Table::new(&["line", "for", "becomes", "why"]).unbroken(&["line", "for", "becomes"]);
    for choice in choices.iter().take(MOST) {
        table.row(vec![
            Cell::new(file.sheet.position(choice.span).line.to_string(), Tone::Faint),
            choice.for_what.as_str().into(),
            Cell::new(choice.value.as_str(), Tone::Good),
            choice.why.as_str().into(),
        ]);
    }
    out.table(&table)?;
    match choices.len().saturating_sub(MOST) {
        0 => {}
        more => out.line(&format!("and {more} more"))?,
    }
    Ok(())
}
