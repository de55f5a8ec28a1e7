//! `handover`: the paperwork at the end.

mod fixtures;
mod labels;
mod markdown;
mod papers;

use std::path::PathBuf;

use lantern_core::exchange::{Delimiter, Subject, export, write_table};
use minijinja::context;
use minijinja::value::Value;

use super::check;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::{self, SheetFile};
use crate::logbook_file::runs_of;
use crate::output::{Out, page};
use crate::session::{OnOneSheet, Session};

use labels::Size;
use papers::Papers;

const PAGE: &str = include_str!("page.html");
const LABELS: &str = include_str!("labels.html");

/// Write what is handed over: addresses, patch, proof that everything answers, labels
///
/// Checks the rig as `check` does, and writes one page for a browser, a phone or a printer: the proof with its time, what is
/// otherwise than planned, what matters at three in the morning, addresses and patch, maps, and what was changed. Without
/// options that page, NAME.handover.html beside the sheet. Ends as `check` does.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    #[command(flatten)]
    on: OnOneSheet,

    /// Do not look at the rig: papers without a proof
    #[arg(long, conflicts_with = "adapter")]
    unchecked: bool,

    /// The page to write
    #[arg(long, value_name = "FILE.html")]
    page: Option<PathBuf>,

    /// The same as text with marks, for notes and messages
    #[arg(long, value_name = "FILE.md")]
    markdown: Option<PathBuf>,

    /// Tables for a spreadsheet, into this folder: nodes, ports, check
    #[arg(long, value_name = "FOLDER")]
    tables: Option<PathBuf>,

    /// Labels to stick, on sheets of A4 with 24 each (70 × 37 mm)
    #[arg(long, value_name = "FILE.html")]
    labels: Option<PathBuf>,

    /// Labels to stick, on tape 62 mm wide
    #[arg(long, value_name = "FILE.html")]
    tape: Option<PathBuf>,

    /// Whose labels
    #[arg(long, value_name = "WHOSE", default_value = "nodes")]
    labels_of: labels::Whose,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let file = SheetFile::one(args.on.sheet.as_deref())?;
    if args.on.sheet.is_none() {
        out.note(&format!("using the sheet {}", file.path.display()))?;
    }
    let logbook = file.logbook();
    let runs = if logbook.exists() { runs_of(&logbook, out)? } else { Vec::new() };
    let proof = if args.unchecked {
        None
    } else {
        let session = Session::with_sheet(args.on.adapter.as_deref(), Some(file.clone()), out)?;
        Some(check::proof(&session, out)?)
    };
    let exit = proof.as_ref().map_or(Exit::Fine, |proof| Exit::of(&proof.findings));
    let papers = Papers::of(&file, proof.as_ref(), &runs);
    let named = [&args.page, &args.markdown, &args.tables, &args.labels, &args.tape];
    let usual = named.iter().all(|path| path.is_none()).then(|| file.beside("handover.html"));
    if let Some(path) = args.page.as_ref().or(usual.as_ref()) {
        write(path, &page(&file, &papers)?, out)?;
    }
    if let Some(path) = &args.markdown {
        write(path, &markdown::text(&papers), out)?;
    }
    if let Some(folder) = &args.tables {
        std::fs::create_dir_all(folder).map_err(|source| Failure::Write { path: folder.clone(), source })?;
        let comma = Delimiter::Comma;
        write(&folder.join("nodes.csv"), &export(&file.sheet, Subject::Nodes, comma), out)?;
        write(&folder.join("ports.csv"), &export(&file.sheet, Subject::Ports, comma), out)?;
        if let Some(proof) = &proof {
            write(&folder.join("check.csv"), &write_table(&proof.table.headings, &proof.table.rows, comma), out)?;
        }
    }
    for (path, size) in [(&args.labels, Size::A4), (&args.tape, Size::Tape)] {
        if let Some(path) = path {
            let values = context! { rig => papers.rig, sheets => labels::sheets(&file.sheet, args.labels_of, size), size => size };
            write(path, &render(&file, LABELS, values)?, out)?;
        }
    }
    out.line(&papers.proof)?;
    Ok(exit)
}

fn write(path: &std::path::Path, text: &str, out: &mut Out) -> Result<(), Failure> {
    files::write_over(path, text)?;
    Ok(out.note(&format!("wrote {}", path.display()))?)
}

fn page(file: &SheetFile, papers: &Papers<'_>) -> Result<String, Failure> {
    render(file, PAGE, Value::from_serialize(papers))
}

fn render(file: &SheetFile, template: &str, values: Value) -> Result<String, Failure> {
    page::render(template, values)
        .map_err(|error| Failure::Page { path: file.path.clone(), why: error.to_string() })
}
