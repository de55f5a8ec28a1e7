//! The logbook on disk: each line is there for good before the step it tells of is sent.

use std::fs::File;
use std::io;
use std::path::Path;

use lantern_core::logbook::{self, Begun, Ending, FORMAT, Line, LineSaid, Planned, Record, Run, StepTaken};

use crate::clock;
use crate::failure::Failure;
use crate::files;
use crate::journal::Journal;
use crate::output::{Out, counted};

/// A logbook opened for one run of the program.
#[derive(Debug)]
pub(crate) struct LogbookFile {
    journal: Journal,
    run: String,
    /// Whether a step of this run was written down as sent.
    sent: bool,
}

/// The runs of a logbook, the oldest first; none where there is no logbook yet. Lines that cannot be read are told of.
pub(crate) fn runs_of(path: &Path, out: &mut Out) -> Result<Vec<Run>, Failure> {
    let (runs, torn) = match files::read_text(path) {
        Ok(text) => {
            logbook::read(&text).map_err(|error| Failure::LogbookFormat { path: path.to_owned(), error })?
        }
        Err(Failure::Read { source, .. }) if source.kind() == io::ErrorKind::NotFound => return Ok(Vec::new()),
        Err(failure) => return Err(failure),
    };
    if torn > 0 {
        let lines = counted(torn, "line");
        out.note(&format!("{}: {lines} could not be read and count for nothing", path.display()))?;
    }
    Ok(runs)
}

impl LogbookFile {
    /// Opens the logbook, or starts it, and begins a run: a new one, or one that is gone on with. That it can be read,
    /// [`runs_of`] has seen before.
    pub(crate) fn begin(path: &Path, run: Option<String>, begun: &Begun) -> Result<Self, Failure> {
        let journal = Journal::open(path)?;
        let new = || format!("{}-{}", clock::now().strftime("%Y%m%dT%H%M%SZ"), std::process::id());
        let mut book = Self { journal, run: run.unwrap_or_else(new), sent: false };
        book.append([Record::Begun(begun.clone())])?;
        Ok(book)
    }

    /// Writes down everything that is meant, and what was there before.
    pub(crate) fn plan(&mut self, all: impl IntoIterator<Item = Planned>) -> Result<(), Failure> {
        self.append(all.into_iter().map(Record::Planned))
    }

    /// Writes down what stage a step of a change has reached.
    pub(crate) fn write(&mut self, step: StepTaken) -> Result<(), Failure> {
        let is_sent = step.stage.is_sent();
        self.append([Record::Step(step)])?;
        self.sent |= is_sent;
        Ok(())
    }

    /// Writes down a line of text, or what came of it.
    pub(crate) fn said(&mut self, said: LineSaid) -> Result<(), Failure> {
        let is_sent = said.result.is_none();
        self.append([Record::Said(said)])?;
        self.sent |= is_sent;
        Ok(())
    }

    /// Writes down how the run ended.
    pub(crate) fn end(&mut self, how: Ending) -> Result<(), Failure> {
        self.append([Record::Ended { how }])
    }

    /// Where it is.
    pub(crate) fn path(&self) -> &Path {
        self.journal.path()
    }

    /// What the run is called.
    pub(crate) fn run(&self) -> &str {
        &self.run
    }

    /// Appends lines; when it returns they are on disk.
    fn append(&mut self, records: impl IntoIterator<Item = Record>) -> Result<(), Failure> {
        let at = clock::now().to_string();
        let line = |record| Line { format: FORMAT, at: at.clone(), run: self.run.clone(), record };
        let (path, sent) = (self.path().to_owned(), self.sent);
        let lines: Vec<Line> = records.into_iter().map(line).collect();
        self.journal.append(lines).map_err(|source| Failure::Logbook { path, source, sent })
    }
}

/// Keeps a second run on the same sheet out until it is dropped.
#[derive(Debug)]
pub(crate) struct RunLock(#[allow(dead_code, reason = "it is held, not read")] File);

impl RunLock {
    /// Takes the sheet for this run.
    pub(crate) fn take(sheet: &Path) -> Result<Self, Failure> {
        let failed = |source| Failure::Read { path: sheet.to_owned(), source };
        let file = File::open(sheet).map_err(failed)?;
        match file.try_lock() {
            Ok(()) => Ok(Self(file)),
            Err(std::fs::TryLockError::WouldBlock) => Err(Failure::Busy { path: sheet.to_owned() }),
            // A file system without locks keeps nobody out, and must not keep the only one out.
            Err(std::fs::TryLockError::Error(_)) => Ok(Self(file)),
        }
    }
}
