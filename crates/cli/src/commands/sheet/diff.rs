//! `sheet diff`: two sheets in the words of the trade.

use std::path::PathBuf;

use lantern_core::exchange::{SheetChange, sheet_diff};
use serde::Serialize;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::output::{Cell, Out, Table, Tone};

/// Compare two rig sheets
///
/// Node by node and port by port: what is new, gone or different. A node is known again by its name, and where that changed
/// by its MAC address; comments, order and the way a universe is written are no differences.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The earlier sheet
    #[arg(value_name = "BEFORE.rig.toml")]
    before: PathBuf,

    /// The later sheet
    #[arg(value_name = "AFTER.rig.toml")]
    after: PathBuf,
}

#[derive(Debug, Serialize)]
struct Answer {
    format: u32,
    changes: Vec<SheetChange>,
}

/// Runs it.
pub(super) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let (before, after) = (SheetFile::read(&args.before)?, SheetFile::read(&args.after)?);
    let changes = sheet_diff(&before.sheet, &after.sheet);
    if out.is_json() {
        out.object(&Answer { format: 1, changes })?;
        return Ok(Exit::Fine);
    }
    if changes.is_empty() {
        out.line("both sheets say the same")?;
        return Ok(Exit::Fine);
    }
    let mut table = Table::new(&["what", "field", "was", "is"]).unbroken(&["what", "field"]);
    for change in &changes {
        let (was, is) = match (&change.key, &change.before) {
            (None, None) => (String::new(), Cell::new("new", Tone::Good)),
            (None, Some(_)) => (String::new(), Cell::new("gone", Tone::Bad)),
            (Some(_), was) => {
                let is = change.after.clone().unwrap_or_else(|| "not said".to_owned());
                (was.clone().unwrap_or_else(|| "not said".to_owned()), Cell::new(is, Tone::Strong))
            }
        };
        let what = Cell::new(change.what.as_str(), Tone::Strong);
        table.row(vec![what, change.key.clone().unwrap_or_default().into(), was.into(), is]);
    }
    out.table(&table)?;
    Ok(Exit::Fine)
}
