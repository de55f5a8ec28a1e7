//! The leases on disk, beside the sheet: a line for each, there before the answer leaves.

use std::collections::BTreeMap;
use std::io;
use std::time::Duration;

use jiff::Timestamp;
use lantern_core::MacAddress;
use lantern_core::conversation::Leasing;
use lantern_core::lease::{FORMAT, LeaseLine, read_leases};

use crate::clock;
use crate::failure::Failure;
use crate::files::{self, SheetFile};
use crate::journal::Journal;
use crate::output::{Out, counted};

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
        if text.lines().count() > MOST_LINES {
            let text: Result<Vec<String>, _> = given.values().map(serde_json::to_string).collect();
            let failed = |error: serde_json::Error| Failure::Write { path: path.clone(), source: error.into() };
            files::write_over(&path, &(text.map_err(failed)?.join("\n") + "\n"))?;
        }
        Ok((Self { journal: Journal::open(&path)? }, given))
    }

    /// Writes down that an address is given, or came back: `seconds` is 0 then.
    pub(super) fn write(
        &mut self,
        mac: MacAddress,
        node: Option<&str>,
        address: std::net::Ipv4Addr,
        seconds: u32,
    ) -> Result<(), Failure> {
        let (at, node) = (clock::now().to_string(), node.map(ToOwned::to_owned));
        let line = LeaseLine { format: FORMAT, at, mac, node, address, seconds };
        let path = self.journal.path().to_owned();
        self.journal.append([line]).map_err(|source| Failure::Logbook { path, source, sent: true })
    }
}

/// Lets the conversation know what was given before.
pub(super) fn remember(leasing: &mut Leasing, given: &BTreeMap<MacAddress, LeaseLine>) {
    let now = clock::now();
    // A stranger that gave its address back has none; a device of the sheet stays who it was taken for.
    for (mac, given) in given.iter().filter(|(_, given)| given.seconds > 0 || given.node.is_some()) {
        leasing.remember(*mac, given.node.as_deref(), given.address, left(given, now));
    }
}

/// What is left of a lease.
fn left(given: &LeaseLine, now: Timestamp) -> Option<Duration> {
    let at: Timestamp = given.at.parse().ok()?;
    let passed = u64::try_from(now.as_second().saturating_sub(at.as_second())).ok()?;
    let left = u64::from(given.seconds).checked_sub(passed)?;
    // Whoever was told to keep its address for long is not waited for.
    (left > 0 && given.seconds <= Leasing::SHORT).then(|| Duration::from_secs(left))
}
