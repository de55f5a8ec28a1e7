//! `keep diff`: what is otherwise now.

use std::path::PathBuf;

use lantern_core::facts::Difference;
use serde::Serialize;

use super::Kept;
use crate::commands::logbook::when;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::{Cell, Out, Table, Tone, counted};
use crate::session::{Session, Where};

/// Hold what was kept against what the unit is set to now
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The keepsakes
    #[arg(value_name = "FILE.keep.toml", required = true)]
    file: Vec<PathBuf>,

    /// Against this node, not the unit it was taken of: name, address or MAC address
    #[arg(long, value_name = "NODE")]
    on: Option<String>,

    #[command(flatten)]
    at: Where,
}

#[derive(Debug, Serialize)]
struct Answer {
    format: u32,
    kept: Vec<One>,
}

#[derive(Debug, Serialize)]
struct One {
    file: String,
    name: String,
    address: std::net::Ipv4Addr,
    differences: Vec<Difference>,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let all = Kept::all(&args.file)?;
    let session = Session::open(&args.at, out)?;
    let look = super::look(&session, &all, args.on.as_ref(), out)?;
    let mut kept = Vec::new();
    for one in &all {
        let subject = super::subject(one, args.on.as_ref(), &session, &look)?;
        let differences = one.keepsake.differences(&look.census.completed(&subject));
        if !out.is_json() {
            tell(one, &subject.title(), &differences, out)?;
        }
        let file = one.path.display().to_string();
        kept.push(One { file, name: subject.title(), address: subject.address(), differences });
    }
    let same = kept.iter().all(|one| one.differences.is_empty());
    if out.is_json() {
        out.object(&Answer { format: 1, kept })?;
    }
    Ok(if same { Exit::Fine } else { Exit::Wrong })
}

fn tell(kept: &Kept, name: &str, differences: &[Difference], out: &mut Out) -> Result<(), Failure> {
    let taken = when(&kept.keepsake.taken);
    let settings = kept.keepsake.settings.len();
    if differences.is_empty() {
        let settings = counted(settings, "setting");
        out.line(&format!("{name} is as it was kept {taken}: {settings} the same"))?;
        return Ok(());
    }
    let count = counted(differences.len(), "difference");
    out.line(&format!("{name}: {count} to what was kept {taken}, {} the same", settings - differences.len()))?;
    let mut table = Table::new(&["setting", "kept", "now"]).unbroken(&["setting"]);
    for difference in differences {
        table.row(vec![
            difference.field.to_string().into(),
            Cell::new(difference.planned_in_words(), Tone::Strong),
            Cell::new(difference.found_in_words(), Tone::Doubtful),
        ]);
    }
    out.table(&table)?;
    out.hint(&format!("to put it back: deft-lantern keep put {}", kept.path.display()))?;
    Ok(())
}
