//! `logbook`: what was done.

mod list;
mod show;

use std::path::{Path, PathBuf};

use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::{SheetFile, own_logbook};
use crate::output::Out;

/// See what was changed, when, and how far it came
#[derive(Debug, clap::Subcommand)]
pub(crate) enum Command {
    List(list::Args),
    Show(show::Args),
}

/// Runs it.
pub(crate) fn run(command: &Command, out: &mut Out) -> Result<Exit, Failure> {
    match command {
        Command::List(args) => list::run(args, out),
        Command::Show(args) => show::run(args, out),
    }
}

/// The logbook of the sheet that is named, or of the only one here, or the one that is kept without a sheet.
fn path_of(sheet: Option<&Path>) -> Result<PathBuf, Failure> {
    Ok(SheetFile::named_or_only(sheet)?.as_ref().map_or_else(own_logbook, SheetFile::logbook))
}

/// A time in UTC as people read it.
pub(crate) fn when(at: &str) -> String {
    at.split_once('.').map_or(at, |(whole, _)| whole).trim_end_matches('Z').replace('T', " ")
}
