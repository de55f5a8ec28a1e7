//! This computer as the system tells it, with what its user calls the adapters.

use std::collections::BTreeMap;
use std::env;
use std::fs;
use std::io;
use std::path::PathBuf;

use lantern_core::adapter::Computer;
use lantern_net::{Cable, CableError};
use serde::{Deserialize, Serialize};

use crate::failure::Failure;
use crate::files;

const FORMAT: u32 = 1;
/// What tells a program beside a demo which pretended cable it is plugged into.
pub(crate) const CABLE: &str = "DEFT_LANTERN_CABLE";

/// What the user said of the adapters, by their names.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct Habits {
    format: u32,
    /// What they are called.
    #[serde(default)]
    pub(crate) labels: BTreeMap<String, String>,
    /// Which is taken when several could be.
    #[serde(default)]
    pub(crate) preferred: Option<String>,
}

/// Plugs this program into the pretended cable of a demo, where it was started beside one.
pub(crate) fn plug_in() -> Result<(), Failure> {
    let Some(text) = env::var_os(CABLE).filter(|text| !text.is_empty()) else { return Ok(()) };
    // Whoever is not told which one must not meet the real network instead.
    let cable: Result<Cable, CableError> = text.to_str().ok_or(CableError).and_then(str::parse);
    cable.map(Cable::plug_in).map_err(|error| Failure::Call(format!("{CABLE}: {error}")))
}

/// This computer as it is now.
pub(crate) fn computer() -> Result<Computer, Failure> {
    let mut computer = lantern_net::computer()?;
    let habits = Habits::read()?;
    for adapter in &mut computer.adapters {
        adapter.label = habits.labels.get(&adapter.name).cloned();
        adapter.preferred = habits.preferred.as_ref() == Some(&adapter.name);
    }
    Ok(computer)
}

impl Habits {
    /// What was said so far.
    pub(crate) fn read() -> Result<Self, Failure> {
        let path = path();
        let text = match fs::read_to_string(&path) {
            Ok(text) => text,
            Err(error) if error.kind() == io::ErrorKind::NotFound => {
                return Ok(Self { format: FORMAT, labels: BTreeMap::new(), preferred: None });
            }
            Err(source) => return Err(Failure::Read { path, source }),
        };
        serde_json::from_str(&text).map_err(|error| Failure::Read { path, source: error.into() })
    }

    /// Keeps it.
    pub(crate) fn write(&self) -> Result<(), Failure> {
        files::keep_object(&path(), self)
    }
}

/// The folder of the user's own settings: `$XDG_CONFIG_HOME/deft-lantern`, by default under `~/.config`.
pub(crate) fn config_folder() -> PathBuf {
    files::own_folder("XDG_CONFIG_HOME", ".config")
}

fn path() -> PathBuf {
    config_folder().join("adapters.json")
}
