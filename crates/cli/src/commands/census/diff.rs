//! `census diff`: what is different between two censuses.

use std::path::PathBuf;

use lantern_core::census::{CensusDiff, Change, ChangeKind, Compared, Device, SavedCensus};
use serde::Serialize;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::files;
use crate::output::{Out, Tone};

/// Say what is different between two saved censuses: who is new, gone, moved, renamed, changed
///
/// Ends with 1 when anything is different.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The earlier one
    #[arg(value_name = "BEFORE.census.json")]
    before: PathBuf,

    /// The later one
    #[arg(value_name = "AFTER.census.json")]
    after: PathBuf,
}

#[derive(Debug, Serialize)]
struct Answer<'a> {
    format: u32,
    new: &'a [&'a Device],
    gone: &'a [&'a Device],
    changed: Vec<Changed<'a>>,
    same: usize,
}

#[derive(Debug, Serialize)]
struct Changed<'a> {
    device: &'a Device,
    changes: &'a [Change],
}

/// Runs it.
pub(super) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let (before, after) = (files::read_census(&args.before)?, files::read_census(&args.after)?);
    let diff = CensusDiff::between(compared(&before), compared(&after));
    let exit = if diff.is_empty() { Exit::Fine } else { Exit::Wrong };
    if out.is_json() {
        let changed = diff.changed.iter().map(|(_, device, changes)| Changed { device, changes });
        let changed = changed.collect();
        out.object(&Answer { format: 1, new: &diff.new, gone: &diff.gone, changed, same: diff.same })?;
        return Ok(exit);
    }
    for (devices, word, tone) in [(&diff.new, "new", Tone::Good), (&diff.gone, "gone", Tone::Bad)] {
        for device in devices {
            let word = out.paint().dye(tone, &format!("{word:<8}"));
            out.line(&format!("{word}  {}", described(device)))?;
        }
    }
    for (before, device, changes) in &diff.changed {
        for change in changes {
            let tone = if change.kind == ChangeKind::Moved { Tone::Bad } else { Tone::Doubtful };
            let word = out.paint().dye(tone, &format!("{:<8}", change.kind.to_string()));
            let was = if change.kind == ChangeKind::Renamed { before.title() } else { device.title() };
            out.line(&format!("{word}  {was}: {} {} → {}", change.field, change.before, change.after))?;
        }
    }
    out.line(&format!(
        "{} new, {} gone, {} changed, {} as before",
        diff.new.len(),
        diff.gone.len(),
        diff.changed.len(),
        diff.same
    ))?;
    Ok(exit)
}

fn compared(saved: &SavedCensus) -> Compared<'_> {
    Compared { devices: &saved.devices, nodes: saved.census.nodes() }
}

fn described(device: &Device) -> String {
    let mac = device.mac.map(|mac| mac.to_string()).unwrap_or_default();
    let address = device.address.map_or_else(|| "no address".to_owned(), |address| address.to_string());
    let what = if device.what.is_empty() { "unknown".to_owned() } else { device.what.to_string() };
    format!("{}  {address}  {mac}  {what}", device.title())
}
