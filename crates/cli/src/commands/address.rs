//! `address`: one address with its mask, and what surrounds it.

use std::net::Ipv4Addr;
use std::path::PathBuf;

use lantern_core::Said;
use lantern_core::address::Mask;
use lantern_core::view::Place;
use serde::Serialize;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::output::{Cell, Out, Table, Tone};

/// Explain an address and its mask: what is local, what varies, what the sheet has there
///
/// Written 10.40.1.9/16, or 10.40.1.9 and its mask; on a rig sheet that has a network around it the mask may be left out.
/// Asks nobody: whether the address answers, `reach` says.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The address, with its mask as /16 if you like
    #[arg(value_name = "ADDRESS[/PREFIX]")]
    address: String,

    /// The mask: 255.255.0.0 or /16
    #[arg(value_name = "MASK")]
    mask: Option<Mask>,

    /// The rig sheet; without it, the only *.rig.toml in this folder, if there is one
    #[arg(long, value_name = "FILE.rig.toml")]
    sheet: Option<PathBuf>,
}

#[derive(Debug, Serialize)]
struct Answer<'a> {
    format: u32,
    #[serde(flatten)]
    place: &'a Place,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let file = SheetFile::named_or_only(args.sheet.as_deref())?;
    let sheet = file.as_ref().map(|file| &file.sheet);
    let (address, written) = read(&args.address)?;
    let of_sheet = || sheet.and_then(|sheet| Place::mask_on(sheet, address));
    let Some(mask) = written.or(args.mask).or_else(of_sheet) else {
        return Err(Failure::Call(format!("which mask? Write {address}/16, or {address} 255.255.0.0")));
    };
    let place = Place::of(address, mask, sheet);
    let exit = if place.unusable.is_some() { Exit::Wrong } else { Exit::Fine };
    if out.is_json() {
        out.object(&Answer { format: 1, place: &place })?;
        return Ok(exit);
    }
    out.table(&table(&place))?;
    Ok(exit)
}

fn read(text: &str) -> Result<(Ipv4Addr, Option<Mask>), Failure> {
    let wrong = |what: &str| Failure::Call(format!("{text:?} is no address: {what}"));
    let (address, prefix) = match text.split_once('/') {
        Some((address, prefix)) => (address, Some(prefix)),
        None => (text, None),
    };
    let address = address.parse().map_err(|_| wrong("four numbers from 0 to 255 with points between"))?;
    let mask = prefix.map(str::parse::<Mask>).transpose().map_err(|error| wrong(&error.to_string()))?;
    Ok((address, mask))
}

fn table(place: &Place) -> Table {
    let mut table = Table::new(&["", ""]).unbroken(&[""]);
    let mut line = |name: &str, value: String, tone: Tone| {
        table.row(vec![Cell::new(name, Tone::Faint), Cell::new(value, tone)]);
    };
    line("address", format!("{}/{}", place.address, place.prefix), Tone::Strong);
    if let Some(why) = &place.unusable {
        line("", format!("no device can have it: {why}"), Tone::Bad);
    }
    if let Some(about) = place.about {
        line("", about.to_owned(), Tone::Plain);
    }
    line("mask", place.mask.to_string(), Tone::Plain);
    line("may vary", place.may_vary.clone(), Tone::Plain);
    line("usable", format!("{} to {}, {} in all", place.first, place.last, place.room), Tone::Plain);
    line("broadcast", place.broadcast.to_string(), Tone::Plain);
    if let Some(there) = &place.on_sheet {
        let area =
            there.area.as_ref().map(|area| format!(", area {}", Said::from(area.as_str()))).unwrap_or_default();
        let who = there.who.as_ref().map(|who| format!(": {}", Said::from(who.as_str()))).unwrap_or_default();
        let network = Said::from(there.network.as_str());
        line("on the sheet", format!("{}{who}, in network {network}{area}", there.state), Tone::Plain);
    }
    table
}
