//! `demo`: the whole job on simulated nodes.

mod folder;
mod ground;
mod stay;
mod tour;

use std::path::PathBuf;

use clap::ValueEnum;
use lantern_sim::{HARBOUR, Scene, TIDEWICK};

use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::Out;

use folder::Folder;
use ground::Ground;

/// Do the whole job on simulated nodes, to see how it goes
///
/// Starts the nodes of Tidewick Harbour Night: survey, the sheet's clashes, the mended sheet, apply, check. It needs no
/// rights and touches nothing outside this computer. The files stay in a new folder.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// Only start the nodes and keep them running, to try the commands: from a second terminal on loopback, in a shell
    /// on a private segment
    #[arg(long)]
    stay: bool,

    /// Where the nodes stand: loopback, or a private Ethernet segment (Linux)
    #[arg(long, value_name = "GROUND", default_value = "loopback")]
    ground: GroundKind,

    /// With --stay: the nodes and devices of another scene: harbour, with forty devices of all families, or a file
    #[arg(long, value_name = "SCENE", requires = "stay")]
    scene: Option<String>,

    /// The folder to make
    #[arg(long, value_name = "FOLDER")]
    folder: Option<PathBuf>,

    /// With --stay: run this in the folder beside the nodes, and end with it
    #[arg(last = true, value_name = "COMMAND", requires = "stay")]
    command: Vec<String>,
}

/// Where simulated nodes can stand.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum GroundKind {
    Loopback,
    Segment,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let scene = scene(args.scene.as_deref())?;
    // A private segment must be entered before anything else happens.
    let ground = Ground::start(args.ground, args.stay, &scene, out)?;
    let folder = match &args.scene {
        // The sheets belong to the usual scene only.
        Some(_) => Folder::empty(args.folder.as_deref())?,
        None => Folder::make(args.folder.as_deref(), &scene, ground.network())?,
    };
    if args.stay { stay::run(&folder, &ground, &args.command, out) } else { tour::run(&folder, &ground, out) }
}

fn scene(wanted: Option<&str>) -> Result<Scene, Failure> {
    let read =
        |path: &str| std::fs::read_to_string(path).map_err(|source| Failure::Read { path: path.into(), source });
    let text = match wanted {
        None => TIDEWICK.to_owned(),
        Some("harbour") => HARBOUR.to_owned(),
        Some(path) => read(path)?,
    };
    Scene::parse(&text).map_err(|error| Failure::Call(error.to_string()))
}
