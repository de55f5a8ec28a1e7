//! The tour: the whole job, each step told in a sentence before its output.

use std::fs;
use std::path::Path;
use std::thread::sleep;
use std::time::Duration;

use super::folder::Folder;
use super::ground::Ground;
use crate::commands::changes::HowToWrite;
use crate::commands::{apply, check, sheet, survey, undo};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files;
use crate::output::{Out, Tone, changed_lines, wrapped};
use crate::session::{OnSheet, Where};

/// How long a gateway takes to start.
const STARTING: Duration = Duration::from_secs(2);
/// The most findings shown from the part of a step that is not.
const MOST_FINDINGS: usize = 4;

/// Does the whole job: of each step the essence, and the whole of it in the folder; with `whole` everything here.
pub(super) fn run(folder: &Folder, ground: &Ground, whole: bool, out: &mut Out) -> Result<Exit, Failure> {
    let (sheet, mended, census) = (folder.sheet(), folder.mended_sheet(), folder.census());
    let at = Where { adapter: None, sheet: Some(sheet.clone()) };
    let mut tour = Tour { folder, whole, steps: 0 };
    told(out, "First, who is there? Twenty-two gateways stand in the harbour, some of them set wrongly.")?;
    let typed = format!("survey --sheet {} --save {}", sheet.display(), census.display());
    tour.step(&typed, (5, 1), out, |out| survey::run(&survey::Args::plain(at, census), out))?;

    told(out, "What does the plan say? Somebody wrote it in a hurry.")?;
    let arguments = sheet::clashes::Args::of(sheet.clone());
    tour.step(&format!("sheet clashes {}", sheet.display()), (11, 1), out, |out| {
        sheet::clashes::run(&arguments, out)
    })?;

    told(out, "The sheet is mended, and the band's own node is welcomed on it:")?;
    tour.step(&format!("sheet diff {} {}", sheet.display(), mended.display()), (6, 4), out, |out| {
        show_mending(&sheet, &mended, out)
    })?;

    told(out, "What is still open, the rented gateways among it, is filled in, each with its reason:")?;
    let how = sheet::HowToRewrite { dry_run: false, yes: true };
    let arguments = sheet::fill::Args { sheet: Some(mended.clone()), how };
    let filled = tour.step(&format!("sheet fill {} --yes", mended.display()), (6, 4), out, |out| {
        sheet::fill::run(&arguments, out)
    })?;
    if filled != Exit::Fine {
        return Ok(filled);
    }

    told(out, "So this is the plan, universe by universe; the same as a page for a browser lies beside it:")?;
    tour.step(&format!("sheet show {} --by universe", mended.display()), (6, 3), out, |out| {
        sheet::show::run(&sheet::show::Args::of(mended.clone(), None), out)?;
        sheet::show::run(&sheet::show::Args::of(mended.clone(), Some(folder.page())), out)
    })?;

    told(
        out,
        "At the slipway somebody puts the breaker back in. Then every node is set as the mended sheet says.",
    )?;
    ground.switch("slip-low", true);
    let how = HowToWrite { yes: true, restart: 5, ..HowToWrite::default() };
    let on = OnSheet { sheet: mended.clone(), adapter: None };
    let arguments = apply::Args::of_all(on.clone(), how);
    let apply = format!("apply {} --yes", mended.display());
    let applied = tour.step(&apply, (5, 10), out, |out| apply::run(&arguments, out))?;
    if applied != Exit::Unfinished {
        return Ok(applied);
    }

    told(
        out,
        "Two on the quay changed places by way of a free address. In the lamp room a breaker fell just then; the others \
         went on. It is put back, and the run is gone on with:",
    )?;
    ground.switch("Four", true);
    sleep(STARTING);
    let resumed = apply::Args { resume: true, ..apply::Args::of_all(on.clone(), how) };
    let ended = tour.step(&format!("{apply} --resume"), (4, 3), out, |out| apply::run(&resumed, out))?;
    if ended != Exit::Fine {
        return Ok(ended);
    }

    told(
        out,
        "The quay is wanted as it was, for a photograph: that part of the run is taken back, and applied again.",
    )?;
    let back =
        undo::Args::of_nodes("quay-*".parse().ok(), Where { adapter: None, sheet: Some(mended.clone()) }, how);
    let typed = format!("undo --node 'quay-*' --sheet {} --yes", mended.display());
    let ended = tour.step(&typed, (3, 5), out, |out| undo::run(&back, out))?;
    if ended != Exit::Fine {
        return Ok(ended);
    }
    let ended = tour.step(&apply, (0, 3), out, |out| apply::run(&arguments, out))?;
    if ended != Exit::Fine {
        return Ok(ended);
    }

    told(out, "Last, the proof: does every node answer as planned?")?;
    let checked = tour.step(&format!("check {}", mended.display()), (8, 2), out, |out| {
        check::run(&check::Args::of_all(on.sheet), out)
    })?;

    out.line("")?;
    out.line(&format!("The sheets, the census, the logbook and every step are in {}.", folder.path.display()))?;
    out.line("Try the commands yourself with: deft-lantern demo --stay")?;
    Ok(checked)
}

/// The steps, each told in short and kept whole.
struct Tour<'a> {
    folder: &'a Folder,
    whole: bool,
    steps: usize,
}

impl Tour<'_> {
    /// Shows a command and what it says: its first and last lines, so many of each, or everything.
    fn step(
        &mut self,
        typed: &str,
        (first, last): (usize, usize),
        out: &mut Out,
        run: impl FnOnce(&mut Out) -> Result<Exit, Failure>,
    ) -> Result<Exit, Failure> {
        command(out, typed)?;
        if self.whole {
            return run(out);
        }
        self.steps += 1;
        let (ended, said) = out.briefly(|out| out.aside(run));
        let path = self.folder.step(self.steps, typed);
        files::write_new(&path, &said)?;
        let lines: Vec<&str> = said.lines().collect();
        let hidden = lines.len().saturating_sub(first + last);
        let (first, last) = if hidden > 1 { (first, lines.len() - last) } else { (lines.len(), lines.len()) };
        for line in &lines[..first] {
            out.line(line)?;
        }
        if hidden > 1 {
            let text = format!("… {hidden} more lines in {}", path.display());
            let text = out.paint().dye(Tone::Faint, &text);
            out.line(&text)?;
        }
        // What is wrong belongs to the essence, wherever it stands.
        for line in lines[first..last].iter().filter(|line| is_finding(line)).take(MOST_FINDINGS) {
            out.line(line)?;
        }
        for line in &lines[last..] {
            out.line(line)?;
        }
        ended
    }
}

/// Whether a line begins with a severity, coloured or not.
fn is_finding(line: &str) -> bool {
    let bare = line.strip_prefix('\u{1b}').and_then(|rest| rest.split_once('m')).map_or(line, |(_, text)| text);
    ["error ", "warning "].iter().any(|severity| bare.starts_with(severity))
}

fn told(out: &mut Out, sentence: &str) -> Result<(), Failure> {
    let text = out.paint().dye(Tone::Strong, &wrapped(sentence, out.width(), 0));
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

fn show_mending(sheet: &Path, mended: &Path, out: &mut Out) -> Result<Exit, Failure> {
    let read =
        |path: &Path| fs::read_to_string(path).map_err(|source| Failure::Read { path: path.to_owned(), source });
    let (before, after) = (read(sheet)?, read(mended)?);
    changed_lines::print(out, &before, &after)?;
    Ok(Exit::Fine)
}
