//! `sheet schema`: the shape of a rig sheet, for editors.

use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::Out;

/// Print the JSON Schema of rig sheets
///
/// Editors that know TOML take it to complete keys and mark mistakes while somebody types.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {}

/// Runs it.
pub(super) fn run(out: &mut Out) -> Result<Exit, Failure> {
    out.object(&lantern_core::schema::sheet_schema())?;
    Ok(Exit::Fine)
}
