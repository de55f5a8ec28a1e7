//! `survey`: who is there.

use std::path::{Path, PathBuf};

use lantern_core::address::Subnet;
use lantern_core::census::{Census, CensusFile, FoundNode};
use lantern_core::clash::world_clashes;
use lantern_core::compare::{State, compare};
use lantern_core::diagnosis;
use lantern_core::finding::Finding;
use serde::Serialize;

use super::universes;
use crate::clock;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::{self, SheetFile};
use crate::output::{Cell, Out, Table, Tone, findings};
use crate::session::{Session, Where};

/// Find every node on the wire, also those set wrongly
///
/// Asks by broadcast and listens for up to three seconds; with a rig sheet it ends as soon as every node on it has
/// answered. Nothing is changed on any node.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    #[command(flatten)]
    pub(crate) at: Where,

    /// Save what was found, to be compared or replayed later
    #[arg(long, value_name = "FILE.census.json")]
    pub(crate) save: Option<PathBuf>,
}

/// A census with what is wrong in it.
#[derive(Debug, Serialize)]
struct Answer<'a> {
    #[serde(flatten)]
    census: CensusFile<'a>,
    findings: &'a [Finding],
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let session = Session::open(&args.at, out)?;
    let census = session.survey(false, out)?;
    let found = world_clashes(&census, &session.subnets());
    if let Some(path) = &args.save {
        save(path, &census, session.adapter())?;
    }
    if out.is_json() {
        let taken = clock::now().to_string();
        let census = CensusFile::new(&census, &taken, session.adapter());
        out.object(&Answer { census, findings: &found })?;
        return Ok(Exit::of(&found));
    }
    if census.nodes().is_empty() {
        return nothing_found(&session, out);
    }
    out.table(&table(&census, &session.subnets()))?;
    out.line("")?;
    let ports: u32 = census.nodes().iter().map(FoundNode::port_count).sum();
    out.line(&format!("{} nodes with {ports} ports", census.nodes().len()))?;
    out.line("")?;
    findings::print(out, &found)?;
    if let Some(file) = session.sheet_file() {
        against_sheet(file, &census, out)?;
    }
    if let Some(path) = &args.save {
        out.note(&format!("saved as {}", path.display()))?;
    }
    Ok(Exit::of(&found))
}

/// Says who of the sheet is silent and who is not on it; `check` says the rest.
fn against_sheet(file: &SheetFile, census: &Census, out: &mut Out) -> Result<(), Failure> {
    let comparison = compare(&file.sheet, census);
    let missing = comparison.rows.iter().filter(|row| matches!(row.state, State::Missing));
    let missing: Vec<&str> = missing.map(|row| row.planned.name.value.as_str()).collect();
    let unexpected: Vec<String> = comparison.unexpected.iter().map(|node| node.title()).collect();
    if !missing.is_empty() {
        let mark = out.paint().dye(Tone::Bad, "on the sheet, but silent:");
        out.line(&format!("{mark} {}", missing.join(", ")))?;
    }
    if !unexpected.is_empty() {
        let mark = out.paint().dye(Tone::Doubtful, "not on the sheet:");
        out.line(&format!("{mark} {}", unexpected.join(", ")))?;
    }
    out.hint(&format!("deft-lantern check {}", file.path.display()))?;
    Ok(())
}

fn save(path: &Path, census: &Census, adapter: &str) -> Result<(), Failure> {
    let taken = clock::now().to_string();
    files::write_object(path, &CensusFile::new(census, &taken, adapter))
}

/// One row for each node, in the order of addresses.
pub(crate) fn table(census: &Census, own: &[Subnet]) -> Table {
    let mut table =
        Table::new(&["name", "address", "MAC", "model", "universes"]).unbroken(&["name", "address", "MAC"]);
    for node in census.by_address() {
        let mac = node.mac.map_or_else(|| "not told".to_owned(), |mac| mac.to_string());
        let reachable = own.iter().any(|subnet| subnet.contains(node.address));
        let address = if reachable { node.address.to_string().into() } else { far(node) };
        table.row(vec![
            Cell::new(node.title(), Tone::Strong),
            address,
            mac.into(),
            node.model().into(),
            universes::summary(node).into(),
        ]);
    }
    table
}

fn far(node: &FoundNode) -> Cell {
    Cell::new(format!("{} (other subnet)", node.address), Tone::Bad)
}

fn nothing_found(session: &Session, out: &mut Out) -> Result<Exit, Failure> {
    out.line("no node answered")?;
    out.note("likely causes, in the order in which to rule them out:")?;
    for (number, cause) in (1..).zip(diagnosis::nothing_found(&session.seats()[0], session.is_shared())) {
        out.note(&format!("  {number}. {cause}"))?;
    }
    Ok(Exit::Wrong)
}
