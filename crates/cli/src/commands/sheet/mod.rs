//! `sheet`: the plan of the rig.

pub(crate) mod clashes;
mod new;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::Out;

/// Write the rig sheet, and see what contradicts itself in it
#[derive(Debug, clap::Subcommand)]
pub(crate) enum Command {
    New(new::Args),
    Clashes(clashes::Args),
}

/// Runs the one asked for.
pub(super) fn run(command: Command, out: &mut Out) -> Result<Exit, Failure> {
    match command {
        Command::New(args) => new::run(&args, out),
        Command::Clashes(args) => clashes::run(&args, out),
    }
}
