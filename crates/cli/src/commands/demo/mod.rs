//! `demo`: the whole job on simulated nodes.

mod folder;
mod ground;
mod stay;
mod tour;

use std::path::PathBuf;

use clap::ValueEnum;
use lantern_net::Cable;
use lantern_sim::{
    BROKER, BROKER_SHEET, CASES, HARBOUR, NIGHT, NIGHT_MENDED_SHEET, NIGHT_SHEET, Scene, TIDEWICK,
    TIDEWICK_MENDED_SHEET, TIDEWICK_SHEET,
};

use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::Out;

use folder::Folder;
use ground::Ground;

/// Do the whole job on simulated nodes, to see how it goes
///
/// Starts the nodes of Tidewick Harbour Night: survey, the sheet's clashes, the mended sheet filled in, apply, check. It
/// needs no rights and touches nothing outside this computer. The files stay in a new folder.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// Only start the nodes and keep them running, to try the commands: from a second terminal on loopback, else in a
    /// shell
    #[arg(long)]
    stay: bool,

    /// Where the nodes stand: loopback; cable, one that is pretended between the program and the nodes; segment, a private
    /// Ethernet (Linux). Without it, loopback where the system has many addresses there, else cable
    #[arg(long, value_name = "GROUND")]
    ground: Option<GroundKind>,

    /// With --stay: the nodes and devices of another scene: night, with every gateway of the evening; harbour, with forty
    /// devices of all families; broker, with a gateway that speaks sACN only; cases, with everything as it comes out of the cases,
    /// light, sound and picture; or a file
    #[arg(long, value_name = "SCENE", requires = "stay")]
    scene: Option<String>,

    /// With --stay on loopback: do with the nodes what is typed here, as hands would: off NODE, on NODE, plug FIXTURE NODE PORT
    #[arg(long, requires = "stay", conflicts_with = "command")]
    hands: bool,

    /// Show everything that each step prints; without it, the essence, and the whole in the folder
    #[arg(long, conflicts_with = "stay")]
    whole: bool,

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
    Cable,
    Segment,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let story = Story::of(args)?;
    let scene = Scene::parse(&story.scene).map_err(|error| Failure::Call(error.to_string()))?;
    // A private segment must be entered before anything else happens.
    let ground = Ground::start(args.ground, args.stay, &scene, out)?;
    let folder = match story.sheets {
        Some(sheets) => Folder::make(args.folder.as_deref(), &scene, sheets, ground.network())?,
        None => Folder::empty(args.folder.as_deref())?,
    };
    if args.stay {
        stay::run(&folder, &ground, &args.command, args.hands, out)
    } else {
        ground.cable().into_iter().for_each(Cable::plug_in);
        tour::run(&folder, &ground, args.whole, out)
    }
}

/// Who is there, and the sheets that belong to them: as written in a hurry, and mended.
struct Story {
    scene: String,
    sheets: Option<(&'static str, &'static str)>,
}

impl Story {
    fn of(args: &Args) -> Result<Self, Failure> {
        let night = Some((NIGHT_SHEET, NIGHT_MENDED_SHEET));
        let (scene, sheets) = match args.scene.as_deref() {
            None if args.stay => (TIDEWICK.to_owned(), Some((TIDEWICK_SHEET, TIDEWICK_MENDED_SHEET))),
            None | Some("night") => (NIGHT.to_owned(), night),
            Some("harbour") => (HARBOUR.to_owned(), None),
            Some("cases") => (CASES.to_owned(), Some((NIGHT_MENDED_SHEET, NIGHT_MENDED_SHEET))),
            Some("broker") => (BROKER.to_owned(), Some((BROKER_SHEET, BROKER_SHEET))),
            Some(path) => {
                let failed = |source| Failure::Read { path: path.into(), source };
                (std::fs::read_to_string(path).map_err(failed)?, None)
            }
        };
        Ok(Self { scene, sheets })
    }
}
