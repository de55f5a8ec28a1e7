//! `demo`: the whole job on simulated nodes.

use std::fs;
use std::path::{Path, PathBuf};

use lantern_core::address::{Mask, Subnet};
use lantern_core::sheet::RigSheet;
use lantern_sim::{LoopbackGround, Scene, TIDEWICK, TIDEWICK_MENDED_SHEET, TIDEWICK_SHEET};
use similar::{ChangeTag, TextDiff};

use super::changes::HowToWrite;
use super::{apply, check, sheet, survey};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files;
use crate::output::{Out, Tone};
use crate::session::{OnSheet, Where};

const SHEET: &str = "tidewick.rig.toml";
const MENDED: &str = "mended";
const CENSUS: &str = "tidewick.census.json";

/// Do the whole job on simulated nodes, to see how it goes
///
/// Starts the nodes of Tidewick Harbour Night on loopback: survey, the sheet's clashes, the mended sheet, apply, check.
/// It needs no rights and touches nothing outside this computer. The files stay in a new folder.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// Only start the nodes and keep them running, to try the commands from a second terminal
    #[arg(long)]
    stay: bool,

    /// The folder to make
    #[arg(long, value_name = "FOLDER")]
    folder: Option<PathBuf>,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let scene = Scene::parse(TIDEWICK).map_err(|error| Failure::Call(error.to_string()))?;
    let folder = make_folder(args.folder.as_deref())?;
    let ground = LoopbackGround::start(&scene).map_err(Failure::Ground)?;
    let network = Subnet::around(ground.network(), mask(16)?);
    let sheet = folder.join(SHEET);
    let mended = folder.join(MENDED).join(SHEET);
    write_sheets(&scene, network, &sheet, &mended)?;
    if args.stay { stay(&folder, &ground, out) } else { tour(&folder, &sheet, &mended, &ground, out) }
}

fn mask(prefix: u8) -> Result<Mask, Failure> {
    Mask::from_prefix(prefix).ok_or_else(|| Failure::Call(format!("/{prefix} is no prefix")))
}

fn make_folder(wanted: Option<&Path>) -> Result<PathBuf, Failure> {
    let made = |path: &Path| fs::create_dir(path);
    let candidates = match wanted {
        Some(path) => vec![path.to_owned()],
        None => (1..100)
            .map(|n| PathBuf::from(if n == 1 { "tidewick-demo".to_owned() } else { format!("tidewick-demo-{n}") }))
            .collect(),
    };
    for path in &candidates {
        match made(path) {
            Ok(()) => return Ok(path.clone()),
            Err(error) if error.kind() == std::io::ErrorKind::AlreadyExists => {}
            Err(source) => return Err(Failure::Write { path: path.clone(), source }),
        }
    }
    Err(Failure::Exists { path: candidates.last().cloned().unwrap_or_default() })
}

/// Writes both sheets, carried to the network the nodes stand in here.
fn write_sheets(scene: &Scene, network: Subnet, first: &Path, mended: &Path) -> Result<(), Failure> {
    let from = Subnet::around(scene.network, mask(16)?);
    let folder = mended.parent().unwrap_or(Path::new("."));
    fs::create_dir(folder).map_err(|source| Failure::Write { path: folder.to_owned(), source })?;
    for (path, text) in [(first, TIDEWICK_SHEET), (mended, TIDEWICK_MENDED_SHEET)] {
        let sheet = RigSheet::parse(text).map_err(|errors| Failure::Sheet {
            path: path.to_owned(),
            text: text.to_owned(),
            errors,
        })?;
        files::write_new(path, &sheet.relocated(from, network))?;
    }
    Ok(())
}

fn stay(folder: &Path, ground: &LoopbackGround, out: &mut Out) -> Result<Exit, Failure> {
    let [a, b, ..] = ground.network().octets();
    out.line(&format!("The nodes of Tidewick Harbour Night answer on {a}.{b}.0.0/16. In a second terminal:"))?;
    out.line("")?;
    out.line(&format!("  cd {}", folder.display()))?;
    for command in [
        "survey".to_owned(),
        "sheet clashes".to_owned(),
        format!("set quay-north --address {a}.{b}.1.150"),
        "set 02:4d:42:00:20:02 --name hall-east --port 2 --universe 1:0:9".to_string(),
        format!("check {SHEET}"),
        format!("apply {MENDED}/{SHEET}"),
        format!("check {MENDED}/{SHEET}"),
    ] {
        out.line(&format!("  deft-lantern {command}"))?;
    }
    out.line("")?;
    out.line("End with Ctrl-C.")?;
    loop {
        std::thread::park();
    }
}

fn tour(
    folder: &Path,
    sheet: &Path,
    mended: &Path,
    ground: &LoopbackGround,
    out: &mut Out,
) -> Result<Exit, Failure> {
    let at = Where { adapter: None, sheet: Some(sheet.to_owned()) };
    let census = folder.join(CENSUS);
    told(out, "First, who is there? Ten nodes stand in the harbour, some of them set wrongly.")?;
    command(out, &format!("survey --sheet {} --save {}", sheet.display(), census.display()))?;
    survey::run(&survey::Args { at, save: Some(census) }, out)?;

    told(out, "What does the plan say? Somebody wrote it in a hurry.")?;
    command(out, &format!("sheet clashes {}", sheet.display()))?;
    sheet::clashes::run(&sheet::clashes::Args { sheet: Some(sheet.to_owned()) }, out)?;

    told(out, "The sheet is mended, and the band's own node is welcomed on it:")?;
    show_mending(sheet, mended, out)?;

    told(
        out,
        "At the slipway somebody puts the breaker back in. Then every node is set as the mended sheet says.",
    )?;
    ground.switch("slip-low", true);
    command(out, &format!("apply {} --yes", mended.display()))?;
    let how = HowToWrite { dry_run: false, yes: true, restart: 10 };
    let on = OnSheet { sheet: mended.to_owned(), adapter: None };
    let arguments = apply::Args { on: on.clone(), only: Vec::new(), how };
    let applied = apply::run(&arguments, out)?;
    if applied != Exit::Fine {
        return Ok(applied);
    }

    told(out, "Last, the proof: does every node answer as planned?")?;
    command(out, &format!("check {}", mended.display()))?;
    let checked = check::run(&check::Args { on }, out)?;

    out.line("")?;
    out.line(&format!("The sheets, the census and the logbook are in {}.", folder.display()))?;
    out.line("Try the commands yourself with: deft-lantern demo --stay")?;
    Ok(checked)
}

fn told(out: &mut Out, sentence: &str) -> Result<(), Failure> {
    let text = out.paint().dye(Tone::Strong, sentence);
    out.line("")?;
    out.line(&text)?;
    Ok(())
}

fn command(out: &mut Out, arguments: &str) -> Result<(), Failure> {
    let text = out.paint().dye(Tone::Faint, &format!("$ deft-lantern {arguments}"));
    out.line(&text)?;
    out.line("")?;
    Ok(())
}

fn show_mending(sheet: &Path, mended: &Path, out: &mut Out) -> Result<(), Failure> {
    let read =
        |path: &Path| fs::read_to_string(path).map_err(|source| Failure::Read { path: path.to_owned(), source });
    let (before, after) = (read(sheet)?, read(mended)?);
    let diff = TextDiff::from_lines(&before, &after);
    for change in diff.iter_all_changes() {
        let (sign, tone, line) = match change.tag() {
            ChangeTag::Equal => continue,
            ChangeTag::Delete => ("-", Tone::Bad, change.old_index()),
            ChangeTag::Insert => ("+", Tone::Good, change.new_index()),
        };
        let number = line.map_or(0, |line| line + 1);
        let text = format!("{sign} {number:>4}  {}", change.value().trim_end());
        let text = out.paint().dye(tone, &text);
        out.line(&text)?;
    }
    Ok(())
}
