//! One file per command.

pub(crate) mod access;
pub(crate) mod adapters;
pub(crate) mod address;
pub(crate) mod apply;
pub(crate) mod arrivals;
pub(crate) mod census;
mod changes;
pub(crate) mod check;
pub(crate) mod completions;
pub(crate) mod demo;
pub(crate) mod explain;
pub(crate) mod firmware;
pub(crate) mod flow;
pub(crate) mod forget;
mod guided;
pub(crate) mod handover;
mod hands;
pub(crate) mod identify;
pub(crate) mod keep;
pub(crate) mod kinds;
pub(crate) mod lease;
pub(crate) mod levels;
pub(crate) mod logbook;
pub(crate) mod manual;
pub(crate) mod matching;
mod named;
pub(crate) mod open;
pub(crate) mod reach;
pub(crate) mod run;
pub(crate) mod say;
pub(crate) mod set;
pub(crate) mod sheet;
pub(crate) mod show;
mod spoken;
pub(crate) mod streams;
pub(crate) mod survey;
pub(crate) mod undo;
pub(crate) mod universe;
mod universes;
pub(crate) mod watch;
pub(crate) mod why;

use crate::args::Command;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::Out;

/// Runs a command.
pub(crate) fn run(command: Command, out: &mut Out) -> Result<Exit, Failure> {
    match command {
        Command::Adapters(args) => adapters::run(&args, out),
        Command::Survey(args) => survey::run(&args, out),
        Command::Arrivals(args) => arrivals::run(&args, out),
        Command::Census(command) => census::run(&command, out),
        Command::Forget(args) => forget::run(&args, out),
        Command::Sheet(command) => sheet::run(command, out),
        Command::Universe(args) => universe::run(&args, out),
        Command::Address(args) => address::run(&args, out),
        Command::Apply(args) => apply::run(&args, out),
        Command::Set(args) => set::run(&args, out),
        Command::Undo(args) => undo::run(&args, out),
        Command::Logbook(command) => logbook::run(&command, out),
        Command::Identify(args) => identify::run(&args, out),
        Command::Match(args) => matching::run(&args, out),
        Command::Show(args) => show::run(&args, out),
        Command::Open(args) => open::run(&args, out),
        Command::Kinds(command) => kinds::run(&command, out),
        Command::Lease(args) => lease::run(&args, out),
        Command::Access(sub) => access::run(&sub, out),
        Command::Say(args) => say::run(&args, out),
        Command::Run(args) => run::run(&args, out),
        Command::Keep(command) => keep::run(&command, out),
        Command::Firmware(command) => firmware::run(&command, out),
        Command::Completions(args) => completions::run(&args, out),
        Command::Manual(args) => manual::run(&args, out),
        Command::Reach(args) => reach::run(&args, out),
        Command::Streams(args) => streams::run(&args, out),
        Command::Check(args) => check::run(&args, out),
        Command::Why(args) => why::run(&args, out),
        Command::Handover(args) => handover::run(&args, out),
        Command::Levels(args) => levels::run(&args, out),
        Command::Flow(args) => flow::run(&args, out),
        Command::Watch(args) => watch::run(&args, out),
        Command::Explain(args) => explain::run(&args, out),
        Command::Demo(args) => demo::run(&args, out),
    }
}
