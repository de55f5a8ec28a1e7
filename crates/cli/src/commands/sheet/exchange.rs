//! `sheet exchange`: another kind for units that are planned.

use std::path::PathBuf;

use lantern_core::pattern::Pattern;
use lantern_core::rework::{self, Exchange};

use super::rewrite::{self, HowToRewrite};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::output::Out;

/// Give planned units another kind, and keep their plan
///
/// Name, address, area and universes stay. Ports that the new kind has not are kept as comments; those that it has more are said.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// Which units, as in 'quay-*'
    #[arg(value_name = "NAME")]
    node: Pattern,

    /// Their new kind: deft-lantern kinds list
    #[arg(value_name = "KIND")]
    kind: String,

    /// The rig sheet; without it, the only *.rig.toml in this folder
    #[arg(long, value_name = "FILE.rig.toml")]
    sheet: Option<PathBuf>,

    #[command(flatten)]
    how: HowToRewrite,
}

/// Runs it.
pub(super) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let file = SheetFile::one(args.sheet.as_deref())?;
    let Exchange { edits, units } = rework::exchange(&file.sheet, &args.node, &args.kind)?;
    for unit in &units {
        for (port, universe) in &unit.left_over {
            out.note(&format!("{} port {port} is left over: {universe} was planned there", unit.name))?;
        }
        if let (Some(first), Some(last)) = (unit.free.first(), unit.free.last()) {
            out.note(&format!("{} has ports {first} to {last} free", unit.name))?;
        }
        if unit.has_mac {
            out.note(&format!("{} keeps its MAC address on the sheet: correct it to the new unit's", unit.name))?;
        }
    }
    rewrite::propose(&file, &edits.apply(file.sheet.text()), args.how, false, out)
}
