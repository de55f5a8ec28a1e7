//! `adapters advise`: which own address to take.

use std::net::Ipv4Addr;
use std::path::{Path, PathBuf};

use lantern_core::adapter::{Advice, Computer, Known, MISBELIEFS, Target, WantedOwn, advise, choose, one_for_all};
use lantern_core::address::Subnet;
use lantern_core::census::{Census, Way, Ways};
use lantern_core::conversation::{Claim, Means, Reach, Vantage};
use lantern_net::{Station, Wants, missing_rights};
use serde::Serialize;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::{self, SheetFile};
use crate::machine::computer;
use crate::output::{Out, Tone, wrapped};
use crate::session::{run_frames, run_whole};

/// Say which own address to take to reach something, and why
///
/// A target is an address, a range, a network, a rig sheet, or the name of a node in a saved census. The address advised is
/// inside the subnet, not planned, not kept, not in a pool, not seen, and nobody answers for it by ARP. Changes nothing.
#[derive(Debug, clap::Args)]
pub(super) struct Args {
    /// What is to be reached
    #[arg(value_name = "TARGET", required = true)]
    targets: Vec<String>,

    /// The adapter, by name; without it, the only cable with link
    #[arg(long, value_name = "NAME")]
    adapter: Option<String>,

    /// A saved census: its nodes can be named as targets, and their addresses are not given away
    #[arg(long, value_name = "FILE.census.json")]
    census: Option<PathBuf>,

    /// The rig sheet whose plan to respect; without it, the only *.rig.toml in this folder, if there is one
    #[arg(long, value_name = "FILE")]
    sheet: Option<PathBuf>,
}

/// Advice as it is told.
#[derive(Debug, Serialize)]
struct Line {
    target: String,
    adapter: String,
    /// `reachable` or `take`.
    state: &'static str,
    own: String,
    reasons: Vec<String>,
    command: Option<String>,
}

#[derive(Debug, Serialize)]
struct Answer {
    format: u32,
    advice: Vec<Line>,
    /// The narrowest subnet that has all targets, where there are several and one mask is wide enough.
    one_for_all: Option<String>,
}

/// Runs it.
pub(super) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let sheet = SheetFile::named_or_only(args.sheet.as_deref())?;
    let census = args.census.as_deref().map(files::read_census).transpose()?.map(|saved| saved.census);
    let seen: Vec<Ipv4Addr> = census.iter().flat_map(Census::nodes).map(|node| node.address).collect();
    let known = Known { sheet: sheet.as_ref().map(|f| &f.sheet), seen: &seen, adapter: args.adapter.as_deref() };
    let computer = computer()?;
    let mut all = Vec::new();
    for text in &args.targets {
        all.extend(targets(text, census.as_ref())?);
    }
    let advice: Vec<Line> =
        all.iter().map(|target| line(&computer, target, &known, out)).collect::<Result<_, _>>()?;
    let several = advice.iter().filter(|line| line.command.is_some()).count() > 1;
    let one_for_all = one_for_all(&all).filter(|_| several);
    if out.is_json() {
        out.object(&Answer { format: 1, advice, one_for_all: one_for_all.map(|subnet| subnet.to_string()) })?;
        return Ok(Exit::Fine);
    }
    for line in &advice {
        tell(line, out)?;
    }
    if several {
        for_all(one_for_all, out)?;
    }
    if advice.iter().any(|line| line.command.is_some()) {
        out.note("")?;
        for misbelief in MISBELIEFS {
            out.note(misbelief)?;
        }
    }
    Ok(Exit::Fine)
}

/// What a word on the command line means.
fn targets(text: &str, census: Option<&Census>) -> Result<Vec<Target>, Failure> {
    if Path::new(text).is_file() {
        let file = SheetFile::read(Path::new(text))?;
        return Ok(file.sheet.networks.iter().map(Target::of_network).collect());
    }
    match (Target::read(text), census) {
        (Ok(target), _) => Ok(vec![target]),
        (Err(_), Some(census)) => {
            let node = census.designated(text)?;
            let mut target = Target::read(&node.address.to_string()).map_err(|e| Failure::Call(e.to_string()))?;
            text.clone_into(&mut target.name);
            Ok(vec![target])
        }
        (Err(error), None) => Err(Failure::Call(format!(
            "{text:?} is no target: {error}; or a rig sheet, or with --census the name of a node"
        ))),
    }
}

fn line(computer: &Computer, target: &Target, known: &Known<'_>, out: &mut Out) -> Result<Line, Failure> {
    let advice = advise(computer, target, known);
    if !matches!(advice, Ok(Advice::Reachable { .. }))
        && let Some(line) = routed(computer, target, out)?
    {
        return Ok(line);
    }
    Ok(match advice? {
        Advice::Reachable { adapter, own } => Line {
            target: target.name.clone(),
            reasons: vec![format!("{adapter} has {own}, in the same subnet")],
            adapter,
            state: "reachable",
            own: own.to_string(),
            command: None,
        },
        Advice::Take { adapter, proposals, mut reasons } => {
            let (own, asked) = first_free(computer, &adapter, &proposals, out)?;
            reasons.push(asked.to_owned());
            let own = own.to_string();
            let command = Some(format!("deft-lantern adapters join {own} --adapter {adapter}"));
            Line { target: target.name.clone(), adapter, state: "take", own, reasons, command }
        }
    })
}

/// How a device in another subnet is reached already: through a gateway, where it answers by that way.
fn routed(computer: &Computer, target: &Target, out: &mut Out) -> Result<Option<Line>, Failure> {
    let Some(to) = target.single() else { return Ok(None) };
    for adapter in computer.adapters.iter().filter(|adapter| adapter.is_up()) {
        let (Some(gateway), Some(own)) = (adapter.gateways.first(), adapter.addresses.first()) else { continue };
        let choice = choose(&computer.adapters, Some(&adapter.name), None)?;
        let station = Station::open(&choice, &Wants { echo: true, ..Wants::default() }, adapter.mac)?;
        let means = Means { echo: true, ..Means::default() };
        let vantage = Vantage { means, ..Vantage::of_seats(choice.seats.clone()) };
        let mut reach = Reach::new(vantage, &[to], Ways::only(&[Way::Echo]), 3);
        let progress = out.progress();
        progress.show(format!("asking whether {to} answers through {gateway}"));
        run_whole(&mut reach, &station, |_, _, _| Ok(()))?;
        if reach.answered() {
            return Ok(Some(Line {
                target: target.name.clone(),
                adapter: adapter.name.clone(),
                state: "reachable",
                own: own.address.to_string(),
                reasons: vec![format!("it answers an echo through the gateway {gateway} of {}", adapter.name)],
                command: None,
            }));
        }
    }
    Ok(None)
}

/// The first proposal for which nobody answers; without the right to ask, the first.
fn first_free(
    computer: &Computer,
    adapter: &str,
    proposals: &[WantedOwn],
    out: &mut Out,
) -> Result<(WantedOwn, &'static str), Failure> {
    let mac = computer.adapters.iter().find(|one| one.name == adapter).and_then(|one| one.mac);
    let Some(mac) = mac.filter(|_| missing_rights().is_empty()) else {
        return Ok((proposals[0], "not asked for by ARP, which needs more rights; join asks before it takes it"));
    };
    let progress = out.progress();
    for one in proposals {
        progress.show(format!("asking whether anybody holds {}", one.address));
        let mut claim = Claim::probe(mac, vec![one.address]);
        run_frames(&mut claim, adapter)?;
        if claim.taken().is_none() {
            return Ok((*one, "nobody answers for it by ARP"));
        }
    }
    Err(Failure::Call(format!("somebody holds each of the {} addresses that seemed free", proposals.len())))
}

/// Whether one address with a wider mask would do.
fn for_all(subnet: Option<Subnet>, out: &mut Out) -> Result<(), Failure> {
    let text = match subnet {
        Some(subnet) => format!(
            "all of them  lie in {subnet}, mask {}: one address with that mask reaches them all, and of them answers whoever has as \
             wide a mask itself: deft-lantern adapters advise {subnet}",
            subnet.mask().dotted()
        ),
        None => {
            "all of them  no one mask is wide enough for them and no wider than private addresses reach: take an \
                 address for each"
                .to_owned()
        }
    };
    Ok(out.line(&wrapped(&text, out.width(), 13))?)
}

fn tell(line: &Line, out: &mut Out) -> Result<(), Failure> {
    let target = out.paint().dye(Tone::Strong, &line.target);
    match &line.command {
        None => out.line(&format!("{target}  is reached already"))?,
        Some(_) => out.line(&format!("{target}  take {} on {}, no gateway", line.own, line.adapter))?,
    }
    out.line(&wrapped(&format!("      why  {}", line.reasons.join("; ")), out.width(), 11))?;
    if let Some(command) = &line.command {
        out.line(&format!("       do  {command}"))?;
    }
    Ok(())
}
