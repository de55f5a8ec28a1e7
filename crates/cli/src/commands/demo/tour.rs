//! The tour: the whole job, each step told in a sentence before its output.

use std::fs;
use std::path::Path;

use super::folder::Folder;
use super::ground::Ground;
use crate::commands::changes::HowToWrite;
use crate::commands::{apply, check, sheet, survey};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::{Out, Tone, changed_lines};
use crate::session::{OnSheet, Where};

/// Does the whole job.
pub(super) fn run(folder: &Folder, ground: &Ground, out: &mut Out) -> Result<Exit, Failure> {
    let (sheet, mended, census) = (folder.sheet(), folder.mended_sheet(), folder.census());
    let at = Where { adapter: None, sheet: Some(sheet.clone()) };
    told(out, "First, who is there? Twenty-two gateways stand in the harbour, some of them set wrongly.")?;
    command(out, &format!("survey --sheet {} --save {}", sheet.display(), census.display()))?;
    survey::run(&survey::Args::plain(at, census), out)?;

    told(out, "What does the plan say? Somebody wrote it in a hurry.")?;
    command(out, &format!("sheet clashes {}", sheet.display()))?;
    sheet::clashes::run(&sheet::clashes::Args::of(sheet.clone()), out)?;

    told(out, "The sheet is mended, and the band's own node is welcomed on it:")?;
    show_mending(&sheet, &mended, out)?;

    told(out, "What is still open, the rented gateways among it, is filled in, each with its reason:")?;
    command(out, &format!("sheet fill {} --yes", mended.display()))?;
    let how = sheet::HowToRewrite { dry_run: false, yes: true };
    let filled = sheet::fill::run(&sheet::fill::Args { sheet: Some(mended.clone()), how }, out)?;
    if filled != Exit::Fine {
        return Ok(filled);
    }

    told(out, "So this is the plan, universe by universe; the same as a page for a browser lies beside it:")?;
    command(out, &format!("sheet show {} --by universe", mended.display()))?;
    sheet::show::run(&sheet::show::Args::of(mended.clone(), None), out)?;
    sheet::show::run(&sheet::show::Args::of(mended.clone(), Some(folder.page())), out)?;

    told(
        out,
        "At the slipway somebody puts the breaker back in. Then every node is set as the mended sheet says.",
    )?;
    ground.switch("slip-low", true);
    command(out, &format!("apply {} --yes", mended.display()))?;
    let how = HowToWrite { dry_run: false, yes: true, restart: 10 };
    let on = OnSheet { sheet: mended.clone(), adapter: None };
    let arguments = apply::Args { on: on.clone(), only: Vec::new(), how };
    let applied = apply::run(&arguments, out)?;
    if applied != Exit::Fine {
        return Ok(applied);
    }

    told(out, "Last, the proof: does every node answer as planned?")?;
    command(out, &format!("check {}", mended.display()))?;
    let checked = check::run(&check::Args { on }, out)?;

    out.line("")?;
    out.line(&format!("The sheets, the census and the logbook are in {}.", folder.path.display()))?;
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
    changed_lines::print(out, &before, &after)?;
    Ok(())
}
