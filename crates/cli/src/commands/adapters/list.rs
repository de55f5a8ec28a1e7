//! `adapters` alone: what there is, and what is wrong with it.

use std::net::Ipv4Addr;
use std::path::PathBuf;

use lantern_core::adapter::{Adapter, Computer, Medium, Origin, OwnAddress, judge};
use lantern_core::clash::own_address_held;
use lantern_core::conversation::Claim;
use lantern_core::finding::Finding;
use serde::Serialize;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::machine::computer;
use crate::output::{Cell, Out, Table, Tone, findings};
use crate::session::run_frames;

#[derive(Debug, clap::Args)]
pub(super) struct ListArgs {
    /// The rig sheet to compare with; without it, the only *.rig.toml in this folder, if there is one
    #[arg(long, value_name = "FILE")]
    sheet: Option<PathBuf>,
}

#[derive(Debug, Serialize)]
struct Answer<'a> {
    format: u32,
    #[serde(flatten)]
    computer: &'a Computer,
    findings: &'a [Finding],
}

/// Runs it.
pub(super) fn run(args: &ListArgs, out: &mut Out) -> Result<Exit, Failure> {
    let sheet = SheetFile::named_or_only(args.sheet.as_deref())?;
    let computer = computer()?;
    let mut found = held_by_others(&computer.adapters)?;
    found.extend(judge(&computer, sheet.as_ref().map(|file| &file.sheet)));
    if out.is_json() {
        out.object(&Answer { format: 1, computer: &computer, findings: &found })?;
        return Ok(Exit::of(&found));
    }
    out.table(&table(&computer))?;
    if !computer.name_servers.is_empty() {
        let servers: Vec<String> = computer.name_servers.iter().map(ToString::to_string).collect();
        out.note(&format!("name servers: {}", servers.join(", ")))?;
    }
    if !found.is_empty() {
        out.line("")?;
    }
    findings::print(out, &found)?;
    Ok(Exit::of(&found))
}

/// Devices that have an address of this computer: asked by ARP, where there are the rights to.
pub(super) fn held_by_others<'a>(
    adapters: impl IntoIterator<Item = &'a Adapter>,
) -> Result<Vec<Finding>, Failure> {
    let mut found = Vec::new();
    for adapter in adapters.into_iter().filter(|one| one.is_up() && one.medium == Medium::Wired) {
        let addresses: Vec<Ipv4Addr> = adapter.addresses.iter().map(|own| own.address).collect();
        let Some(own) = adapter.mac.filter(|_| !addresses.is_empty()) else { continue };
        let mut claim = Claim::probe(own, addresses);
        match run_frames(&mut claim, &adapter.name) {
            Ok(()) => {}
            // Without the rights nothing is asked, and nothing is known.
            Err(Failure::Net(_)) => continue,
            Err(failure) => return Err(failure),
        }
        let held = claim.taken().and_then(|taken| {
            let here = adapter.addresses.iter().find(|own| own.address == taken.address)?;
            Some(own_address_held((taken.address, here.subnet), Some(own), taken.mac, ""))
        });
        found.extend(held);
    }
    Ok(found)
}

fn table(computer: &Computer) -> Table {
    let mut table = Table::new(&["adapter", "kind", "link", "MAC", "addresses", "gateway"])
        .unbroken(&["adapter", "kind", "link", "MAC", "gateway"]);
    for adapter in &computer.adapters {
        let gateways: Vec<String> = adapter.gateways.iter().map(ToString::to_string).collect();
        let addresses: Vec<String> = adapter.addresses.iter().map(described).collect();
        table.row(vec![
            Cell::new(called(adapter), Tone::Strong),
            adapter.medium.to_string().into(),
            link(adapter),
            adapter.mac.map(|mac| mac.to_string()).unwrap_or_default().into(),
            addresses.join("\n").into(),
            gateways.join("\n").into(),
        ]);
    }
    table
}

fn called(adapter: &Adapter) -> String {
    let label = adapter.label.as_ref().map(|label| format!(" ({label})")).unwrap_or_default();
    let preferred = if adapter.preferred { " *" } else { "" };
    format!("{}{label}{preferred}", adapter.name)
}

fn link(adapter: &Adapter) -> Cell {
    let speed = adapter.speed.map(|mbit| format!(", {mbit} Mbit/s")).unwrap_or_default();
    match adapter {
        Adapter { on: false, .. } => Cell::new("off", Tone::Faint),
        Adapter { link: false, .. } => Cell::new("no link", Tone::Bad),
        _ if adapter.is_loopback() => Cell::new("this computer only", Tone::Faint),
        _ => Cell::new(format!("up{speed}"), Tone::Good),
    }
}

fn described(own: &OwnAddress) -> String {
    let origin = match own.origin {
        Origin::Fixed => " fixed",
        Origin::Leased => " leased",
        Origin::Unknown => "",
    };
    format!("{own}{origin}")
}
