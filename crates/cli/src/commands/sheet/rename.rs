//! `sheet rename`: names in a series.

use std::path::PathBuf;

use lantern_core::rework::{self, Series};

use super::rewrite::{self, HowToRewrite};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::output::Out;

/// Rename a node, source or switch, or a whole series
///
/// PATTERN is a name, with * for any letters and ? for one; quote it. All that fit get the names of the series in the
/// order of the sheet, and whatever refers to them goes along: deft-lantern sheet rename 'quay-*' 'quay-{A..F}'
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// Who is renamed
    #[arg(value_name = "PATTERN")]
    pattern: String,

    /// The new names: one, or a series like quay-{A..F}, quay-{1..12}, quay-{01..12}
    #[arg(value_name = "SERIES")]
    series: Series,

    /// The rig sheet; without it, the only *.rig.toml in this folder
    #[arg(long, value_name = "FILE.rig.toml")]
    sheet: Option<PathBuf>,

    #[command(flatten)]
    how: HowToRewrite,
}

/// Runs it.
pub(super) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let file = SheetFile::one(args.sheet.as_deref())?;
    let edits = rework::rename(&file.sheet, &args.pattern, &args.series)?;
    rewrite::propose(&file, &edits.apply(file.sheet.text()), args.how, false, out)
}
