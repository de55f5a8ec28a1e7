//! `adapters preset`: named set-ups of an adapter, to switch between in one go.

use std::fs;
use std::path::PathBuf;

use lantern_core::adapter::{Origin, WantedOwn, choose_cable};
use serde::{Deserialize, Serialize};

use super::{dhcp, join};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files;
use crate::machine::{computer, config_folder};
use crate::output::{Out, Table, Tone};

const FORMAT: u32 = 1;

/// Keep named set-ups of an adapter and switch between them
#[derive(Debug, clap::Subcommand)]
pub(super) enum Command {
    /// Keep what the adapter is set to now, under a name
    Save {
        /// The preset's name
        name: String,
        /// The adapter; without it, the only cable with link
        #[arg(long, value_name = "NAME")]
        adapter: Option<String>,
    },
    /// Set the adapter as kept, with the same care as join
    Use {
        /// The preset's name
        name: String,
        /// Another adapter than the one it was kept of
        #[arg(long, value_name = "NAME")]
        adapter: Option<String>,
    },
    /// List the presets
    List,
    /// Forget a preset
    Drop {
        /// The preset's name
        name: String,
    },
}

/// A preset as it is kept.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Preset {
    format: u32,
    adapter: String,
    /// Whether addresses come by DHCP.
    dhcp: bool,
    /// Fixed addresses with their prefixes.
    addresses: Vec<String>,
}

#[derive(Debug, Serialize)]
struct Answer {
    format: u32,
    presets: Vec<Named>,
}

#[derive(Debug, Serialize)]
struct Named {
    name: String,
    #[serde(flatten)]
    preset: Preset,
}

/// Runs the one asked for.
pub(super) fn run(command: &Command, out: &mut Out) -> Result<Exit, Failure> {
    match command {
        Command::Save { name, adapter } => save(name, adapter.as_deref(), out),
        Command::Use { name, adapter } => take(name, adapter.clone(), out),
        Command::List => list(out),
        Command::Drop { name } => {
            let path = existing(name)?;
            fs::remove_file(&path).map_err(|source| Failure::Write { path, source })?;
            Ok(Exit::Fine)
        }
    }
}

fn save(name: &str, adapter: Option<&str>, out: &mut Out) -> Result<Exit, Failure> {
    let path = path_of(name)?;
    let computer = computer()?;
    let adapter = choose_cable(&computer.adapters, adapter)?;
    let fixed = adapter.addresses.iter().filter(|own| own.origin != Origin::Leased);
    let preset = Preset {
        format: FORMAT,
        adapter: adapter.name.clone(),
        dhcp: adapter.addresses.iter().any(|own| own.origin == Origin::Leased),
        addresses: fixed.map(ToString::to_string).collect(),
    };
    files::keep_object(&path, &preset)?;
    out.note(&format!("{name}: {}", described(&preset)))?;
    Ok(Exit::Fine)
}

/// Everything of the preset is read before anything is changed.
fn take(name: &str, adapter: Option<String>, out: &mut Out) -> Result<Exit, Failure> {
    let path = existing(name)?;
    let preset = read(&path)?;
    let broken = |why: &str| Failure::Preset { path: path.clone(), why: why.to_owned() };
    let parse = |text: &String| text.parse::<WantedOwn>().map_err(broken);
    let addresses: Vec<WantedOwn> = preset.addresses.iter().map(parse).collect::<Result<_, _>>()?;
    let adapter = adapter.unwrap_or(preset.adapter);
    let lease = |instead| dhcp::Args { adapter: Some(adapter.clone()), instead, sheet: None };
    match (preset.dhcp, addresses.is_empty()) {
        (false, true) => Err(broken("it names no address")),
        (true, true) => dhcp::run(&lease(true), out),
        (false, false) => join::run(&join::Args::instead(addresses, adapter), out),
        (true, false) => {
            join::run(&join::Args::instead(addresses, adapter.clone()), out)?;
            dhcp::run(&lease(false), out)
        }
    }
}

fn list(out: &mut Out) -> Result<Exit, Failure> {
    let read_named = |name: String| Ok(Named { preset: read(&path_of(&name)?)?, name });
    let presets: Vec<Named> = names().into_iter().map(read_named).collect::<Result<_, Failure>>()?;
    if out.is_json() {
        out.object(&Answer { format: FORMAT, presets })?;
        return Ok(Exit::Fine);
    }
    let mut table = Table::new(&["preset", "adapter", "addresses"]).unbroken(&["preset", "adapter"]);
    for Named { name, preset } in &presets {
        let name = crate::output::Cell::new(name.clone(), Tone::Strong);
        table.row(vec![name, preset.adapter.clone().into(), described(preset).into()]);
    }
    out.table(&table)?;
    Ok(Exit::Fine)
}

fn described(preset: &Preset) -> String {
    let dhcp = preset.dhcp.then(|| "by DHCP".to_owned());
    let all: Vec<String> = preset.addresses.iter().cloned().chain(dhcp).collect();
    if all.is_empty() { "no address".to_owned() } else { all.join(", ") }
}

fn read(path: &PathBuf) -> Result<Preset, Failure> {
    let text = fs::read_to_string(path).map_err(|source| Failure::Read { path: path.clone(), source })?;
    let broken = |why: String| Failure::Preset { path: path.clone(), why };
    let preset: Preset = serde_json::from_str(&text).map_err(|error| broken(error.to_string()))?;
    let known = preset.format == FORMAT;
    known.then_some(preset).ok_or_else(|| broken(format!("this program reads format {FORMAT}")))
}

fn existing(name: &str) -> Result<PathBuf, Failure> {
    let path = path_of(name)?;
    if path.is_file() { Ok(path) } else { Err(Failure::NoPreset { name: name.to_owned(), there: names() }) }
}

fn names() -> Vec<String> {
    let entries = fs::read_dir(folder()).into_iter().flatten().filter_map(Result::ok);
    let name =
        |entry: fs::DirEntry| entry.file_name().to_string_lossy().strip_suffix(".json").map(ToOwned::to_owned);
    let mut names: Vec<String> = entries.filter_map(name).collect();
    names.sort();
    names
}

fn folder() -> PathBuf {
    config_folder().join("presets")
}

/// A name is one word of letters, digits, dashes and dots, so that it is a file's name and nothing else.
fn path_of(name: &str) -> Result<PathBuf, Failure> {
    let plain = |c: char| c.is_alphanumeric() || matches!(c, '-' | '_' | '.');
    if name.is_empty() || name.starts_with('.') || !name.chars().all(plain) {
        return Err(Failure::Call(format!(
            "{name:?} is no name for a preset: letters, digits, - _ and . make one"
        )));
    }
    Ok(folder().join(format!("{name}.json")))
}
