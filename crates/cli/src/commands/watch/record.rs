//! What a watch keeps in a file.

use std::fs::{File, OpenOptions};
use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};
use std::time::Duration;

use lantern_core::conversation::Watch;
use lantern_core::watch::{Happening, Kept, Log};

use super::Eye;
use crate::clock;
use crate::failure::Failure;
use crate::output::Out;

const MINUTE: Duration = Duration::from_secs(60);

/// The file, which is never written over.
pub(super) struct Record {
    path: PathBuf,
    file: BufWriter<File>,
    log: Log,
    minute_at: Duration,
}

impl Record {
    pub(super) fn begin(path: &Path) -> Result<Self, Failure> {
        let opened = OpenOptions::new().write(true).create_new(true).open(path);
        let file = opened.map_err(|source| match source.kind() {
            std::io::ErrorKind::AlreadyExists => Failure::Exists { path: path.to_owned() },
            _ => Failure::Write { path: path.to_owned(), source },
        })?;
        let mut record =
            Self { path: path.to_owned(), file: BufWriter::new(file), log: Log::default(), minute_at: MINUTE };
        record.write(&[Log::began(clock::now().to_string())])?;
        Ok(record)
    }

    /// Lines that are in the file at once: a power cut must not take what was told.
    fn write(&mut self, lines: &[Kept]) -> Result<(), Failure> {
        let write = || -> std::io::Result<()> {
            for line in lines {
                serde_json::to_writer(&mut self.file, line)?;
                self.file.write_all(b"\n")?;
            }
            self.file.flush()
        };
        let written = { write }();
        written.map_err(|source| Failure::Write { path: self.path.clone(), source })
    }
}

impl Eye for Record {
    fn happened(&mut self, _: &Watch, happening: &Happening, _: &mut Out) -> Result<(), Failure> {
        self.write(&[Log::happened(happening)])
    }

    fn look(&mut self, watch: &Watch, now: Duration, _: u64, _: &mut Out) -> Result<bool, Failure> {
        if now >= self.minute_at {
            self.minute_at = now + MINUTE;
            let lines = self.log.minute(now, watch.board());
            self.write(&lines)?;
        }
        Ok(true)
    }

    fn end(&mut self, watch: &Watch, now: Duration, out: &mut Out) -> Result<(), Failure> {
        let mut lines = self.log.minute(now, watch.board());
        lines.push(Log::ended(now));
        self.write(&lines)?;
        out.note(&format!("kept in {}: deft-lantern watch summary {0}", self.path.display()))?;
        Ok(())
    }
}
