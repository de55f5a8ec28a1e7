//! `adapters`: this computer's way to the rig.

mod advise;
mod beside;
mod dhcp;
mod join;
mod kept;
mod label;
mod list;
pub(crate) mod meanwhile;
mod neighbours;
mod preset;
mod restore;
mod self_test;
mod taking;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::Out;

/// See this computer's adapters and what is wrong with them, or give one an address
///
/// Alone: link, addresses and gateways as the system knows them, and what would keep you from finding the rig: no link, no
/// address, two adapters in one subnet, wireless or VPN beside the wire, another mask than the sheet's. Changes nothing.
#[derive(Debug, clap::Args)]
#[command(args_conflicts_with_subcommands = true)]
pub(crate) struct Args {
    #[command(subcommand)]
    command: Option<Command>,

    #[command(flatten)]
    list: list::ListArgs,
}

#[derive(Debug, clap::Subcommand)]
enum Command {
    Advise(advise::Args),
    Join(join::Args),
    Dhcp(dhcp::Args),
    Neighbours(neighbours::Args),
    Label(label::LabelArgs),
    Prefer(label::PreferArgs),
    #[command(subcommand)]
    Preset(preset::Command),
    Restore(restore::Args),
    SelfTest(self_test::Args),
}

/// Runs the one asked for.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    match &args.command {
        None => list::run(&args.list, out),
        Some(Command::Advise(args)) => advise::run(args, out),
        Some(Command::Join(args)) => join::run(args, out),
        Some(Command::Dhcp(args)) => dhcp::run(args, out),
        Some(Command::Neighbours(args)) => neighbours::run(args, out),
        Some(Command::Label(args)) => label::label(args),
        Some(Command::Prefer(args)) => label::prefer(args),
        Some(Command::Preset(command)) => preset::run(command, out),
        Some(Command::Restore(args)) => restore::run(args, out),
        Some(Command::SelfTest(args)) => self_test::run(args, out),
    }
}
