//! Orders of a run that was killed may still be under way: who looks too early sees nodes where they will not stay.

use std::fs;
use std::path::Path;
use std::thread::sleep;
use std::time::Duration;

use lantern_core::logbook::{Run, resume};

use crate::failure::Failure;
use crate::interrupt::{self, Calm};
use crate::output::Out;

/// How often it is looked whether somebody breaks the waiting off.
const LOOK: Duration = Duration::from_millis(50);

/// Waits until what was sent last is obeyed or never will be, if a run was killed that lately.
pub(crate) fn let_settle(runs: &[Run], logbook: &Path, out: &mut Out) -> Result<(), Failure> {
    if !runs.iter().any(resume::is_unsettled) {
        return Ok(());
    }
    // The clock may have been set since; where the file does not tell, it counts as just written.
    let written = fs::metadata(logbook).and_then(|facts| facts.modified()).ok();
    let ago = written.and_then(|at| at.elapsed().ok()).unwrap_or_default();
    let left = resume::SETTLES.saturating_sub(ago);
    if left.is_zero() {
        return Ok(());
    }
    let seconds = left.as_secs() + 1;
    out.note(&format!("waiting {seconds} s: a run was broken off, and what it sent may still be under way"))?;
    let _calm = Calm::begin();
    for _ in 0..left.as_millis() / LOOK.as_millis() + 1 {
        interrupt::check()?;
        sleep(LOOK);
    }
    Ok(())
}
