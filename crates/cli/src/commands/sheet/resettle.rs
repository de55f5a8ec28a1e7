//! `sheet move`: an area to another block of addresses.

use lantern_core::address::{AddressRange, Subnet};
use lantern_core::rework::{self, Goal};

use super::rewrite::Rewriting;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::Out;

/// Move an area to another block of addresses
///
/// Everything in it keeps its place within the block; when the block lies in another network, so does the area. Only the
/// sheet changes: apply sets the nodes.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The area
    #[arg(value_name = "AREA")]
    area: String,

    /// The new block: 10.60.7.0/24 or 10.60.7.10-10.60.7.99
    #[arg(value_name = "RANGE")]
    to: String,

    #[command(flatten)]
    rewriting: Rewriting,
}

/// Runs it.
pub(super) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let range: AddressRange = args.to.parse().map_err(|error| Failure::Call(format!("{:?}: {error}", args.to)))?;
    let as_subnet: Option<Subnet> = args.to.parse().ok();
    let file = args.rewriting.file()?;
    let area = file.area(&args.area)?;
    let edits = rework::resettle(&file.sheet, area, Goal { range, as_subnet })?;
    args.rewriting.propose(&file, edits, out)
}
