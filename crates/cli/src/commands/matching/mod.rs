//! `match`: which unit is which fixture of the sheet? A person says so while they flash, or an order does.

mod screen;

use std::collections::BTreeMap;
use std::io::{self, IsTerminal};

use lantern_core::Uid;
use lantern_core::compare::{OpenCable, Order, Walk, compare_fixtures};
use lantern_core::conversation::{Concern, OnCables};
use lantern_core::pattern::Pattern;
use lantern_core::rework::{InRow, with_uids};
use lantern_core::sheet::Fixture;

use super::changes::{Around, word, words};
use super::sheet::rewrite::{HowToRewrite, propose, rewrite};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::output::{Out, Tone, counted};
use crate::session::{Look, OnSheet, Session};

/// The words of an order.
const ORDERS: [(&str, Order); 2] = [("start-address", Order::StartAddress), ("label", Order::Label)];

/// Find out which unit each fixture is, and write it into the rig sheet
///
/// One unit after the other flashes; one key says which fixture it is. Each is written into the sheet at once: broken off, the
/// same command goes on with those that are left. With --by an order decides instead.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    #[command(flatten)]
    on: OnSheet,

    /// Only these fixtures of the sheet, as in 'mast-wash-*'; may be given several times
    #[arg(long, value_name = "NAME")]
    fixture: Vec<Pattern>,

    /// Ask nobody: in the order of their start addresses, or by the labels they have
    #[arg(long, value_name = "ORDER", value_parser = word(&ORDERS))]
    by: Option<String>,

    #[command(flatten)]
    how: HowToRewrite,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let by = words(&ORDERS, args.by.as_slice()).pop();
    if by.is_none() && (!io::stdin().is_terminal() || !io::stdout().is_terminal() || out.is_json()) {
        return Err(Failure::Call(
            "somebody has to see the units flash and press a key: run it at a terminal, or say --by start-address or --by label"
                .to_owned(),
        ));
    }
    if by.is_none() && (args.how.dry_run || args.how.yes) {
        return Err(Failure::Call(
            "--dry-run and --yes go with --by; at the terminal each key writes one fixture".to_owned(),
        ));
    }
    let file = SheetFile::read(&args.on.sheet)?;
    let session = Session::with_sheet(args.on.adapter.as_deref(), Some(file), out)?;
    let Some(file) = session.sheet_file() else { return Ok(Exit::Fine) };
    let look = session.look_and_listen(Concern::Everybody, Vec::new(), Vec::new(), OnCables::Read, out)?;
    let is_meant = |name: &str| args.fixture.is_empty() || args.fixture.iter().any(|one| one.matches(name));
    if let Some(nobody) = args.fixture.iter().find(|pattern| !is_on(file, pattern)) {
        let there = file.sheet.fixtures.iter().map(|fixture| fixture.name.value.clone()).collect();
        return Err(Failure::NotOnSheet { wanted: nobody.to_string(), there });
    }
    let open = compare_fixtures(&file.sheet, &look.census).open_cables(&file.sheet, is_meant);
    if open.is_empty() {
        out.line("every fixture meant has its identifier on the sheet")?;
        return Ok(Exit::Fine);
    }
    match by {
        Some(order) => by_order(file, &open, order, args.how, out),
        None => by_sight(&session, &look, file, open, out),
    }
}

fn is_on(file: &SheetFile, pattern: &Pattern) -> bool {
    file.sheet.fixtures.iter().flat_map(Fixture::names).any(|name| pattern.matches(&name))
}

/// An order decides; what it does not tell apart is said and left open.
fn by_order(
    file: &SheetFile,
    open: &[OpenCable],
    order: Order,
    how: HowToRewrite,
    out: &mut Out,
) -> Result<Exit, Failure> {
    let (mut known, mut places) = (BTreeMap::new(), 0);
    for cable in open {
        places += cable.places.len();
        match cable.by(order) {
            Ok(pairs) => known.extend(
                pairs.into_iter().map(|(place, unit)| (cable.places[place].at, Some(cable.units[unit].uid))),
            ),
            Err(why) => out.note(&format!("left open: {why}"))?,
        }
    }
    let left = places - known.len();
    let ended = propose(file, &with_uids(&file.sheet, &known).apply(file.sheet.text()), how, false, out)?;
    if left > 0 {
        out.note(&format!("not told apart so: {}; let them flash, without --by", counted(left, "fixture")))?;
        return Ok(Exit::Unfinished);
    }
    Ok(ended)
}

/// Somebody sees them flash.
fn by_sight(
    session: &Session,
    look: &Look,
    file: &SheetFile,
    open: Vec<OpenCable>,
    out: &mut Out,
) -> Result<Exit, Failure> {
    let around = Around::of(session, look, &[])?;
    let mut sheet = file.clone();
    let (mut said, mut left, mut broken_off) = (0, 0, false);
    let mut notes = Vec::new();
    for cable in open {
        let mut walk = Walk::along(cable);
        if !broken_off && walk.present().is_some() {
            let write = |at: InRow, uid: Option<Uid>| -> Result<(), Failure> {
                let edits = with_uids(&sheet.sheet, &BTreeMap::from([(at, uid)]));
                sheet = rewrite(&sheet, edits)?;
                Ok(())
            };
            broken_off = !screen::ask(session, &around, &mut walk, write, out)?;
        }
        said += walk.places().filter(|(_, unit)| unit.is_some()).count();
        let open: Vec<&str> =
            walk.places().filter(|(_, unit)| unit.is_none()).map(|(place, _)| place.name.as_str()).collect();
        left += open.len();
        for (unit, why) in walk.passed() {
            notes.push(format!("passed over {} on {}: {why}", unit.title(), walk.cable()));
        }
        if !open.is_empty() {
            notes.push(format!("still open on {}: {}", walk.cable(), open.join(", ")));
        }
    }
    notes.iter().try_for_each(|note| out.note(note))?;
    let word = out.paint().dye(if left == 0 { Tone::Good } else { Tone::Doubtful }, "matched");
    let path = file.path.display();
    out.line(&format!("{word}  {} written in {path}", counted(said, "fixture")))?;
    if left > 0 {
        out.hint(&format!("the rest: deft-lantern match {path}"))?;
    }
    Ok(if left == 0 { Exit::Fine } else { Exit::Unfinished })
}
