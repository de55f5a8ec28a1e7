//! Deft Lantern: find, set and check the nodes of a show network.
//!
//! This crate is the shell: arguments, files, rendering, exit codes. What it knows of the trade it asks
//! `lantern-core`; the network it leaves to `lantern-net`.
#![forbid(unsafe_code)]

mod args;
mod clock;
mod codes;
mod commands;
mod exit;
mod failure;
mod files;
mod hints;
mod interrupt;
mod journal;
mod lease_file;
mod logbook_file;
mod machine;
mod memory;
mod output;
mod secrets;
mod session;

use std::process::ExitCode;

use crate::args::Cli;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::{Detail, Out};

fn main() -> ExitCode {
    let cli = Cli::parse_grouped();
    interrupt::listen();
    let detail = if cli.full { Some(Detail::Full) } else { cli.brief.then_some(Detail::Brief) };
    let mut out = Out::to_terminal(cli.color, cli.json, detail).with_columns(&cli.columns);
    let ran = machine::plug_in().and_then(|()| commands::run(cli.command, &mut out)).and_then(|exit| {
        out.done()?;
        Ok(exit)
    });
    let exit = match ran {
        Ok(exit) => exit,
        Err(failure) if failure.is_closed_pipe() => Exit::Fine,
        Err(failure) => {
            // When not even the error can be written there is nobody left to tell.
            hints::explain(&failure, &mut out).unwrap_or(());
            if let Failure::Interrupted { signal } = failure {
                interrupt::end_by(signal);
            }
            failure.exit()
        }
    };
    exit.into()
}
