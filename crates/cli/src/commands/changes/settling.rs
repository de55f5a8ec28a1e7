//! What a run sent, and answers from before, may still be under way: who looks too early sees nodes where they will not stay.

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

/// Waits until what was sent last is obeyed or never will be, and no answer from before is under way.
pub(crate) fn let_settle(runs: &[Run], logbook: &Path, out: &mut Out) -> Result<(), Failure> {
    // The clock may have been set since; where the file does not tell, it counts as just written.
    let written = fs::metadata(logbook).and_then(|facts| facts.modified()).ok();
    let ago = written.and_then(|at| at.elapsed().ok()).unwrap_or_default();
    let left = resume::settles(runs).saturating_sub(ago);
    if left.is_zero() {
        return Ok(());
    }
    let seconds = left.as_secs() + 1;
    out.note(&format!("waiting {seconds} s: what the last run sent and was answered may still be under way"))?;
    let _calm = Calm::begin();
    for _ in 0..left.as_millis() / LOOK.as_millis() + 1 {
        interrupt::check()?;
        sleep(LOOK);
    }
    Ok(())
}
