//! What every command that rewrites a sheet shares: show what changes, see that nothing gets worse, ask, write whole or
//! not at all.

use std::collections::HashSet;
use std::path::PathBuf;

use lantern_core::clash::sheet_clashes;
use lantern_core::finding::{Finding, Severity};
use lantern_core::sheet::{Edits, RigSheet};
use serde::Serialize;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::{self, SheetFile};
use crate::output::Out;
use crate::output::changed_lines::{self, ChangedLine};

/// How to go about rewriting a sheet.
#[derive(Debug, Clone, Copy, clap::Args, Default)]
pub(crate) struct HowToRewrite {
    /// Show what would change, write nothing
    #[arg(long, conflicts_with = "yes")]
    pub(crate) dry_run: bool,

    /// Do not ask before writing
    #[arg(long)]
    pub(crate) yes: bool,
}

/// Which sheet is rewritten, and how to go about it.
#[derive(Debug, clap::Args)]
pub(super) struct Rewriting {
    /// The rig sheet; without it, the only *.rig.toml in this folder
    #[arg(long, value_name = "FILE.rig.toml")]
    sheet: Option<PathBuf>,

    #[command(flatten)]
    how: HowToRewrite,
}

impl Rewriting {
    /// The sheet.
    pub(super) fn file(&self) -> Result<SheetFile, Failure> {
        SheetFile::one(self.sheet.as_deref())
    }

    /// Proposes these edits of it.
    pub(super) fn propose(&self, file: &SheetFile, edits: Edits, out: &mut Out) -> Result<Exit, Failure> {
        propose(file, &edits.apply(file.sheet.text()), self.how, false, out)
    }
}

#[derive(Debug, Serialize)]
struct Answer<'a> {
    format: u32,
    sheet: String,
    written: bool,
    lines: &'a [ChangedLine],
}

/// Proposes a new text for a sheet and writes it when that is wanted. `shown` says whether what changes was shown
/// already.
pub(crate) fn propose(
    file: &SheetFile,
    text: &str,
    how: HowToRewrite,
    shown: bool,
    out: &mut Out,
) -> Result<Exit, Failure> {
    let path = &file.path;
    if text == file.sheet.text() {
        out.note(&format!("{}: nothing to change", path.display()))?;
        if out.is_json() {
            answer(file, text, false, out)?;
        }
        return Ok(Exit::Fine);
    }
    no_worse(file, text)?;
    if !shown && !out.is_json() {
        changed_lines::print(out, file.sheet.text(), text)?;
    }
    let write = !how.dry_run && (how.yes || confirmed(file, out)?);
    if write {
        files::rewrite(path, file.sheet.text(), text)?;
    }
    if out.is_json() {
        answer(file, text, write, out)?;
    }
    let said = if write { "written" } else { "nothing was written" };
    out.note(&format!("{}: {said}", path.display()))?;
    Ok(Exit::Fine)
}

/// Writes these edits, which somebody has just asked for one by one; gives the sheet as it is then.
pub(crate) fn rewrite(file: &SheetFile, edits: Edits) -> Result<SheetFile, Failure> {
    let text = edits.apply(file.sheet.text());
    let after = no_worse(file, &text)?;
    files::rewrite(&file.path, file.sheet.text(), &text)?;
    Ok(after)
}

/// The sheet with this text, which has no error that it has not now.
fn no_worse(file: &SheetFile, text: &str) -> Result<SheetFile, Failure> {
    let path = &file.path;
    let after = RigSheet::parse(text).map_err(|errors| Failure::Sheet {
        path: path.clone(),
        text: text.to_owned(),
        errors,
    })?;
    let after = SheetFile { path: path.clone(), sheet: after }.with_kinds()?;
    let worse = worse(&file.sheet, &after.sheet);
    if !worse.is_empty() {
        return Err(Failure::Worse { path: path.clone(), text: text.to_owned(), findings: worse });
    }
    Ok(after)
}

fn answer(file: &SheetFile, text: &str, written: bool, out: &mut Out) -> Result<(), Failure> {
    let lines = changed_lines::between(file.sheet.text(), text);
    let sheet = file.path.display().to_string();
    Ok(out.object(&Answer { format: 1, sheet, written, lines: &lines })?)
}

/// The errors that the new sheet has and the old one has not.
fn worse(before: &RigSheet, after: &RigSheet) -> Vec<Finding> {
    let errors = |sheet: &RigSheet| -> Vec<Finding> {
        sheet_clashes(sheet).into_iter().filter(|finding| finding.rule.severity == Severity::Error).collect()
    };
    let there: HashSet<(&str, String)> = errors(before).into_iter().map(|f| (f.rule.code, f.what)).collect();
    let mut new = errors(after);
    // A clash whose names were changed only is the same clash.
    let as_many = |code: &str| there.iter().filter(|(other, _)| *other == code).count();
    let counts: Vec<usize> =
        new.iter().map(|f| new.iter().filter(|o| o.rule.code == f.rule.code).count()).collect();
    let mut counts = counts.into_iter();
    new.retain(|finding| {
        let count = counts.next().unwrap_or(0);
        count > as_many(finding.rule.code) && !there.contains(&(finding.rule.code, finding.what.clone()))
    });
    new
}

fn confirmed(file: &SheetFile, out: &mut Out) -> Result<bool, Failure> {
    out.confirmed(&format!("Write {}?", file.path.display()))?.ok_or(Failure::NobodyToAsk)
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    const SHEET: &str = "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n\
        [[node]]\nname = \"a\"\naddress = \"10.40.1.1\"\n[[node]]\nname = \"b\"\naddress = \"10.40.1.1\"\n\
        [[node]]\nname = \"c\"\naddress = \"10.40.1.3\"\n";

    fn sheet(text: &str) -> RigSheet {
        RigSheet::parse(text).unwrap_or_else(|errors| panic!("{errors}"))
    }

    #[rstest]
    #[case::the_same_clash("# more\n", "", 0)]
    #[case::renamed_but_no_worse("name = \"b\"", "name = \"d\"", 0)]
    #[case::mended("name = \"b\"\naddress = \"10.40.1.1\"", "name = \"b\"\naddress = \"10.40.1.2\"", 0)]
    #[case::another_clash("10.40.1.3", "10.41.1.3", 1)]
    #[case::a_second_one_of_the_same("name = \"c\"", "name = \"a\"", 1)]
    #[case::only_a_warning("name = \"c\"", "name = \"c-that-is-too-long-to-be-kept\"", 0)]
    fn only_what_gets_worse_counts(#[case] from: &str, #[case] to: &str, #[case] count: usize) {
        let before = format!("{SHEET}# more\n");
        assert!(before.contains(from));
        let found = worse(&sheet(&before), &sheet(&before.replacen(from, to, 1)));
        assert_eq!(found.len(), count, "{found:?}");
    }
}
