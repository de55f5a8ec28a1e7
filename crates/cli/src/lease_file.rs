//! The leases on disk, beside the sheet: what `lease` gave to whom, read by whoever looks at the rig afterwards.

use std::collections::BTreeMap;
use std::io;
use std::path::PathBuf;

use jiff::Timestamp;
use lantern_core::MacAddress;
use lantern_core::lease::{Lease, LeaseLine, read_leases};

use crate::clock;
use crate::failure::Failure;
use crate::files::{self, SheetFile};
use crate::output::{Out, counted};

/// What everybody was given last from a sheet.
#[derive(Debug)]
pub(crate) struct LeasesRead {
    pub(crate) path: PathBuf,
    pub(crate) given: BTreeMap<MacAddress, LeaseLine>,
    /// How many lines the file has.
    pub(crate) lines: usize,
}

/// Reads the leases of a sheet; none where there is no file yet. Lines that cannot be read are told of.
pub(crate) fn read(file: &SheetFile, out: &mut Out) -> Result<LeasesRead, Failure> {
    let path = file.beside("leases.jsonl");
    let text = match files::read_text(&path) {
        Ok(text) => text,
        Err(Failure::Read { source, .. }) if source.kind() == io::ErrorKind::NotFound => String::new(),
        Err(failure) => return Err(failure),
    };
    let (given, torn) = read_leases(&text).map_err(|error| Failure::Leases { path: path.clone(), error })?;
    if torn > 0 {
        let lines = counted(torn, "line");
        out.note(&format!("{}: {lines} could not be read and count for nothing", path.display()))?;
    }
    Ok(LeasesRead { path, given, lines: text.lines().count() })
}

/// The leases of a sheet that run now.
pub(crate) fn running(file: &SheetFile, out: &mut Out) -> Result<Vec<Lease>, Failure> {
    let now = clock::now();
    let given = read(file, out)?.given;
    Ok(given.values().filter(|line| left(line, now).is_some()).filter_map(LeaseLine::lease).collect())
}

/// How many seconds of a lease are left; `None` where it is over, was given back, or where the clock was set back behind it.
pub(crate) fn left(given: &LeaseLine, now: Timestamp) -> Option<u64> {
    let at: Timestamp = given.at.parse().ok()?;
    let passed = u64::try_from(now.as_second().saturating_sub(at.as_second())).ok()?;
    u64::from(given.seconds).checked_sub(passed).filter(|left| *left > 0)
}
