//! `adapters neighbours`: which MAC address this computer has for each address, and which of them are old.

use std::net::Ipv4Addr;

use lantern_core::MacAddress;
use lantern_core::adapter::{Adapter, Computer, Entry, Held, Medium, Planned};
use lantern_core::sheet::RigSheet;
use lantern_net::{drop_neighbour, neighbour_table, pin_neighbour};
use serde::Serialize;

use super::label::called;
use super::taking::refuse_without_rights;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::machine::computer;
use crate::output::{Cell, Out, Table, Tone, counted};

/// See which MAC address this computer has for each address, and drop or pin one
///
/// The system asks by ARP who has an address, and keeps the answer: after a unit was changed for another, what is sent may go to the
/// old one for minutes. The names are those of the sheet. Lasts until the system asks again, or is restarted. Changes no node.
#[derive(Debug, clap::Args)]
pub(super) struct Args {
    /// The adapter; without it, every one that is up
    #[arg(long, value_name = "NAME")]
    adapter: Option<String>,

    /// Forget the entry of this address, pinned or not; it is asked for anew when it is needed
    #[arg(long, value_name = "ADDRESS", conflicts_with = "drop_all")]
    drop: Vec<Ipv4Addr>,

    /// Forget every entry that is not pinned
    #[arg(long)]
    drop_all: bool,

    /// Hold this MAC address for this address, and never ask again
    #[arg(long, value_name = "ADDRESS=MAC", value_parser = pair)]
    pin: Vec<(Ipv4Addr, MacAddress)>,

    /// The rig sheet with the names; without it, the only *.rig.toml in this folder, if there is one
    #[arg(long, value_name = "FILE")]
    sheet: Option<std::path::PathBuf>,
}

fn pair(text: &str) -> Result<(Ipv4Addr, MacAddress), String> {
    let (address, mac) = text.split_once('=').ok_or("as in 10.40.1.3=02:4d:42:00:10:01")?;
    Ok((
        address.parse().map_err(|_| format!("{address:?} is no address"))?,
        mac.parse().map_err(|_| format!("{mac:?} is no MAC address"))?,
    ))
}

/// An entry as it is told.
#[derive(Debug, Serialize)]
struct Line<'a> {
    adapter: &'a str,
    #[serde(flatten)]
    entry: Entry,
    /// What the sheet calls whoever is planned at the address, or has the MAC address.
    name: Option<&'a str>,
    /// Whether the sheet has another MAC address for the address, or another address for the MAC address.
    contradicts: bool,
}

#[derive(Debug, Serialize)]
struct Answer<'a> {
    format: u32,
    dropped: Vec<Ipv4Addr>,
    pinned: Vec<Ipv4Addr>,
    neighbours: Vec<Line<'a>>,
}

/// Runs it.
pub(super) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let sheet = SheetFile::named_or_only(args.sheet.as_deref())?;
    let computer = computer()?;
    let adapters = meant(&computer, args.adapter.as_deref())?;
    let dropped = drop_entries(args, &adapters)?;
    for (address, mac) in &args.pin {
        pin(*address, *mac, &adapters)?;
    }
    let mut entries: Vec<(&str, Entry)> = Vec::new();
    for adapter in &adapters {
        entries.extend(neighbour_table(&adapter.name)?.into_iter().map(|entry| (adapter.name.as_str(), entry)));
    }
    entries.sort_by_key(|(adapter, entry)| (*adapter, entry.address));
    let pinned: Vec<Ipv4Addr> = args.pin.iter().map(|(address, _)| *address).collect();
    let sheet = sheet.as_ref().map(|file| &file.sheet);
    if out.is_json() {
        let neighbours = entries.iter().map(|(adapter, entry)| line(adapter, *entry, sheet)).collect();
        out.object(&Answer { format: 1, dropped, pinned, neighbours })?;
        return Ok(Exit::Fine);
    }
    show(&entries, sheet, out)?;
    for (what, done) in [("dropped", &dropped), ("pinned", &pinned)] {
        if !done.is_empty() {
            let list: Vec<String> = done.iter().map(ToString::to_string).collect();
            out.line(&format!("{} {}", out.paint().dye(Tone::Good, what), list.join(", ")))?;
        }
    }
    Ok(Exit::Fine)
}

/// The adapters it is about: those that have neighbours at all.
fn meant<'a>(computer: &'a Computer, wanted: Option<&str>) -> Result<Vec<&'a Adapter>, Failure> {
    if let Some(wanted) = wanted {
        return Ok(vec![called(computer, wanted)?]);
    }
    let is_meant = |adapter: &&Adapter| adapter.is_up() && adapter.medium != Medium::Loopback;
    Ok(computer.adapters.iter().filter(is_meant).collect())
}

/// Drops what is to be dropped, and looks whether it is gone.
fn drop_entries(args: &Args, adapters: &[&Adapter]) -> Result<Vec<Ipv4Addr>, Failure> {
    if args.drop.is_empty() && !args.drop_all {
        return Ok(Vec::new());
    }
    refuse_without_rights()?;
    let is_meant = |entry: &Entry| match args.drop_all {
        true => entry.held != Held::Pinned,
        false => args.drop.contains(&entry.address),
    };
    let mut dropped = Vec::new();
    for adapter in adapters {
        for entry in neighbour_table(&adapter.name)?.iter().filter(|entry| is_meant(entry)) {
            drop_neighbour(&adapter.name, entry.address)?;
            dropped.push(entry.address);
        }
    }
    match args.drop.iter().find(|address| !dropped.contains(address)) {
        Some(address) => Err(Failure::Call(format!("the table has no entry of {address}"))),
        None => Ok(dropped),
    }
}

/// Pins an entry where the address belongs, and looks whether it holds.
fn pin(address: Ipv4Addr, mac: MacAddress, adapters: &[&Adapter]) -> Result<(), Failure> {
    refuse_without_rights()?;
    let is_beside = |adapter: &&&Adapter| adapter.addresses.iter().any(|own| own.subnet.contains(address));
    let adapter = match adapters {
        [only] => only,
        several => several.iter().find(is_beside).ok_or_else(|| {
            Failure::Call(format!("no adapter is in a subnet with {address}; name one with --adapter"))
        })?,
    };
    pin_neighbour(&adapter.name, address, mac)?;
    let is_there =
        |entry: &Entry| entry.address == address && entry.mac == Some(mac) && entry.held == Held::Pinned;
    match neighbour_table(&adapter.name)?.iter().any(is_there) {
        true => Ok(()),
        false => Err(Failure::NotHeld { adapter: adapter.name.clone() }),
    }
}

fn line<'a>(adapter: &'a str, entry: Entry, sheet: Option<&'a RigSheet>) -> Line<'a> {
    let planned = sheet.and_then(|sheet| entry.on(sheet));
    let (name, contradicts) = match planned {
        Some(Planned::Here(name)) => (Some(name), false),
        Some(Planned::Other(name, _) | Planned::Elsewhere(name, _)) => (Some(name), true),
        None => (None, false),
    };
    Line { adapter, entry, name, contradicts }
}

fn show(entries: &[(&str, Entry)], sheet: Option<&RigSheet>, out: &mut Out) -> Result<(), Failure> {
    let mut table = Table::new(&["address", "MAC", "held", "adapter", "on the sheet"])
        .unbroken(&["address", "MAC", "held", "adapter"]);
    let mut wrong = Vec::new();
    for (adapter, entry) in entries {
        let (said, tone) = match sheet.and_then(|sheet| entry.on(sheet)) {
            None => (String::new(), Tone::Plain),
            Some(Planned::Here(name)) => (name.to_owned(), Tone::Plain),
            Some(Planned::Other(name, mac)) => {
                wrong.push(entry.address);
                (format!("{name}, which has {mac}"), Tone::Bad)
            }
            Some(Planned::Elsewhere(name, at)) => (format!("{name}, planned at {at}"), Tone::Doubtful),
        };
        let held = match entry.held {
            Held::Fresh => Tone::Good,
            Held::Pinned => Tone::Strong,
            Held::Stale | Held::Asking => Tone::Plain,
            Held::Unanswered => Tone::Faint,
        };
        table.row(vec![
            entry.address.to_string().into(),
            entry.mac.map_or_else(|| "none".to_owned(), |mac| mac.to_string()).into(),
            Cell::new(entry.held.word(), held),
            (*adapter).into(),
            Cell::new(said, tone),
        ]);
    }
    if entries.is_empty() {
        return Ok(out.line("this computer has asked for nobody lately: the table is empty")?);
    }
    out.table(&table)?;
    out.line("")?;
    out.line(&counted(entries.len(), "neighbour"))?;
    if let Some(address) = wrong.first() {
        out.hint(&format!("to ask anew who has it: deft-lantern adapters neighbours --drop {address}"))?;
    }
    Ok(())
}
