//! `sheet renumber`: universes shifted.

use lantern_core::rework::{self, Renumbered};
use lantern_core::universe::UniverseBlock;

use super::rewrite::Rewriting;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::Out;

/// Shift universes by a number
///
/// Ports, fixtures, sources and the areas' blocks go together, each in the notation it was written in. A plan in which
/// everything is off by one is mended with: deft-lantern sheet renumber -1 --ports
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// How far: 16, +16 or -1
    #[arg(value_name = "BY", allow_negative_numbers = true)]
    by: i32,

    /// Only this area: its block, its nodes, and the fixtures on their universes
    #[arg(long, value_name = "AREA")]
    area: Option<String>,

    /// Only universes of this block, as in 0:0:0-0:0:15
    #[arg(long, value_name = "UNIVERSES")]
    within: Option<String>,

    /// Only the ports of nodes
    #[arg(long)]
    ports: bool,

    #[command(flatten)]
    rewriting: Rewriting,
}

/// Runs it.
pub(super) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let file = args.rewriting.file()?;
    let area = args.area.as_deref().map(|name| file.area(name)).transpose()?;
    let block = |text: &String| {
        UniverseBlock::read(text, file.sheet.desk).map_err(|error| Failure::Universe { text: text.clone(), error })
    };
    let within = args.within.as_ref().map(block).transpose()?;
    let what = Renumbered { area, within, ports_only: args.ports };
    let edits = rework::renumber(&file.sheet, args.by, &what)?;
    args.rewriting.propose(&file, edits, out)
}
