//! `universe`: one universe in all notations.

use lantern_core::universe::{DeskBase, Universe};
use serde::Serialize;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::{Cell, Out, Table, Tone};

/// Translate universes between all notations
///
/// Takes net:sub:universe (1:1:0), the combined number (272), hexadecimal (0x110), sACN ("sacn 273") and the desk's own
/// counting ("desk 273", see --desk-from).
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// Universes in any notation
    #[arg(required = true, value_name = "UNIVERSE")]
    universes: Vec<String>,

    /// What the desk calls its first universe
    #[arg(long, value_name = "0|1", default_value_t = 1, value_parser = clap::value_parser!(u8).range(0..=1))]
    desk_from: u8,
}

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
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let desk = if args.desk_from == 0 { DeskBase::Zero } else { DeskBase::One };
    let read = |text: &String| match Universe::read(text, desk) {
        Ok(universe) => Ok(Notations::of(text, universe)),
        Err(error) => Err(Failure::Universe { text: text.clone(), error }),
    };
    let universes: Vec<Notations> = args.universes.iter().map(read).collect::<Result<_, _>>()?;
    if out.is_json() {
        out.object(&Answer { format: 1, universes })?;
        return Ok(Exit::Fine);
    }
    let mut table =
        Table::new(&["asked", "net:sub:uni", "number", "hex", "sACN", "sACN group", "desk from 0", "desk from 1"])
            .unbroken(&["net:sub:uni", "number", "hex", "sACN", "sACN group"]);
    for universe in &universes {
        table.row(universe.cells());
    }
    out.table(&table)?;
    out.note("sACN universe n carries Port-Address n; sACN has no 0. A desk that counts from 1 calls Port-Address 0 \"1\".")?;
    Ok(Exit::Fine)
}

impl Notations {
    fn of(asked: &str, universe: Universe) -> Self {
        let address = universe.port_address();
        let sacn = universe.sacn();
        Self {
            asked: asked.to_owned(),
            port_address: address.map(|a| a.to_string()),
            number: address.map(lantern_core::universe::PortAddress::flat),
            hexadecimal: address.map(|a| format!("0x{:04x}", a.flat())),
            sacn: sacn.map(lantern_core::universe::SacnUniverse::number),
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
