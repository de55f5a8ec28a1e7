//! `census`: saved censuses.

mod diff;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::Out;

/// Compare saved censuses
#[derive(Debug, clap::Subcommand)]
pub(crate) enum Command {
    Diff(diff::Args),
}

/// Runs it.
pub(crate) fn run(command: &Command, out: &mut Out) -> Result<Exit, Failure> {
    match command {
        Command::Diff(args) => diff::run(args, out),
    }
}
