//! `manual`: the manual pages, made from the help.

use std::path::PathBuf;

use clap::{Command, CommandFactory};
use clap_mangen::Man;

use crate::args::{Cli, NAME};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files;
use crate::output::{Out, counted};

/// Print the manual page of the program or of a command, or write all of them
///
/// Pages are for man: deft-lantern manual sheet fill | man -l -
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The command, as it is typed: 'sheet fill'
    #[arg(value_name = "COMMAND", conflicts_with = "folder")]
    command: Vec<String>,

    /// Write the pages of all commands into this folder, which must be there
    #[arg(long, value_name = "FOLDER")]
    folder: Option<PathBuf>,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let mut all = Cli::command();
    // Only now each command knows its whole name, and what can be said everywhere.
    all.build();
    if let Some(folder) = &args.folder {
        let pages = pages(&all)?;
        for (name, page) in &pages {
            files::write_over(&folder.join(format!("{name}.1")), page)?;
        }
        out.note(&format!("{} are in {}", counted(pages.len(), "manual page"), folder.display()))?;
        return Ok(Exit::Fine);
    }
    let found = args.command.iter().try_fold(&all, |command, name| command.find_subcommand(name));
    let Some(command) = found else {
        let typed = args.command.join(" ");
        return Err(Failure::Call(format!("there is no command {typed:?}; deft-lantern --help lists them")));
    };
    out.line(page(command)?.trim_end())?;
    Ok(Exit::Fine)
}

/// The page of a command and of all beneath it, each with its name.
fn pages(command: &Command) -> Result<Vec<(String, String)>, Failure> {
    let mut all = vec![(name(command), page(command)?)];
    for beneath in command.get_subcommands() {
        all.extend(pages(beneath)?);
    }
    Ok(all)
}

fn name(command: &Command) -> String {
    command.get_display_name().unwrap_or(NAME).to_owned()
}

fn page(command: &Command) -> Result<String, Failure> {
    let mut text = Vec::new();
    Man::new(command.clone()).render(&mut text).map_err(Failure::Output)?;
    Ok(String::from_utf8_lossy(&text).into_owned())
}
