//! The logbook on disk: each line is there for good before the step it tells of is sent.

use std::fs::{File, OpenOptions};
use std::io::Write;
use std::path::{Path, PathBuf};

use lantern_core::change::{Change, NodeName};
use lantern_core::logbook::{Entry, FORMAT, Stage};

use crate::clock;
use crate::failure::Failure;

/// A logbook opened for one run of the program.
#[derive(Debug)]
pub(crate) struct LogbookFile {
    path: PathBuf,
    file: File,
    run: String,
}

impl LogbookFile {
    /// Opens the logbook, or starts it.
    pub(crate) fn open(path: &Path) -> Result<Self, Failure> {
        let opened = OpenOptions::new().append(true).create(true).open(path);
        let file = opened.map_err(|source| Failure::Write { path: path.to_owned(), source })?;
        let run = format!("{}-{}", clock::now().strftime("%Y%m%dT%H%M%SZ"), std::process::id());
        Ok(Self { path: path.to_owned(), file, run })
    }

    /// Writes down what stage a step of a change has reached.
    pub(crate) fn write(&mut self, change: &Change, step: usize, stage: Stage) -> Result<(), Failure> {
        let node: NodeName = change.node_name();
        let at = clock::now().to_string();
        let fields = change.steps.get(step).map_or(&[][..], |step| &step.differences);
        let entry = Entry { format: FORMAT, at: &at, run: &self.run, node: &node, step: step + 1, stage, fields };
        let line = serde_json::to_string(&entry).map_err(std::io::Error::from);
        let written = line.and_then(|line| {
            self.file.write_all(format!("{line}\n").as_bytes())?;
            self.file.sync_data()
        });
        written.map_err(|source| Failure::Write { path: self.path.clone(), source })
    }

    /// Where it is.
    pub(crate) fn path(&self) -> &Path {
        &self.path
    }
}
