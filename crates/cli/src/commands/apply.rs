//! `apply`: make the rig what the sheet says.

use lantern_core::change::plan_by_sheet;
use lantern_core::clash::sheet_clashes;
use lantern_core::compare::compare_all;
use lantern_core::conversation::Concern;
use lantern_core::finding::Severity;
use lantern_core::sheet::SheetNode;

use super::changes::{Around, HowToWrite, carry_out};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::output::Out;
use crate::session::{OnSheet, Session};

/// Set every node as the rig sheet says
///
/// Looks who is there, shows every change as from and to with its reason, asks, writes, reads back, and keeps a logbook
/// beside the sheet. Sends nothing while the sheet contradicts itself or a wanted address is taken.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    #[command(flatten)]
    pub(crate) on: OnSheet,

    /// Only this node of the sheet; may be given several times
    #[arg(long, value_name = "NAME")]
    pub(crate) only: Vec<String>,

    #[command(flatten)]
    pub(crate) how: HowToWrite,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let file = SheetFile::read(&args.on.sheet)?;
    refuse_clashes(&file)?;
    refuse_strangers(&args.only, &file)?;
    let session = Session::with_sheet(args.on.adapter.as_deref(), Some(file), out)?;
    let Some(sheet) = session.sheet() else { return Ok(Exit::Fine) };
    let _alone = args.how.alone_on(&session)?;
    let wanted = |name: &str| args.only.is_empty() || args.only.iter().any(|only| only == name);
    let addresses = sheet.nodes.iter().filter_map(SheetNode::fixed_address).collect();
    let look = session.look(Concern::of_sheet(sheet), addresses, out)?;
    let comparison = compare_all(sheet, &look.census, look.everybody());
    let around = Around::of(&session, &look, false)?;
    let plan = plan_by_sheet(&comparison, &around.protection(), wanted);
    carry_out(&session, &plan, args.how, out)
}

fn refuse_clashes(file: &SheetFile) -> Result<(), Failure> {
    let mut clashes = sheet_clashes(&file.sheet);
    clashes.retain(|clash| clash.rule.severity == Severity::Error);
    if clashes.is_empty() {
        return Ok(());
    }
    Err(Failure::Clashes { path: file.path.clone(), text: file.sheet.text().to_owned(), findings: clashes })
}

fn refuse_strangers(only: &[String], file: &SheetFile) -> Result<(), Failure> {
    let there: Vec<String> = file.sheet.nodes.iter().map(|node| node.name.value.clone()).collect();
    match only.iter().find(|name| !there.contains(name)) {
        Some(wanted) => Err(Failure::NotOnSheet { wanted: wanted.clone(), there }),
        None => Ok(()),
    }
}
