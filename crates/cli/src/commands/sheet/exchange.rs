//! `sheet exchange`: another kind for units that are planned.

use lantern_core::pattern::Pattern;
use lantern_core::rework::{self, Exchange};

use super::rewrite::Rewriting;
use crate::exit::Exit;
use crate::failure::Failure;
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

    #[command(flatten)]
    rewriting: Rewriting,
}

/// Runs it.
pub(super) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let file = args.rewriting.file()?;
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
    args.rewriting.propose(&file, edits, out)
}
