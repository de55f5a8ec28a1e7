//! What only hands do: fixtures plugged in elsewhere, asked of a person, looked at afterwards, and put in the logbook.

use lantern_core::change::Replug;
use lantern_core::conversation::Rediscovery;
use lantern_core::logbook::{Begun, Planned, Stage, StepTaken};

use super::guided::{Answer, ask};
use crate::failure::Failure;
use crate::logbook_file::LogbookFile;
use crate::output::{Out, Tone, counted};
use crate::session::Session;

/// Fixtures that a person says to have plugged in elsewhere, until it is seen whether they hang there.
pub(super) struct Replugged {
    book: LogbookFile,
    fixtures: Vec<Replug>,
}

/// Asks a person to take these, which hang on one cable, to one other.
pub(super) fn ask_to_replug(fixtures: &[Replug], out: &mut Out) -> Result<Answer, Failure> {
    let Some((from, to)) = fixtures.first().map(Replug::from_to) else { return Ok(Answer::Skip) };
    let names: Vec<&str> = fixtures.iter().map(|one| one.name.as_str()).collect();
    let what = match &names[..] {
        [only] => format!("{only}: it hangs on {from}"),
        _ => format!("{}: they hang on {from}: {}", counted(names.len(), "fixture"), names.join(", ")),
    };
    let mark = out.paint().dye(Tone::Doubtful, "by hand");
    out.line(&format!("{mark}  {what}; plug into {to}"))?;
    let universes: Vec<String> = fixtures[0].universes.iter().map(ToString::to_string).collect();
    out.note(&format!(
        "then the cables of universe {} are searched anew: RDM goes over them, and what does not stand that may flicker",
        universes.join(" and ")
    ))?;
    ask("Enter when that is done, s to skip it, q to end: ", 0, out)
}

impl Replugged {
    /// Writes down what a person was asked for, in a run that is gone on with or a new one.
    pub(super) fn said(
        session: &Session,
        run: Option<String>,
        begun: &Begun,
        fixtures: Vec<Replug>,
    ) -> Result<Self, Failure> {
        let mut book = LogbookFile::begin(&session.logbook_path(), run, begun)?;
        book.plan(fixtures.iter().enumerate().map(|(place, one)| Planned::of_replug(place, one)))?;
        for (place, one) in fixtures.iter().enumerate() {
            book.write(StepTaken::of_replug(place, one, Stage::ByHand))?;
        }
        Ok(Self { book, fixtures })
    }

    /// What the run is called.
    pub(super) fn run(&self) -> String {
        self.book.run().to_owned()
    }

    /// Which ones it is about, where they hung before.
    pub(super) fn fixtures(&self) -> &[Replug] {
        &self.fixtures
    }

    /// Where they are to be looked for: what the gateways know of these cables is older.
    pub(super) fn searched(&self) -> Rediscovery {
        Rediscovery::Universes(self.fixtures.iter().flat_map(|one| one.universes.iter().copied()).collect())
    }

    /// Writes down and says which of them were found where they are to hang.
    pub(super) fn seen(mut self, is_there: impl Fn(&Replug) -> bool, out: &mut Out) -> Result<(), Failure> {
        for (place, one) in self.fixtures.iter().enumerate() {
            let (name, (_, to)) = (&one.name, one.from_to());
            if is_there(one) {
                self.book.write(StepTaken::of_replug(place, one, Stage::Confirmed))?;
                let mark = out.paint().dye(Tone::Good, "done");
                out.line(&format!("{mark}  {name} hangs on {to}"))?;
            } else {
                let mark = out.paint().dye(Tone::Bad, "not there");
                out.line(&format!("{mark}  {name} is not found on {to}"))?;
            }
        }
        Ok(())
    }
}
