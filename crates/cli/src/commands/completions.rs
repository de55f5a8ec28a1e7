//! `completions`: what a shell needs to complete the command line.

use clap::CommandFactory;
use clap_complete::{Shell, generate};

use crate::args::{Cli, NAME};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::Out;

/// Print what a shell needs to complete commands and options
///
/// bash: save it as ~/.local/share/bash-completion/completions/deft-lantern. zsh: save it as _deft-lantern in a folder of fpath.
/// fish: save it as ~/.config/fish/completions/deft-lantern.fish. PowerShell: add it to the file that $PROFILE names.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The shell
    #[arg(value_name = "SHELL")]
    shell: Shell,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let mut script = Vec::new();
    generate(args.shell, &mut Cli::command(), NAME, &mut script);
    out.line(String::from_utf8_lossy(&script).trim_end())?;
    Ok(Exit::Fine)
}
