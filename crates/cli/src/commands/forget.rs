//! `forget`: let go of what earlier surveys saw.

use lantern_core::MacAddress;
use serde::Serialize;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::memory::Memory;
use crate::output::Out;

/// Forget what earlier surveys saw
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// Whom to forget: MAC addresses or addresses
    #[arg(value_name = "MAC|ADDRESS", required_unless_present = "all", conflicts_with = "all")]
    whom: Vec<String>,

    /// Forget everything
    #[arg(long)]
    all: bool,

    /// The rig sheet whose memory is meant; without it, that of the only sheet in this folder, or your own
    #[arg(long, value_name = "FILE")]
    sheet: Option<std::path::PathBuf>,
}

#[derive(Debug, Serialize)]
struct Answer {
    format: u32,
    forgotten: usize,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let sheet = SheetFile::named_or_only(args.sheet.as_deref())?;
    let Some(memory) = Memory::open(sheet.as_ref(), false)? else {
        out.note("nothing is remembered: there is neither a sheet nor a home folder")?;
        return Ok(Exit::Fine);
    };
    let mut forgotten = if args.all { memory.forget(None)? } else { 0 };
    for whom in &args.whom {
        // MAC addresses are taken in every style that labels have.
        let whom = whom.parse::<MacAddress>().map_or_else(|_| whom.clone(), |mac| mac.to_string());
        let found = memory.forget(Some(&whom))?;
        if found == 0 {
            out.note(&format!("{whom} was not remembered"))?;
        }
        forgotten += found;
    }
    if out.is_json() {
        out.object(&Answer { format: 1, forgotten })?;
    } else {
        out.line(&format!("{forgotten} devices forgotten in {}", memory.path().display()))?;
    }
    Ok(Exit::Fine)
}
