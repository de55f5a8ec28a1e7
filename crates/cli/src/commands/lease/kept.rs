//! The leases on disk, beside the sheet: a line for each, there before the answer leaves.

use std::collections::BTreeMap;
use std::time::Duration;

use lantern_core::MacAddress;
use lantern_core::conversation::Leasing;
use lantern_core::lease::LeaseLine;

use crate::clock;
use crate::failure::Failure;
use crate::files::{self, SheetFile};
use crate::journal::Journal;
use crate::lease_file::{self, LeasesRead};
use crate::output::Out;

/// From how many lines on a file of leases is written anew, with the last of each only.
const MOST_LINES: usize = 5000;

/// The file of one sheet.
#[derive(Debug)]
pub(super) struct Kept {
    journal: Journal,
}

impl Kept {
    /// Opens the leases of a sheet, or starts them; gives what everybody was given last.
    pub(super) fn open(
        file: &SheetFile,
        out: &mut Out,
    ) -> Result<(Self, BTreeMap<MacAddress, LeaseLine>), Failure> {
        let LeasesRead { path, given, lines } = lease_file::read(file, out)?;
        if lines > MOST_LINES {
            let text: Result<Vec<String>, _> = given.values().map(serde_json::to_string).collect();
            let failed = |error: serde_json::Error| Failure::Write { path: path.clone(), source: error.into() };
            files::write_over(&path, &(text.map_err(failed)?.join("\n") + "\n"))?;
        }
        Ok((Self { journal: Journal::open(&path)? }, given))
    }

    /// Writes down that an address is given, or came back.
    pub(super) fn write(&mut self, line: LeaseLine) -> Result<(), Failure> {
        let path = self.journal.path().to_owned();
        self.journal.append([line]).map_err(|source| Failure::Logbook { path, source, sent: true })
    }
}

/// Lets the conversation know what was given before.
pub(super) fn remember(leasing: &mut Leasing, given: &BTreeMap<MacAddress, LeaseLine>) {
    let now = clock::now();
    // A stranger that gave its address back has none; a device of the sheet stays who it was taken for.
    for (mac, given) in given.iter().filter(|(_, given)| given.seconds > 0 || given.node.is_some()) {
        // Whoever was told to keep its address for long is not waited for.
        let left = lease_file::left(given, now).filter(|_| given.seconds <= Leasing::SHORT);
        leasing.remember(*mac, given.node.as_deref(), given.address, left.map(Duration::from_secs));
    }
}
