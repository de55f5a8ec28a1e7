//! The logbook on disk: each line is there for good before the step it tells of is sent.

use std::fs::{File, OpenOptions};
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

use lantern_core::change::{Change, NodeName};
use lantern_core::logbook::{Entry, FORMAT, Stage};

use crate::clock;
use crate::failure::Failure;
use crate::files;

/// A logbook opened for one run of the program.
#[derive(Debug)]
pub(crate) struct LogbookFile {
    path: PathBuf,
    file: File,
    run: String,
    /// Whether a step of this run was written down as sent.
    sent: bool,
}

impl LogbookFile {
    /// Opens the logbook, or starts it. A last line that a power cut tore off is ended, not continued.
    pub(crate) fn open(path: &Path) -> Result<Self, Failure> {
        let failed = |source| Failure::Write { path: path.to_owned(), source };
        let is_new = !path.exists();
        let mut file = OpenOptions::new().read(true).append(true).create(true).open(path).map_err(failed)?;
        if is_new {
            files::give_to_caller(path);
        }
        if is_torn(&mut file).map_err(failed)? {
            file.write_all(b"\n").map_err(failed)?;
        }
        let run = format!("{}-{}", clock::now().strftime("%Y%m%dT%H%M%SZ"), std::process::id());
        Ok(Self { path: path.to_owned(), file, run, sent: false })
    }

    /// Writes down what stage a step of a change has reached.
    pub(crate) fn write(&mut self, change: &Change, step: usize, stage: Stage) -> Result<(), Failure> {
        let node: NodeName = change.node_name();
        let at = clock::now().to_string();
        let fields = change.steps.get(step).map_or(&[][..], |step| &step.differences);
        let entry = Entry { format: FORMAT, at: &at, run: &self.run, node: &node, step: step + 1, stage, fields };
        let line = serde_json::to_string(&entry).map_err(io::Error::from);
        let written = line.and_then(|line| {
            self.file.write_all(format!("{line}\n").as_bytes())?;
            self.file.sync_data()
        });
        written.map_err(|source| Failure::Logbook { path: self.path.clone(), source, sent: self.sent })?;
        self.sent |= matches!(stage, Stage::Sending | Stage::Repeating);
        Ok(())
    }

    /// Where it is.
    pub(crate) fn path(&self) -> &Path {
        &self.path
    }
}

fn is_torn(file: &mut File) -> io::Result<bool> {
    if file.seek(SeekFrom::End(0))? == 0 {
        return Ok(false);
    }
    file.seek(SeekFrom::End(-1))?;
    let mut last = [0];
    file.read_exact(&mut last)?;
    Ok(last != *b"\n")
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
