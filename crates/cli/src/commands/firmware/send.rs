//! `firmware send`: a file for nodes, one after the other.

use std::path::{Path, PathBuf};

use lantern_core::Firmware;
use lantern_core::change::{Part, plan_firmware};
use lantern_core::firmware::{FirmwareTable, Image};
use lantern_core::logbook::Order;

use crate::commands::changes::{Around, Errand, HowToWrite, carry_out, let_settle};
use crate::commands::named;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files;
use crate::logbook_file::runs_of;
use crate::output::Out;
use crate::session::{Session, Where};

/// How many seconds a node may take to start with other firmware, where nobody says otherwise.
const RESTART: u16 = 120;

/// Send firmware to nodes, one after the other
///
/// Block by block, each sent again while it is not answered; believed when the node tells the new version after its restart. One
/// that fails holds up all that come after it. What a node is sent must be newer than what it runs, unless that is meant.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The file
    #[arg(value_name = "FILE")]
    file: PathBuf,

    /// The nodes: name, address or MAC address; several by a pattern, as 'quay-*'
    #[arg(value_name = "NODE", required = true)]
    node: Vec<String>,

    /// The version that the file brings, as 1.5; without it, what the table says of the file
    #[arg(long, value_name = "VERSION")]
    version: Option<Firmware>,

    /// The table of expected versions; without it firmware.toml in this folder, if there is one
    #[arg(long, value_name = "FILE")]
    table: Option<PathBuf>,

    /// Send it also where it is older than what the node runs, or the same
    #[arg(long)]
    any_version: bool,

    /// Show what would be sent, send nothing
    #[arg(long, conflicts_with = "yes")]
    dry_run: bool,

    /// Do not ask before sending
    #[arg(long)]
    yes: bool,

    /// How many seconds a node may take to start with it
    #[arg(long, value_name = "SECONDS", default_value_t = RESTART, value_parser = clap::value_parser!(u16).range(1..=1800))]
    restart: u16,

    #[command(flatten)]
    at: Where,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let table = super::table(args.table.as_deref())?;
    let (image, kind) = args.image(&table)?;
    let session = Session::open(&args.at, out)?;
    // One after the other, and none after one that failed: a file that is bad for one is bad for its like.
    let how = HowToWrite {
        dry_run: args.dry_run,
        yes: args.yes,
        restart: args.restart,
        at_once: 1,
        stop_on_error: true,
    };
    let _alone = how.alone_on(&session)?;
    let runs = runs_of(&session.logbook_path(), out)?;
    let_settle(&runs, &session.logbook_path(), out)?;
    let look = named::look(&session, &args.node, out)?;
    let subjects = named::subjects(&args.node, &look.census, session.sheet())?;
    let around = Around::of(&session, &look, &runs)?;
    let plan = plan_firmware(&subjects, &image, kind, args.any_version, &around.protection());
    let errand = Errand::asked_for(Order::Firmware, Part::default(), &session);
    carry_out(&session, &plan, &errand, how, out)
}

impl Args {
    /// The file with its version, and the kind that it is for.
    fn image<'a>(&self, table: &'a FirmwareTable) -> Result<(Image, Option<&'a str>), Failure> {
        let bytes = files::read_bytes(&self.file)?;
        let known = self.table_name().and_then(|name| table.of_file(&name));
        let version = self.version.or_else(|| known.map(|known| known.version)).ok_or_else(|| {
            Failure::Call(format!(
                "which version is {}? No table says it: give --version, or write the file into firmware.toml",
                self.file.display()
            ))
        })?;
        let image = Image::new(bytes, version)
            .ok_or_else(|| Failure::Call(format!("{} is empty: nothing was sent", self.file.display())))?;
        Ok((image, known.map(|known| known.kind.as_str())))
    }

    /// What the table calls the file: by its way from the table.
    fn table_name(&self) -> Option<String> {
        let folder = self.table.as_deref().and_then(Path::parent).unwrap_or(Path::new(""));
        let beside = self.file.strip_prefix(folder).unwrap_or(&self.file);
        Some(beside.to_str()?.trim_start_matches("./").to_owned())
    }
}
