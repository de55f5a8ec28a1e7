//! `sheet`: the plan of the rig.

pub(crate) mod clashes;
mod diff;
mod exchange;
mod export;
pub(crate) mod fill;
mod import;
mod new;
mod rename;
mod renumber;
mod resettle;
pub(crate) mod rewrite;
mod schema;
pub(crate) mod show;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::Out;

pub(crate) use rewrite::HowToRewrite;

/// Write the rig sheet, read it, see what contradicts itself in it, fill it in, rework it
#[derive(Debug, clap::Subcommand)]
pub(crate) enum Command {
    New(new::Args),
    Clashes(clashes::Args),
    Show(show::Args),
    Fill(fill::Args),
    Rename(rename::Args),
    Exchange(exchange::Args),
    Move(resettle::Args),
    Renumber(renumber::Args),
    Diff(diff::Args),
    Import(import::Args),
    Export(export::Args),
    Schema(schema::Args),
}

/// Runs the one asked for.
pub(super) fn run(command: Command, out: &mut Out) -> Result<Exit, Failure> {
    match command {
        Command::New(args) => new::run(&args, out),
        Command::Clashes(args) => clashes::run(&args, out),
        Command::Show(args) => show::run(&args, out),
        Command::Fill(args) => fill::run(&args, out),
        Command::Rename(args) => rename::run(&args, out),
        Command::Exchange(args) => exchange::run(&args, out),
        Command::Move(args) => resettle::run(&args, out),
        Command::Renumber(args) => renumber::run(&args, out),
        Command::Diff(args) => diff::run(&args, out),
        Command::Import(args) => import::run(&args, out),
        Command::Export(args) => export::run(&args, out),
        Command::Schema(_) => schema::run(out),
    }
}
