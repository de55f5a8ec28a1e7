//! A file of lines that only grows: each line is there for good when it has been appended, and one run at a time writes it.

use std::fs::{File, OpenOptions};
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

use serde::Serialize;

use crate::failure::Failure;
use crate::files;

/// Such a file, opened by one run of the program.
#[derive(Debug)]
pub(crate) struct Journal {
    path: PathBuf,
    file: File,
}

impl Journal {
    /// Opens it, or starts it. A last line that a power cut tore off is ended, not continued.
    pub(crate) fn open(path: &Path) -> Result<Self, Failure> {
        let failed = |source| Failure::Write { path: path.to_owned(), source };
        let is_new = !path.exists();
        let mut file = OpenOptions::new().read(true).append(true).create(true).open(path).map_err(failed)?;
        if is_new {
            files::give_to_caller(path);
        }
        // This is what keeps a second run out.
        if let Err(std::fs::TryLockError::WouldBlock) = file.try_lock() {
            return Err(Failure::Busy { path: path.to_owned() });
        }
        if is_torn(&mut file).map_err(failed)? {
            file.write_all(b"\n").map_err(failed)?;
        }
        Ok(Self { path: path.to_owned(), file })
    }

    /// Where it is.
    pub(crate) fn path(&self) -> &Path {
        &self.path
    }

    /// Appends lines; when it returns they are on disk.
    pub(crate) fn append(&mut self, lines: impl IntoIterator<Item = impl Serialize>) -> io::Result<()> {
        let mut text = String::new();
        for line in lines {
            text += &serde_json::to_string(&line)?;
            text.push('\n');
        }
        self.file.write_all(text.as_bytes())?;
        self.file.sync_data()
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
