//! `sheet import`: a table, JSON, or the fixtures of a designer's file, brought into a sheet.

use std::path::{Path, PathBuf};

use clap::ValueEnum;
use lantern_core::exchange::{Subject, Table, from_json, import, read_scene_file, read_table};
use lantern_core::sheet::RigSheet;

use super::rewrite::{self, HowToRewrite};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::{self, SheetFile};
use crate::output::Out;

/// Bring a table, JSON or a designer's fixtures into a rig sheet
///
/// FILE.csv holds nodes, ports or fixtures, as its columns say: those that are on the sheet are changed where the table says
/// otherwise, the rest is added; an empty cell changes nothing. FILE.mvr (My Virtual Rig, DIN SPEC 15801) gives fixtures.
/// FILE.json, as sheet export writes it, becomes a new sheet. Shown first, then asked for.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The file: .csv, .mvr or .json
    #[arg(value_name = "FILE")]
    file: PathBuf,

    /// The rig sheet; without it, the only *.rig.toml in this folder. From JSON, the new one to write
    #[arg(long, value_name = "FILE.rig.toml")]
    sheet: Option<PathBuf>,

    /// What the rows of a table are
    #[arg(long = "as", value_name = "WHAT")]
    rows_are: Option<RowsAre>,

    /// What the table's columns are called here, as in "IP=address,Device=name"
    #[arg(long, value_name = "THEIRS=OURS,…", value_delimiter = ',', value_parser = pair)]
    headings: Vec<(String, String)>,

    /// The footprint of fixtures whose device description is not in the file
    #[arg(long, value_name = "SLOTS", value_parser = clap::value_parser!(u32).range(1..=512))]
    footprint: Option<u32>,

    #[command(flatten)]
    how: HowToRewrite,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum RowsAre {
    Nodes,
    Ports,
    Fixtures,
}

fn pair(text: &str) -> Result<(String, String), String> {
    let (theirs, ours) = text.split_once('=').ok_or("written THEIRS=OURS, as in IP=address")?;
    Ok((theirs.trim().to_owned(), ours.trim().to_owned()))
}

/// Runs it.
pub(super) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let ending = args.file.extension().map(|ending| ending.to_string_lossy().to_ascii_lowercase());
    match ending.as_deref() {
        Some("json") => new_from_json(args, out),
        Some("mvr") => {
            let bytes = files::read_bytes(&args.file)?;
            let table = read_scene_file(&bytes, args.footprint)
                .map_err(|error| Failure::Scene { path: args.file.clone(), error })?;
            out.note(&format!("{}: {} fixtures", args.file.display(), table.rows.len()))?;
            bring(args, Subject::Fixtures, &table, out)
        }
        _ => {
            let text = files::read_text(&args.file)?;
            let table = read_table(&text, &args.headings)
                .map_err(|error| Failure::Table { path: args.file.clone(), error })?;
            let subject = match args.rows_are {
                Some(RowsAre::Nodes) => Some(Subject::Nodes),
                Some(RowsAre::Ports) => Some(Subject::Ports),
                Some(RowsAre::Fixtures) => Some(Subject::Fixtures),
                None => Subject::of(&table.columns),
            };
            let subject = subject.ok_or_else(|| no_subject(&args.file, &table))?;
            bring(args, subject, &table, out)
        }
    }
}

fn no_subject(path: &Path, table: &Table) -> Failure {
    let columns = table.columns.join(", ");
    Failure::Call(format!(
        "{} has the columns {columns}, but none that says what a row is: name them with --headings THEIRS=name",
        path.display()
    ))
}

fn bring(args: &Args, subject: Subject, table: &Table, out: &mut Out) -> Result<Exit, Failure> {
    let file = SheetFile::one(args.sheet.as_deref())?;
    let imported = import(&file.sheet, subject, table)
        .map_err(|cells| Failure::BadCells { path: args.file.clone(), cells })?;
    if !imported.unused.is_empty() {
        let used = subject.columns().join(", ");
        out.note(&format!("columns not used: {}; used are: {used}", imported.unused.join(", ")))?;
    }
    out.note(&format!("{} new, {} changed", imported.added, imported.changed))?;
    rewrite::propose(&file, &imported.text, args.how, false, out)
}

fn new_from_json(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let text = files::read_text(&args.file)?;
    let sheet = from_json(&text).map_err(|error| Failure::Json { path: args.file.clone(), error })?;
    RigSheet::parse(&sheet).map_err(|errors| Failure::Sheet {
        path: args.file.clone(),
        text: sheet.clone(),
        errors,
    })?;
    let path = args
        .sheet
        .clone()
        .ok_or_else(|| Failure::Call("JSON becomes a new sheet: name it with --sheet NAME.rig.toml".to_owned()))?;
    if args.how.dry_run {
        out.text(&sheet)?;
    } else {
        files::write_new(&path, &sheet)?;
        out.note(&format!("wrote {}", path.display()))?;
    }
    Ok(Exit::Fine)
}
