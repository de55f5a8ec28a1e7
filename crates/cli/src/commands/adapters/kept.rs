//! What adapters were set to before we changed them, kept on disk until it is put back.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use lantern_core::adapter::AdapterState;
use lantern_net::start_mark;
use serde::{Deserialize, Serialize};

use crate::clock;
use crate::failure::Failure;
use crate::files;

const FORMAT: u32 = 1;

/// The state of one adapter as it was.
#[derive(Debug, Serialize, Deserialize)]
pub(super) struct Kept {
    format: u32,
    /// The adapter's name.
    pub(super) adapter: String,
    /// When it was kept, in UTC.
    pub(super) at: String,
    /// Which start of the computer it belongs to: a restart gives everything back by itself.
    start: String,
    /// What it was set to.
    pub(super) state: AdapterState,
    /// What it was set to before a run of changes took an address for as long as it lasts.
    #[serde(default)]
    pub(super) meanwhile: Option<AdapterState>,
}

impl Kept {
    /// Keeps the state of an adapter. What was kept earlier is the older truth and stays.
    pub(super) fn keep(adapter: &str, state: &AdapterState) -> Result<(), Failure> {
        if Self::of(adapter)?.is_some_and(|kept| kept.is_of_this_start()) {
            return Ok(());
        }
        let kept = Self {
            format: FORMAT,
            adapter: adapter.to_owned(),
            at: clock::now().strftime("%Y-%m-%dT%H:%M:%SZ").to_string(),
            start: start_mark(),
            state: state.clone(),
            meanwhile: None,
        };
        files::keep_object(&path_of(adapter), &kept)
    }

    /// Keeps the state of an adapter, to be put back when a run of changes is over. What was kept earlier in it is the older
    /// truth and stays.
    pub(super) fn keep_meanwhile(adapter: &str, state: &AdapterState) -> Result<(), Failure> {
        Self::keep(adapter, state)?;
        match Self::of(adapter)? {
            Some(kept) if kept.meanwhile.is_some() => Ok(()),
            Some(kept) => {
                let kept = Self { meanwhile: Some(state.clone()), ..kept };
                files::keep_object(&path_of(adapter), &kept)
            }
            None => Ok(()),
        }
    }

    /// The run is over.
    pub(super) fn forget_meanwhile(adapter: &str) -> Result<(), Failure> {
        match Self::of(adapter)? {
            Some(kept) if kept.meanwhile.is_some() => {
                files::keep_object(&path_of(adapter), &Self { meanwhile: None, ..kept })
            }
            _ => Ok(()),
        }
    }

    /// What was kept of this adapter.
    pub(super) fn of(adapter: &str) -> Result<Option<Self>, Failure> {
        Self::read(&path_of(adapter))
    }

    /// Everything that was kept.
    pub(super) fn all() -> Result<Vec<Self>, Failure> {
        let Ok(entries) = fs::read_dir(folder()) else { return Ok(Vec::new()) };
        let mut paths: Vec<PathBuf> = entries.filter_map(Result::ok).map(|entry| entry.path()).collect();
        paths.retain(|path| path.extension().is_some_and(|ending| ending == "json"));
        paths.sort();
        paths.iter().filter_map(|path| Self::read(path).transpose()).collect()
    }

    fn read(path: &Path) -> Result<Option<Self>, Failure> {
        let text = match fs::read_to_string(path) {
            Ok(text) => text,
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(None),
            Err(source) => return Err(Failure::Read { path: path.to_owned(), source }),
        };
        let broken = |source: serde_json::Error| Failure::Read { path: path.to_owned(), source: source.into() };
        serde_json::from_str(&text).map(Some).map_err(broken)
    }

    /// Whether the computer has not been restarted since.
    pub(super) fn is_of_this_start(&self) -> bool {
        self.start == start_mark()
    }

    /// Forgets it: it has been put back.
    pub(super) fn forget(&self) -> Result<(), Failure> {
        let path = path_of(&self.adapter);
        fs::remove_file(&path).map_err(|source| Failure::Write { path, source })
    }
}

/// `$XDG_STATE_HOME/deft-lantern/adapters`, by default under `~/.local/state`.
pub(super) fn folder() -> PathBuf {
    files::own_folder("XDG_STATE_HOME", ".local/state").join("adapters")
}

fn path_of(adapter: &str) -> PathBuf {
    folder().join(file_name(adapter))
}

/// What comes from the command line has been checked by nobody, and what one system calls an adapter another takes for no name of a
/// file.
fn file_name(adapter: &str) -> String {
    let letter = |one: char| match one {
        ' ' | '-' | '_' | '.' => one.to_string(),
        _ if one.is_alphanumeric() => one.to_string(),
        _ => format!("%{:x}", u32::from(one)),
    };
    format!("{}.json", adapter.chars().map(letter).collect::<String>())
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case("eth0.100", "eth0.100.json")]
    #[case("Ethernet 2", "Ethernet 2.json")]
    #[case("Local Area Connection* 1", "Local Area Connection%2a 1.json")]
    #[case("../../up", "..%2f..%2fup.json")]
    #[case("a%2f", "a%252f.json")]
    fn every_adapter_has_a_file_of_its_own(#[case] adapter: &str, #[case] file: &str) {
        assert_eq!(file_name(adapter), file);
    }
}
