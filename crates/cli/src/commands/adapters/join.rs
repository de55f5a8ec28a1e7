//! `adapters join`: an address for this computer, in the rig's network, without disturbing anybody.

use std::net::Ipv4Addr;
use std::path::PathBuf;
use std::process::Command;

use lantern_core::adapter::{
    Adapter, AdapterState, WantedOwn, against_joining, choose_cable, joined, moves, taken_finding,
};
use lantern_core::conversation::{Claim, Taken};
use lantern_net::{adapter_state, carry_out, computer, run_frames};
use serde::Serialize;

use super::kept::Kept;
use super::restore::refuse_without_rights;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::output::{Out, Tone};

/// Take an address in the rig's network, beside those already there
///
/// Asks by ARP whether anybody holds it, keeps what the adapter was set to, takes the address, reads it back, and listens
/// whether somebody defends it; then it is given back at once. Undo with: deft-lantern adapters restore
#[derive(Debug, clap::Args)]
pub(super) struct Args {
    /// The address with the length of its prefix, as in 10.40.0.50/16; several for several networks
    #[arg(value_name = "ADDRESS/PREFIX", required = true)]
    addresses: Vec<WantedOwn>,

    /// The adapter, by name; without it, the only cable with link
    #[arg(long, value_name = "NAME")]
    adapter: Option<String>,

    /// Instead of the addresses already there, not beside them
    #[arg(long)]
    instead: bool,

    /// The rig sheet whose plan to respect; without it, the only *.rig.toml in this folder, if there is one
    #[arg(long, value_name = "FILE")]
    sheet: Option<PathBuf>,

    /// Run this, and put everything back when it ends
    #[arg(last = true, value_name = "COMMAND")]
    command: Vec<String>,
}

#[derive(Debug, Serialize)]
struct Answer<'a> {
    format: u32,
    adapter: &'a str,
    joined: Vec<String>,
}

/// Runs it.
pub(super) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let sheet = SheetFile::named_or_only(args.sheet.as_deref())?;
    let sheet = sheet.as_ref().map(|file| &file.sheet);
    let computer = computer()?;
    let adapter = choose_cable(&computer.adapters, args.adapter.as_deref())?;
    let name = &adapter.name;
    let refusals = against_joining(&computer, &args.addresses, sheet);
    if !refusals.is_empty() {
        return Err(Failure::Refused(refusals));
    }
    refuse_without_rights()?;
    let mac = adapter.mac.ok_or_else(|| Failure::Call(format!("{name} has no MAC address to probe with")))?;
    let all: Vec<Ipv4Addr> = args.addresses.iter().map(|wanted| wanted.address).collect();

    if let Some(taken) = ask(Claim::probe(mac, all.clone()), adapter, "asking whether anybody holds it", out)? {
        return Err(Failure::Refused(vec![taken_finding(taken, false, sheet)]));
    }
    let before = take(args, name)?;
    if let Some(taken) =
        ask(Claim::announce(mac, all), adapter, "taken; listening whether anybody defends it", out)?
    {
        go_back(name, &before)?;
        return Err(Failure::GivenBack(vec![taken_finding(taken, true, sheet)]));
    }
    tell(args, name, out)?;
    beside(args, name, &before)
}

/// Runs a claim with a line of progress; whoever holds one of the addresses, if anybody.
fn ask(mut claim: Claim, adapter: &Adapter, doing: &str, out: &Out) -> Result<Option<Taken>, Failure> {
    let progress = out.progress();
    progress.show(format!("{}: {doing}", adapter.name));
    run_frames(&mut claim, &adapter.name)?;
    Ok(claim.taken())
}

/// Keeps what is there, changes it, and looks whether the system really did; gives what was there.
fn take(args: &Args, name: &str) -> Result<AdapterState, Failure> {
    let before = adapter_state(name)?;
    let wanted = joined(&before, &args.addresses, name, args.instead);
    Kept::keep(name, &before)?;
    carry_out(name, &moves(&before, &wanted))?;
    let after = adapter_state(name)?;
    let held = |one: &WantedOwn| after.addresses.iter().any(|address| address.address == one.address);
    if args.addresses.iter().all(held) { Ok(before) } else { Err(Failure::NotHeld { adapter: name.to_owned() }) }
}

/// Undoes this join only: what an earlier one took stays, and so does the note of how it was before that.
fn go_back(name: &str, before: &AdapterState) -> Result<(), Failure> {
    carry_out(name, &moves(&adapter_state(name)?, before))?;
    if !adapter_state(name)?.is_like(before) {
        return Err(Failure::NotHeld { adapter: name.to_owned() });
    }
    match Kept::of(name)? {
        Some(kept) if kept.state.is_like(before) => kept.forget(),
        _ => Ok(()),
    }
}

fn tell(args: &Args, name: &str, out: &mut Out) -> Result<(), Failure> {
    let list = args.addresses.iter().map(|one| format!("{}/{}", one.address, one.subnet.mask().prefix()));
    let list: Vec<String> = list.collect();
    if out.is_json() {
        out.object(&Answer { format: 1, adapter: name, joined: list })?;
        return Ok(());
    }
    let mark = out.paint().dye(Tone::Good, "joined");
    let where_to = if args.instead { "instead of what was there" } else { "beside what was there" };
    out.line(&format!("{mark}  {name} has {}, {where_to}; nobody else holds it", list.join(", ")))?;
    if args.command.is_empty() {
        out.hint("deft-lantern survey; and when you are done: deft-lantern adapters restore")?;
    }
    Ok(())
}

/// Runs the command, if there is one, and puts everything back after it.
fn beside(args: &Args, name: &str, before: &AdapterState) -> Result<Exit, Failure> {
    let [program, arguments @ ..] = &args.command[..] else { return Ok(Exit::Fine) };
    let status = Command::new(program).args(arguments).status();
    go_back(name, before)?;
    let status = status.map_err(|source| Failure::Start { program: program.clone(), source })?;
    Ok(Exit::Theirs(status.code().and_then(|code| u8::try_from(code).ok()).unwrap_or(1)))
}
