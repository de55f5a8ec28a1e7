//! `sheet rename`: names in a series.

use lantern_core::rework::{self, Series};

use super::rewrite::Rewriting;
use crate::exit::Exit;
use crate::failure::Failure;
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

    #[command(flatten)]
    rewriting: Rewriting,
}

/// Runs it.
pub(super) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let file = args.rewriting.file()?;
    let edits = rework::rename(&file.sheet, &args.pattern, &args.series)?;
    args.rewriting.propose(&file, edits, out)
}
