//! `adapters join`: an address for this computer, in the rig's network, without disturbing anybody.

use std::net::Ipv4Addr;
use std::path::PathBuf;

use clap::ValueEnum;
use lantern_core::adapter::{
    AdapterState, Keeper, WantedOwn, against_joining, beside_joining, choose_cable, joined, lasting, taken_finding,
};
use serde::Serialize;

use super::beside;
use super::list::held_by_others;
use super::taking::{self, refuse_impossible};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::interrupt::Calm;
use crate::machine::computer;
use crate::output::{Out, Tone, findings};

/// Take an address in the rig's network, beside those already there
///
/// Asks by ARP whether anybody holds it, keeps what the adapter was set to, takes the address, reads it back, and listens
/// whether somebody defends it; if so, it is given back at once. Undo with: deft-lantern adapters restore
#[derive(Debug, Default, clap::Args)]
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

    /// Print what makes it permanent on this kind of system; change nothing
    #[arg(long, value_name = "SYSTEM", conflicts_with_all = ["instead", "command"])]
    print: Option<System>,

    /// Run this, and put everything back when it ends
    #[arg(last = true, value_name = "COMMAND")]
    command: Vec<String>,
}

/// The systems `--print` knows.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum System {
    Networkmanager,
    Networkd,
    Netplan,
    Ifupdown,
    Windows,
    Macos,
}

impl System {
    const fn keeper(self) -> Keeper {
        match self {
            Self::Networkmanager => Keeper::NetworkManager,
            Self::Networkd => Keeper::Networkd,
            Self::Netplan => Keeper::Netplan,
            Self::Ifupdown => Keeper::Ifupdown,
            Self::Windows => Keeper::Windows,
            Self::Macos => Keeper::MacOs,
        }
    }
}

#[derive(Debug, Serialize)]
struct Answer<'a> {
    format: u32,
    adapter: &'a str,
    joined: Vec<String>,
}

impl Args {
    /// To take these addresses instead of what is there.
    pub(super) fn instead(addresses: Vec<WantedOwn>, adapter: String) -> Self {
        Self { addresses, adapter: Some(adapter), instead: true, ..Self::default() }
    }
}

/// Runs it.
pub(super) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    if let Some(system) = args.print {
        return print(args, system, out);
    }
    let sheet = SheetFile::named_or_only(args.sheet.as_deref())?;
    let sheet = sheet.as_ref().map(|file| &file.sheet);
    let computer = computer()?;
    let adapter = choose_cable(&computer.adapters, args.adapter.as_deref())?;
    let name = &adapter.name;
    let refusals = against_joining(&computer, &args.addresses, sheet, args.instead.then_some(adapter));
    if !refusals.is_empty() {
        // What looks like ours may be somebody else's too: then that is what is wrong.
        let ours = |wanted: &WantedOwn| adapter.addresses.iter().any(|own| own.address == wanted.address);
        let held = if args.addresses.iter().any(ours) { held_by_others([adapter])? } else { Vec::new() };
        return Err(Failure::Refused(refusals.into_iter().chain(held).collect()));
    }
    findings::show_on_notes(out, &beside_joining(&computer, adapter, &args.addresses))?;
    refuse_impossible(name)?;
    let mac = adapter.mac.ok_or_else(|| Failure::Call(format!("{name} has no MAC address to probe with")))?;
    let all: Vec<Ipv4Addr> = args.addresses.iter().map(|wanted| wanted.address).collect();
    // What is ours already is neither asked for nor announced: the answer could only be our own.
    let is_new = |address: &Ipv4Addr| !adapter.addresses.iter().any(|own| own.address == *address);
    let new: Vec<Ipv4Addr> = all.iter().copied().filter(is_new).collect();

    if let Some(taken) = taking::held(name, mac, &new, out)? {
        return Err(Failure::Refused(vec![taken_finding(taken, false, sheet)]));
    }
    // From here on an interruption gives back what was taken.
    let _calm = Calm::begin();
    let wanted = |before: &AdapterState| joined(before, &args.addresses, name, args.instead);
    let before = taking::take(name, &all, wanted)?;
    taking::settle(name, mac, &new, &before, sheet, out)?;
    tell(args, name, out)?;
    match &args.command[..] {
        [program, arguments @ ..] => beside::run(program, arguments, || taking::go_back(name, &before)),
        [] => Ok(Exit::Fine),
    }
}

/// Prints how to make it permanent; the adapter need have no link for that.
fn print(args: &Args, system: System, out: &mut Out) -> Result<Exit, Failure> {
    let name = match &args.adapter {
        Some(name) => name.clone(),
        None => choose_cable(&computer()?.adapters, None)?.name.clone(),
    };
    out.line(&lasting(system.keeper(), &name, &args.addresses))?;
    Ok(Exit::Fine)
}

fn tell(args: &Args, name: &str, out: &mut Out) -> Result<(), Failure> {
    let list: Vec<String> = args.addresses.iter().map(ToString::to_string).collect();
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
