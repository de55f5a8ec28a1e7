//! `firmware`: which versions the nodes run, and other ones for them.

mod check;
mod send;

use std::path::{Path, PathBuf};

use lantern_core::firmware::FirmwareTable;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::files;
use crate::output::Out;

/// The table of expected versions, where nobody names another.
const TABLE: &str = "firmware.toml";

/// See which firmware the nodes run, and send them other firmware
#[derive(Debug, clap::Subcommand)]
pub(crate) enum Command {
    Check(check::Args),
    Send(send::Args),
}

/// Runs it.
pub(crate) fn run(command: &Command, out: &mut Out) -> Result<Exit, Failure> {
    match command {
        Command::Check(args) => check::run(args, out),
        Command::Send(args) => send::run(args, out),
    }
}

/// The table that is named, or the one of the usual name here; an empty one where there is none.
fn table(named: Option<&Path>) -> Result<FirmwareTable, Failure> {
    let usual = PathBuf::from(TABLE);
    let path = match named {
        Some(path) => path.to_owned(),
        None if usual.is_file() => usual,
        None => return Ok(FirmwareTable::default()),
    };
    let text = files::read_text(&path)?;
    FirmwareTable::read(&text).map_err(|errors| Failure::Sheet { path, text, errors })
}
