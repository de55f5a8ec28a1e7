//! `universe`: one universe in all notations.

use std::path::PathBuf;

use lantern_core::universe::{DeskBase, PortAddress, SacnUniverse, Universe, UniverseBlock};
use lantern_core::view::{UniverseUse, universe_uses};
use serde::Serialize;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::output::{Cell, Out, Table, Tone};

/// Translate universes between all notations, and say what is at one
///
/// Takes net:sub:universe (1:1:0), the combined number (272), hexadecimal (0x110), sACN ("sacn 273"), the desk's own
/// counting ("desk 273", see --desk-from), and ranges of them (0:0:0-0:0:7). With a rig sheet, also who sends each, where it
/// comes out and what hangs on it.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// Universes, or ranges of them, in any notation
    #[arg(required = true, value_name = "UNIVERSE")]
    universes: Vec<String>,

    /// What the desk calls its first universe; without it, as the sheet says, or 1
    #[arg(long, value_name = "0|1", value_parser = clap::value_parser!(u8).range(0..=1))]
    desk_from: Option<u8>,

    /// The rig sheet; without it, the only *.rig.toml in this folder, if there is one
    #[arg(long, value_name = "FILE.rig.toml")]
    sheet: Option<PathBuf>,
}

/// The most universes of one range.
const MOST: usize = 1024;

/// A universe in all notations; what does not exist is null.
#[derive(Debug, Serialize)]
struct Notations {
    asked: String,
    port_address: Option<String>,
    number: Option<u16>,
    hexadecimal: Option<String>,
    sacn: Option<u16>,
    sacn_group: Option<String>,
    desk_from_0: Option<u16>,
    desk_from_1: Option<u16>,
}

#[derive(Debug, Serialize)]
struct Answer {
    format: u32,
    universes: Vec<Notations>,
    /// What the sheet says of them; null without a sheet.
    on_sheet: Option<Vec<UniverseUse>>,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let file = SheetFile::named_or_only(args.sheet.as_deref())?;
    let of_sheet = file.as_ref().map_or(DeskBase::default(), |file| file.sheet.desk);
    let desk = match args.desk_from {
        Some(0) => DeskBase::Zero,
        Some(_) => DeskBase::One,
        None => of_sheet,
    };
    let asked: Vec<(String, Universe)> =
        args.universes.iter().map(|text| read(text, desk)).collect::<Result<Vec<_>, _>>()?.concat();
    let uses = file.as_ref().map(|file| {
        let all = universe_uses(&file.sheet);
        all.into_iter().filter(|one| asked.iter().any(|(_, asked)| *asked == one.universe)).collect::<Vec<_>>()
    });
    let universes: Vec<Notations> = asked.iter().map(|(text, universe)| Notations::of(text, *universe)).collect();
    if out.is_json() {
        out.object(&Answer { format: 1, universes, on_sheet: uses })?;
        return Ok(Exit::Fine);
    }
    let mut table =
        Table::new(&["asked", "net:sub:uni", "number", "hex", "sACN", "sACN group", "desk from 0", "desk from 1"])
            .unbroken(&["net:sub:uni", "number", "hex", "sACN", "sACN group"]);
    for universe in &universes {
        table.row(universe.cells());
    }
    out.table(&table)?;
    if let (Some(file), Some(uses)) = (&file, &uses) {
        out.line("")?;
        show_uses(file, &asked, uses, out)?;
    }
    out.note("sACN universe n carries Port-Address n; sACN has no 0. A desk that counts from 1 calls Port-Address 0 \"1\".")?;
    advise(&args.universes, &asked, desk, out)
}

/// The one universe a text means.
pub(super) fn one(text: &str, desk: DeskBase) -> Result<Universe, Failure> {
    Universe::read(text, desk).map_err(|error| Failure::Universe { text: text.to_owned(), error })
}

/// The universes a text means; a range is written out.
fn read(text: &str, desk: DeskBase) -> Result<Vec<(String, Universe)>, Failure> {
    let failed = |error| Failure::Universe { text: text.to_owned(), error };
    if !text.contains('-') {
        return Ok(vec![(text.to_owned(), Universe::read(text, desk).map_err(failed)?)]);
    }
    let block = UniverseBlock::read(text, desk).map_err(failed)?;
    let count = usize::from(block.last.flat() - block.first.flat()) + 1;
    if count > MOST {
        return Err(Failure::Call(format!("{text} has {count} universes; ask for {MOST} at most")));
    }
    let is_sacn = text.trim_start().to_ascii_lowercase().starts_with("sacn");
    let universe = |address: PortAddress| match Option::<SacnUniverse>::from(address).filter(|_| is_sacn) {
        Some(universe) => Universe::Sacn(universe),
        None => Universe::ArtNet(address),
    };
    Ok(block.iter().map(|address| (text.to_owned(), universe(address))).collect())
}

fn show_uses(
    file: &SheetFile,
    asked: &[(String, Universe)],
    uses: &[UniverseUse],
    out: &mut Out,
) -> Result<(), Failure> {
    let mut table =
        Table::new(&["on the sheet", "area", "sent by", "comes out of", "fixtures", "slots used", "free from"])
            .unbroken(&["on the sheet", "fixtures", "slots used", "free from"]);
    for one in uses {
        table.row(vec![
            Cell::new(one.universe.to_string(), Tone::Strong),
            one.area.clone().unwrap_or_default().into(),
            one.senders.join(", ").into(),
            one.listeners.join(", ").into(),
            one.fixtures.to_string().into(),
            one.used.to_string().into(),
            one.free_from.map_or_else(|| "full".to_owned(), |slot| slot.to_string()).into(),
        ]);
    }
    if !uses.is_empty() {
        out.table(&table)?;
    }
    let unused = asked.iter().filter(|(_, asked)| uses.iter().all(|one| one.universe != *asked)).count();
    if unused > 0 {
        let path = file.path.display();
        let what = if asked.len() == 1 {
            "nothing is at it".to_owned()
        } else {
            format!("nothing is at {unused} of them")
        };
        out.line(&format!("{path}: {what}"))?;
    }
    Ok(())
}

/// A bare number is what people mix up: says as what it was read, and what the other reading would be.
fn advise(texts: &[String], asked: &[(String, Universe)], desk: DeskBase, out: &mut Out) -> Result<Exit, Failure> {
    let bare = texts.iter().find(|text| text.bytes().all(|b| b.is_ascii_digit()));
    let Some(text) = bare else { return Ok(Exit::Fine) };
    let Some(address) =
        asked.iter().find(|(asked, _)| asked == text).and_then(|(_, universe)| universe.port_address())
    else {
        return Ok(Exit::Fine);
    };
    if desk == DeskBase::One
        && let Ok(other) = desk.port_address(address.flat().into())
    {
        out.note(&format!(
            "{text} was read as Port-Address {address}. Where the desk says {text}, it means {other}: write \"desk {text}\"."
        ))?;
    }
    Ok(Exit::Fine)
}

impl Notations {
    fn of(asked: &str, universe: Universe) -> Self {
        let address = universe.port_address();
        let sacn = universe.sacn();
        Self {
            asked: asked.to_owned(),
            port_address: address.map(|a| a.to_string()),
            number: address.map(PortAddress::flat),
            hexadecimal: address.map(|a| format!("0x{:04x}", a.flat())),
            sacn: sacn.map(SacnUniverse::number),
            sacn_group: sacn.map(|s| s.group().to_string()),
            desk_from_0: address.map(|a| DeskBase::Zero.number(a)),
            desk_from_1: address.map(|a| DeskBase::One.number(a)),
        }
    }

    fn cells(&self) -> Vec<Cell> {
        let text = |value: &Option<String>| value.clone().map_or_else(none, Cell::from);
        let number = |value: Option<u16>| value.map_or_else(none, |n| n.to_string().into());
        vec![
            Cell::new(self.asked.clone(), Tone::Strong),
            text(&self.port_address),
            number(self.number),
            text(&self.hexadecimal),
            number(self.sacn),
            text(&self.sacn_group),
            number(self.desk_from_0),
            number(self.desk_from_1),
        ]
    }
}

fn none() -> Cell {
    Cell::new("none", Tone::Faint)
}
