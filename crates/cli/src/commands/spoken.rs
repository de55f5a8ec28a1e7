//! What `say` and `run` have in common: whom lines may be said to, and that each is in the logbook before it is said.

use std::net::{Ipv4Addr, SocketAddrV4};
use std::path::Path;

use lantern_core::Said;
use lantern_core::change::Part;
use lantern_core::conversation::{Concern, SayEvent, SayResult};
use lantern_core::logbook::{Begun, Ending, LineSaid, Order, SaidResult};
use lantern_core::sheet::RigSheet;

use crate::clock;
use crate::failure::Failure;
use crate::logbook_file::LogbookFile;
use crate::output::{Out, Tone};
use crate::session::Session;

/// What stands for what must not be shown.
pub(crate) const DOTS: &str = "•••";

/// Refuses whom nothing may be said to: who is locked, this computer, and who is out of reach.
pub(super) fn refuse(name: &str, address: Ipv4Addr, session: &Session, out: &mut Out) -> Result<(), Failure> {
    let vantage = session.vantage();
    if session.own_addresses().contains(&address) {
        return Err(Failure::Call(format!("{name} is this computer itself")));
    }
    if vantage.seat_beside(address).is_none() {
        return Err(Failure::Call(format!(
            "{name} has {address}, which this computer is not in a subnet with; give it a second address there: deft-lantern adapters advise {address}"
        )));
    }
    let Some(sheet) = session.sheet().filter(|sheet| sheet.has_locks()) else { return Ok(()) };
    let locked =
        || Err(Failure::Call(format!("{name} at {address} is locked on the sheet: nothing is said to it")));
    if sheet.is_locked(address, None) {
        return locked();
    }
    // A locked device is known by its MAC address, wherever it stands.
    if has_locked_devices(sheet) {
        let look = session.look(Concern::of_one(&address.to_string(), [address]), vec![address], out)?;
        let there = look.devices.iter().filter(|device| device.addresses.contains(&address));
        if there.into_iter().any(|device| sheet.is_locked(address, device.mac)) {
            return locked();
        }
    }
    Ok(())
}

fn has_locked_devices(sheet: &RigSheet) -> bool {
    sheet.networks.iter().any(|network| !network.locked_devices.is_empty())
}

/// A logbook in which each line stands before it is said.
pub(super) struct SaidBook {
    book: LogbookFile,
    failed: bool,
}

impl SaidBook {
    pub(super) fn begin<'n>(
        path: &Path,
        order: Order,
        sheet: Option<String>,
        nodes: impl IntoIterator<Item = &'n str>,
    ) -> Result<Self, Failure> {
        let nodes = nodes.into_iter().filter_map(|node| node.parse().ok()).collect();
        let begun = Begun {
            order,
            sheet,
            part: Part { nodes, ..Part::default() },
            undoes: None,
            keep: 0,
            resumed: false,
            guided: false,
            fixtures: false,
        };
        Ok(Self { book: LogbookFile::begin(path, None, &begun)?, failed: false })
    }

    /// Writes down a line, or what came of it.
    pub(super) fn hear(
        &mut self,
        (node, to): (&str, SocketAddrV4),
        event: &SayEvent,
        last: &mut Option<LineSaid>,
    ) -> Result<(), Failure> {
        match event {
            SayEvent::Said { line, is_secret } => {
                let line = (!is_secret).then(|| line.clone());
                let said = LineSaid { node: node.to_owned(), to, line, result: None, answer: None };
                *last = Some(said.clone());
                self.book.said(said)
            }
            SayEvent::Ended(result) => {
                self.failed |= result.is_failure();
                last.take().map_or(Ok(()), |said| self.book.said(said.ended(result)))
            }
            _ => Ok(()),
        }
    }

    pub(super) fn end(mut self, is_broken_off: bool) -> Result<(), Failure> {
        self.book.end(match (is_broken_off, self.failed) {
            (true, _) => Ending::BrokenOff,
            (false, true) => Ending::Unfinished,
            (false, false) => Ending::Done,
        })
    }
}

/// What came of a line, in words, and how it is to be shown.
pub(crate) fn in_words(result: SaidResult, answer: Option<&Said>) -> (String, Tone) {
    let answer = answer.map(ToString::to_string).unwrap_or_default();
    match result {
        SaidResult::Answered => (format!("answers {answer}"), Tone::Good),
        SaidResult::Wrong => (format!("answers {answer}, which is not the right answer"), Tone::Bad),
        SaidResult::Unanswered => ("no answer".to_owned(), Tone::Bad),
        SaidResult::Lost => ("lost".to_owned(), Tone::Bad),
    }
}

/// The same where it is known why something was lost.
pub(super) fn told(result: &SayResult) -> (String, Tone) {
    let (words, tone) = in_words(result.into(), result.answer());
    match result {
        SayResult::Lost(end) => (format!("{words}: {end}"), tone),
        _ => (words, tone),
    }
}

/// The time of day, in UTC.
pub(super) fn time_of_day() -> String {
    clock::now().strftime("%H:%M:%S%.3f").to_string()
}
