//! `sheet show`: the rig as people want to read it.

pub(crate) mod drawings;
pub(crate) mod page;
mod tables;

use std::path::PathBuf;

use clap::ValueEnum;
use lantern_core::clash::Loads;
use lantern_core::view::{Run, UniverseUse, address_runs, universe_uses};
use serde::Serialize;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::{self, SheetFile};
use crate::output::Out;

/// Read the rig: by area, universe, node or address, or as a page
///
/// By area, each node with its address and universes; by universe, who sends, who listens and what is free; by address,
/// what every address of a network is.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The rig sheet; without it, the only *.rig.toml in this folder
    #[arg(value_name = "FILE.rig.toml")]
    pub(crate) sheet: Option<PathBuf>,

    /// What to read it by
    #[arg(long, value_name = "WHAT", default_value = "area")]
    pub(crate) by: By,

    /// Write it as one page with drawings, for a browser or a printer
    #[arg(long, value_name = "FILE.html")]
    pub(crate) page: Option<PathBuf>,
}

impl Args {
    /// This sheet by universe, or as a page.
    pub(crate) const fn of(sheet: PathBuf, page: Option<PathBuf>) -> Self {
        Self { sheet: Some(sheet), by: By::Universe, page }
    }
}

/// What a sheet is read by.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum By {
    Area,
    Universe,
    Node,
    Address,
    Stream,
    Switch,
}

#[derive(Debug, Serialize)]
struct Network {
    name: String,
    range: String,
    addresses: Vec<Run>,
}

#[derive(Debug, Serialize)]
struct Switch {
    name: String,
    watts: Option<f64>,
    drawn_watts: f64,
    sockets: Option<u32>,
    used_sockets: usize,
}

#[derive(Debug, Serialize)]
struct Answer {
    format: u32,
    sheet: String,
    rig: String,
    networks: Vec<Network>,
    universes: Vec<UniverseUse>,
    switches: Vec<Switch>,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let file = SheetFile::one(args.sheet.as_deref())?;
    if let Some(path) = &args.page {
        files::write_over(path, &page::render(&file)?)?;
        out.note(&format!("wrote {}", path.display()))?;
        return Ok(Exit::Fine);
    }
    if out.is_json() {
        out.object(&answer(&file))?;
        return Ok(Exit::Fine);
    }
    let sheet = &file.sheet;
    match args.by {
        By::Area => tables::by_area(sheet, out)?,
        By::Universe => tables::by_universe(sheet, out)?,
        By::Node => tables::by_node(sheet, out)?,
        By::Address => tables::by_address(sheet, out)?,
        By::Stream => tables::by_stream(sheet, out)?,
        By::Switch => tables::by_switch(sheet, out)?,
    }
    Ok(Exit::Fine)
}

fn answer(file: &SheetFile) -> Answer {
    let sheet = &file.sheet;
    let network = |(index, network): (usize, &lantern_core::sheet::Network)| Network {
        name: network.name.value.clone(),
        range: network.range.value.to_string(),
        addresses: address_runs(sheet, index),
    };
    let watts = |power: lantern_core::sheet::Watts| f64::from(power.milliwatts()) / 1000.0;
    let loads = Loads::of(sheet);
    let switches = loads.switches.into_iter().map(|switch| Switch {
        name: switch.name,
        watts: switch.budget.map(watts),
        drawn_watts: watts(switch.drawn),
        sockets: switch.sockets.1,
        used_sockets: switch.sockets.0,
    });
    Answer {
        format: 1,
        sheet: file.path.display().to_string(),
        rig: sheet.name.value.clone(),
        networks: sheet.networks.iter().enumerate().map(network).collect(),
        universes: universe_uses(sheet),
        switches: switches.collect(),
    }
}
