//! `sheet clashes`: what on the sheet cannot both hold.

use std::path::PathBuf;

use lantern_core::adapter::judge;
use lantern_core::census::{SavedCensus, Viewpoint};
use lantern_core::clash::{sheet_clashes, world_clashes};
use lantern_core::compare::{compare, held_addresses};
use lantern_core::finding::{Finding, Severity};
use serde::Serialize;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::{self, SheetFile};
use crate::machine::computer;
use crate::output::{Out, counted, findings};

/// List everything in which a rig sheet contradicts itself
///
/// Works without any network. With --census also what a saved census contradicts, in itself and the sheet; with --here
/// what this computer's adapters contradict. Ends with 1 when there is an error or a warning. What a code means:
/// deft-lantern explain CODE
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The rig sheet; without it, the only *.rig.toml in this folder
    #[arg(value_name = "FILE.rig.toml")]
    pub(crate) sheet: Option<PathBuf>,

    /// A saved census to hold against it
    #[arg(long, value_name = "FILE.census.json")]
    pub(crate) census: Option<PathBuf>,

    /// Hold this computer's adapters against it too
    #[arg(long)]
    pub(crate) here: bool,
}

impl Args {
    /// The sheet against itself only.
    pub(crate) const fn of(sheet: PathBuf) -> Self {
        Self { sheet: Some(sheet), census: None, here: false }
    }
}

#[derive(Debug, Serialize)]
struct Answer<'a> {
    format: u32,
    sheet: String,
    findings: &'a [Finding],
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let file = SheetFile::one(args.sheet.as_deref())?;
    let mut found = sheet_clashes(&file.sheet);
    if let Some(path) = &args.census {
        found.extend(against_census(&file, &files::read_census(path)?));
    }
    if args.here {
        let computer = computer()?;
        found.extend(judge(&computer, Some(&file.sheet)));
    }
    if out.is_json() {
        out.object(&Answer { format: 1, sheet: file.path.display().to_string(), findings: &found })?;
        return Ok(Exit::of(&found));
    }
    let (placed, elsewhere): (Vec<Finding>, Vec<Finding>) =
        found.iter().cloned().partition(|finding| !finding.places.is_empty());
    findings::print_in_sheet(out, &file.path, file.sheet.text(), &placed)?;
    if !elsewhere.is_empty() {
        findings::print(out, &elsewhere)?;
        out.line("")?;
    }
    let count = |severity| found.iter().filter(|finding| finding.rule.severity == severity).count();
    let summary = match (count(Severity::Error), count(Severity::Warning)) {
        (0, 0) => "no clash".to_owned(),
        (errors, warnings) => format!("{}, {}", counted(errors, "error"), counted(warnings, "warning")),
    };
    let (nodes, ports) = (file.sheet.nodes.len(), file.sheet.nodes.iter().map(|node| node.ports.len()).sum());
    let size = format!("{}, {}", counted(nodes, "node"), counted(ports, "port"));
    out.line(&format!("{}: {summary} in {size}", file.path.display()))?;
    Ok(Exit::of(&found))
}

/// What a census contradicts, in itself and the sheet.
fn against_census(file: &SheetFile, saved: &SavedCensus) -> Vec<Finding> {
    let sheet = &file.sheet;
    let from = Viewpoint { subnets: saved.networks.clone(), ..Viewpoint::default() };
    let mut found = world_clashes(&saved.census, &saved.devices, &from, Some(sheet));
    found.extend(compare(sheet, &saved.census).findings(sheet));
    found.extend(held_addresses(sheet, &saved.devices));
    found
}
