//! `why`: one device is silent, or half silent; what is the first thing that is broken on the way to it.

use std::collections::HashMap;
use std::net::Ipv4Addr;
use std::path::{Path, PathBuf};

use lantern_core::adapter::{Adapter, ChooseError, Computer, Medium};
use lantern_core::census::Ways;
use lantern_core::conversation::{Concern, OnCables, Reached, Vantage};
use lantern_core::finding::Finding;
use lantern_core::ladder::{Circumstances, Rung, Step, WasHeard, climb};
use lantern_core::sheet::RigSheet;
use serde::Serialize;

use super::survey::play;
use super::{named, reach};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::machine::computer;
use crate::output::{Cell, Out, Table, Tone, findings};
use crate::session::{Look, Session, Where};

/// How often the address is asked: so often that what gets lost now and then shows.
const TIMES: u32 = 10;

/// Say why one device is silent, or half silent
///
/// Climbs from this computer's own cable to the levels at the device's ports, and stops at the first rung that is broken: what
/// was looked at, what showed, and what mends it. Sends nothing that changes anything. Ends with 1 when a rung is broken.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// Which one: address, MAC address, or name, on the sheet or as it calls itself
    #[arg(value_name = "TARGET")]
    target: String,

    /// Work from a recorded file instead of the network
    #[arg(long, value_name = "FILE.pcapng")]
    capture: Option<PathBuf>,

    #[command(flatten)]
    at: Where,
}

#[derive(Debug, Serialize)]
struct Answer<'a> {
    format: u32,
    target: &'a str,
    address: Ipv4Addr,
    rungs: Vec<Line<'a>>,
    finding: Option<&'a Finding>,
}

#[derive(Debug, Serialize)]
struct Line<'a> {
    rung: Rung,
    state: &'a Step,
    fact: &'a str,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    if let Some(path) = &args.capture {
        return from_file(args, path, out);
    }
    let session = match Session::open(&args.at, out) {
        Ok(session) => session,
        Err(Failure::Choose(error)) => return without_address(args, error, out),
        Err(failure) => return Err(failure),
    };
    let known = args.target.parse().ok().or_else(|| named::on_sheet(&args.target, session.sheet()));
    let universes = session.sheet().map(RigSheet::sacn_universes).unwrap_or_default();
    let concern = Concern::of_one(&args.target, known);
    let look = session.look_and_listen(concern, known.into_iter().collect(), universes, OnCables::Nothing, out)?;
    let address = address(known, &args.target, &look)?;
    let reached = reach::asked(&session, &[address], Ways::ALL, TIMES, out)?;
    let [reached] = reached.reached() else { return Ok(Exit::Fine) };
    let vantage = session.vantage();
    let heard = heard(&vantage, reached, &look);
    let (computer, adapter) = (session.computer(), session.adapter_facts());
    answer(&args.target, address, session.sheet_file(), (computer, adapter), Some(heard), out)
}

/// Where it is, as it was written, as the sheet has it, or as it was seen just now.
fn address(known: Option<Ipv4Addr>, target: &str, look: &Look) -> Result<Ipv4Addr, Failure> {
    let nobody = || Failure::Call(format!("{target} is seen without an address: deft-lantern show {target}"));
    match known {
        Some(address) => Ok(address),
        None => named::device(target, look, None)?.address.ok_or_else(nobody),
    }
}

/// Where no adapter can be taken, the first rungs say why.
fn without_address(args: &Args, error: ChooseError, out: &mut Out) -> Result<Exit, Failure> {
    let computer = computer()?;
    let sheet = args.at.sheet(out)?;
    let adapter = match &error {
        ChooseError::Down(name) | ChooseError::NoAddress(name) => {
            computer.adapters.iter().find(|adapter| adapter.name == *name)
        }
        ChooseError::NoneUsable { .. } => likeliest(&computer),
        _ => return Err(error.into()),
    };
    let on_sheet = || named::on_sheet(&args.target, sheet.as_ref().map(|file| &file.sheet));
    let Some(address) = args.target.parse().ok().or_else(on_sheet) else { return Err(error.into()) };
    answer(&args.target, address, sheet.as_ref(), (&computer, adapter), None, out)
}

/// The adapter that somebody most likely means who has none that can be used: wired before wireless, with link before without.
fn likeliest(computer: &Computer) -> Option<&Adapter> {
    let real =
        computer.adapters.iter().filter(|adapter| matches!(adapter.medium, Medium::Wired | Medium::Wireless));
    real.min_by_key(|adapter| (adapter.medium, !adapter.link, !adapter.on))
}

fn from_file(args: &Args, path: &Path, out: &mut Out) -> Result<Exit, Failure> {
    let sheet = args.at.sheet(out)?;
    let survey = play(path, Ways::ALL)?.survey;
    let (from, vantage) = (survey.viewpoint(), survey.plan().vantage.clone());
    let census = survey.into_census();
    let devices = census.devices(&from);
    let look = Look { census, devices, from, echo_times: HashMap::new(), leases: Vec::new() };
    let on_sheet = || named::on_sheet(&args.target, sheet.as_ref().map(|file| &file.sheet));
    let known = args.target.parse().ok().or_else(on_sheet);
    let address = address(known, &args.target, &look)?;
    let there = look.devices.iter().filter(|device| device.addresses.contains(&address));
    let reached = Reached::unasked(address, there.filter_map(|device| device.mac));
    let heard = heard(&vantage, &reached, &look);
    answer(&args.target, address, sheet.as_ref(), (&Computer::default(), None), Some(heard), out)
}

fn heard<'a>(vantage: &'a Vantage, reached: &'a Reached, look: &'a Look) -> WasHeard<'a> {
    WasHeard { vantage, reached, census: &look.census, devices: &look.devices, from: &look.from }
}

/// Climbs, and shows how far that came.
fn answer(
    called: &str,
    address: Ipv4Addr,
    sheet: Option<&SheetFile>,
    (computer, adapter): (&Computer, Option<&Adapter>),
    heard: Option<WasHeard<'_>>,
    out: &mut Out,
) -> Result<Exit, Failure> {
    let path = sheet.map(|file| file.path.display().to_string()).unwrap_or_default();
    let at = Circumstances {
        called,
        address,
        planned: sheet.and_then(|file| named::planned(&file.sheet, called)),
        sheet: sheet.map(|file| (&file.sheet, path.as_str())),
        computer,
        adapter,
        heard,
    };
    show(&at, out)
}

/// What its kind says to somebody who goes there.
fn show_hints(at: &Circumstances<'_>, out: &mut Out) -> Result<(), Failure> {
    let kind = at.sheet.zip(at.planned).and_then(|((sheet, _), node)| sheet.kind_of(node));
    let Some(kind) = kind.filter(|kind| kind.hints.all().next().is_some()) else { return Ok(()) };
    out.line(&format!("what is known of a {}:", kind.title()))?;
    for (what, text) in kind.hints.all() {
        out.line(&format!("  {what}: {text}"))?;
    }
    Ok(out.line("")?)
}

fn show(at: &Circumstances<'_>, out: &mut Out) -> Result<Exit, Failure> {
    let climbed = climb(at);
    let broken = climbed.iter().find_map(|(_, step)| match step {
        Step::Broken(finding) => Some(finding.as_ref()),
        Step::Holds(_) | Step::NotLooked(_) => None,
    });
    let exit = if broken.is_some() { Exit::Wrong } else { Exit::Fine };
    if out.is_json() {
        let rungs = climbed.iter().map(|(rung, state)| Line { rung: *rung, state, fact: state.fact() }).collect();
        out.object(&Answer { format: 1, target: at.called, address: at.address, rungs, finding: broken })?;
        return Ok(exit);
    }
    let mut table = Table::new(&["rung", "state", "what shows it"]).unbroken(&["rung", "state"]);
    for (rung, step) in &climbed {
        let tone = match step {
            Step::Holds(_) => Tone::Good,
            Step::NotLooked(_) => Tone::Faint,
            Step::Broken(_) => Tone::Bad,
        };
        table.row(vec![
            Cell::new(rung.to_string(), Tone::Strong),
            Cell::new(step.word(), tone),
            step.fact().into(),
        ]);
    }
    out.table(&table)?;
    out.line("")?;
    if broken.is_some() {
        show_hints(at, out)?;
    }
    match broken {
        Some(finding) => findings::print(out, std::slice::from_ref(finding))?,
        None => out.line("every rung holds, as far as can be seen from here")?,
    }
    Ok(exit)
}
