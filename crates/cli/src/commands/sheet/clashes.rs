//! `sheet clashes`: what on the sheet cannot both hold.

use std::path::PathBuf;

use lantern_core::clash::sheet_clashes;
use lantern_core::finding::{Finding, Severity};
use serde::Serialize;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::output::{Out, findings};

/// List everything in which a rig sheet contradicts itself
///
/// Works without any network. Ends with 1 when there is an error or a warning.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The rig sheet; without it, the only *.rig.toml in this folder
    #[arg(value_name = "FILE.rig.toml")]
    pub(crate) sheet: Option<PathBuf>,
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
    let found = sheet_clashes(&file.sheet);
    if out.is_json() {
        out.object(&Answer { format: 1, sheet: file.path.display().to_string(), findings: &found })?;
        return Ok(Exit::of(&found));
    }
    findings::print_in_sheet(out, &file.path, file.sheet.text(), &found)?;
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

fn counted(number: usize, what: &str) -> String {
    format!("{number} {what}{}", if number == 1 { "" } else { "s" })
}
