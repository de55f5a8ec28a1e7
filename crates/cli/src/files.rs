//! Files: rig sheets and censuses read, results written.

use std::env;
use std::fs::{self, OpenOptions};
use std::io::{self, Write};
use std::path::{Path, PathBuf};

use lantern_core::census::SavedCensus;
use lantern_core::clash::sheet_clashes;
use lantern_core::finding::{Rule, Severity};
use lantern_core::sheet::RigSheet;
use lantern_core::sheet::kind::KindBook;
use serde::Serialize;

use crate::failure::Failure;

/// The most bytes that are read of a file: a rig sheet of some hundred thousand nodes.
const LARGEST: u64 = 64 << 20;
/// The most names tried for a working file.
const MOST_NAMES: u32 = 100;
const SHEET_ENDING: &str = ".rig.toml";

/// A rig sheet and the file it came from.
#[derive(Debug, Clone)]
pub(crate) struct SheetFile {
    pub(crate) path: PathBuf,
    pub(crate) sheet: RigSheet,
}

impl SheetFile {
    /// Reads a sheet.
    pub(crate) fn read(path: &Path) -> Result<Self, Failure> {
        let text = read_text(path)?;
        match RigSheet::parse(&text) {
            Ok(sheet) => Self { path: path.to_owned(), sheet }.with_kinds(),
            Err(errors) => Err(Failure::Sheet { path: path.to_owned(), text, errors }),
        }
    }

    /// The sheet with the kinds of the files it names, which stand beside it.
    pub(crate) fn with_kinds(mut self) -> Result<Self, Failure> {
        for name in self.sheet.kind_files.clone() {
            let path = self.path.with_file_name(&name.value);
            let text = read_text(&path)?;
            match KindBook::read(&text) {
                Ok(kinds) => self.sheet.learn(kinds),
                Err(errors) => return Err(Failure::Sheet { path, text, errors }),
            }
        }
        Ok(self)
    }

    /// The sheet named, or the only one in this folder; `None` when there is no such single one.
    pub(crate) fn named_or_only(named: Option<&Path>) -> Result<Option<Self>, Failure> {
        match named.map(ToOwned::to_owned).or_else(only_sheet_here) {
            Some(path) => Self::read(&path).map(Some),
            None => Ok(None),
        }
    }

    /// The same, for commands that need one.
    pub(crate) fn one(named: Option<&Path>) -> Result<Self, Failure> {
        Self::named_or_only(named)?.ok_or_else(|| {
            Failure::Call("which sheet? This folder has not exactly one *.rig.toml; name it".to_owned())
        })
    }

    /// The place of an area that is named.
    pub(crate) fn area(&self, name: &str) -> Result<usize, Failure> {
        let there = || self.sheet.areas.iter().map(|area| area.name.value.clone()).collect();
        let found = self.sheet.areas.iter().position(|area| area.name.value == name);
        found.ok_or_else(|| Failure::NoArea { wanted: name.to_owned(), there: there() })
    }

    /// Refuses to go by a sheet that contradicts itself.
    pub(crate) fn refuse_clashes(&self) -> Result<(), Failure> {
        self.refuse_clashes_of("")
    }

    /// Refuses to go by a sheet that contradicts itself in what these families of rules are about, by their letters; in anything,
    /// where none are named.
    pub(crate) fn refuse_clashes_of(&self, families: &str) -> Result<(), Failure> {
        let mut clashes = sheet_clashes(&self.sheet);
        let is_meant =
            |rule: &Rule| families.is_empty() || rule.code.starts_with(|letter| families.contains(letter));
        clashes.retain(|clash| clash.rule.severity == Severity::Error && is_meant(clash.rule));
        if clashes.is_empty() {
            return Ok(());
        }
        Err(Failure::Clashes { path: self.path.clone(), text: self.sheet.text().to_owned(), findings: clashes })
    }

    /// The logbook that belongs to it.
    pub(crate) fn logbook(&self) -> PathBuf {
        self.beside("log.jsonl")
    }

    /// A file that belongs to it: beside it, under the same name, with this ending.
    pub(crate) fn beside(&self, ending: &str) -> PathBuf {
        let name = self.path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let stem = name.strip_suffix(SHEET_ENDING).or_else(|| name.strip_suffix(".toml")).unwrap_or(&name);
        self.path.with_file_name(format!("{stem}.{ending}"))
    }
}

/// The logbook of changes that are made without a sheet, in the present folder.
pub(crate) fn own_logbook() -> PathBuf {
    PathBuf::from("deft-lantern.log.jsonl")
}

fn only_sheet_here() -> Option<PathBuf> {
    let here = fs::read_dir(".").ok()?.filter_map(Result::ok).map(|entry| entry.file_name());
    let mut sheets = here.filter(|name| name.to_string_lossy().ends_with(SHEET_ENDING));
    let first = sheets.next()?;
    sheets.next().is_none().then(|| PathBuf::from(first))
}

/// Reads a saved census.
pub(crate) fn read_census(path: &Path) -> Result<SavedCensus, Failure> {
    let text = read_text(path)?;
    SavedCensus::from_json(&text).map_err(|error| Failure::Census { path: path.to_owned(), error })
}

/// Reads a file of at most [`LARGEST`] bytes.
pub(crate) fn read_bytes(path: &Path) -> Result<Vec<u8>, Failure> {
    let failed = |source| Failure::Read { path: path.to_owned(), source };
    let facts = fs::metadata(path).map_err(failed)?;
    // A pipe or a device would keep the program waiting, or never end.
    if !facts.is_file() && !facts.is_dir() {
        return Err(Failure::NoFile { path: path.to_owned() });
    }
    let size = facts.len();
    if size > LARGEST {
        return Err(Failure::TooLarge { path: path.to_owned(), size, most: LARGEST });
    }
    fs::read(path).map_err(failed)
}

/// The same as text.
pub(crate) fn read_text(path: &Path) -> Result<String, Failure> {
    String::from_utf8(read_bytes(path)?).map_err(|error| {
        let offset = error.utf8_error().valid_up_to();
        let line = 1 + error.as_bytes()[..offset].iter().filter(|byte| **byte == b'\n').count();
        Failure::NotText { path: path.to_owned(), offset, line }
    })
}

/// Writes a file that must not be there yet.
pub(crate) fn write_new(path: &Path, text: &str) -> Result<(), Failure> {
    let written = OpenOptions::new().write(true).create_new(true).open(path).and_then(|mut file| {
        file.write_all(text.as_bytes())?;
        file.sync_all()
    });
    written.map(|()| give_to_caller(path)).map_err(|source| match source.kind() {
        io::ErrorKind::AlreadyExists => Failure::Exists { path: path.to_owned() },
        _ => Failure::Write { path: path.to_owned(), source },
    })
}

/// Writes a result over an earlier one of the same name: whole, or not at all.
pub(crate) fn write_over(path: &Path, text: &str) -> Result<(), Failure> {
    // A name that stands for a file elsewhere goes on standing for it.
    let path = &fs::canonicalize(path).unwrap_or_else(|_| path.to_owned());
    let failed = |source| Failure::Write { path: path.to_owned(), source };
    let (beside, file) = working_file(path).map_err(failed)?;
    let whole = Ok(file).and_then(|mut file| {
        if let Ok(before) = fs::metadata(path) {
            file.set_permissions(before.permissions())?;
        }
        file.write_all(text.as_bytes())?;
        file.sync_all()
    });
    let is_new = !path.exists();
    whole.and_then(|()| fs::rename(&beside, path)).map_err(|source| {
        fs::remove_file(&beside).unwrap_or(());
        failed(source)
    })?;
    if is_new {
        give_to_caller(path);
    }
    Ok(())
}

/// A new file beside the target to write in first, under a name that nobody has.
fn working_file(path: &Path) -> io::Result<(PathBuf, fs::File)> {
    for number in 0..MOST_NAMES {
        let mut beside = path.as_os_str().to_owned();
        beside.push(format!(".part{number}"));
        let beside = PathBuf::from(beside);
        match OpenOptions::new().write(true).create_new(true).open(&beside) {
            Ok(file) => return Ok((beside, file)),
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {}
            Err(error) => return Err(error),
        }
    }
    Err(io::Error::new(io::ErrorKind::AlreadyExists, "every name for a working file beside it is taken"))
}

/// With sudo, a file that was made belongs to whoever called, not to the administrator.
pub(crate) fn give_to_caller(path: &Path) {
    #[cfg(unix)]
    {
        let id = |name: &str| env::var(name).ok().and_then(|text| text.parse::<u32>().ok());
        if let (Some(user), Some(group)) = (id("SUDO_UID"), id("SUDO_GID")) {
            // Where it cannot be given away, it is at least there.
            std::os::unix::fs::chown(path, Some(user), Some(group)).unwrap_or(());
        }
    }
    #[cfg(not(unix))]
    let _ = path;
}

/// Writes a new text over a sheet whose text was `before`; somebody else's changes since are not written over.
pub(crate) fn rewrite(path: &Path, before: &str, text: &str) -> Result<(), Failure> {
    if read_text(path)? != before {
        return Err(Failure::ChangedMeanwhile { path: path.to_owned() });
    }
    write_over(path, text)
}

/// Writes an object as JSON over an earlier one of the same name.
pub(crate) fn write_object(path: &Path, object: &impl Serialize) -> Result<(), Failure> {
    let failed = |error: serde_json::Error| Failure::Write { path: path.to_owned(), source: error.into() };
    write_over(path, &(serde_json::to_string_pretty(object).map_err(failed)? + "\n"))
}

/// The same in a folder of this program's own, which is made where it is missing.
pub(crate) fn keep_object(path: &Path, object: &impl Serialize) -> Result<(), Failure> {
    let folder = path.parent().unwrap_or(Path::new("."));
    fs::create_dir_all(folder).map_err(|source| Failure::Write { path: folder.to_owned(), source })?;
    write_object(path, object)
}

/// A folder of this program's own: under what `variable` names (XDG base directories), or under `usual` at home; on Windows in the
/// folder that the system has for programs.
pub(crate) fn own_folder(variable: &str, usual: &str) -> PathBuf {
    let set = |name: &str| env::var_os(name).filter(|value| !value.is_empty()).map(PathBuf::from);
    let of_system = || if cfg!(windows) { set("LOCALAPPDATA") } else { set("HOME").map(|home| home.join(usual)) };
    set(variable).or_else(of_system).unwrap_or_default().join("deft-lantern")
}
