//! `adapters self-test`: what this computer and these rights can do, tried.

use std::fs::{self, File};
use std::path::{Path, PathBuf};

use lantern_core::adapter::{Adapter, Choice, Computer, choose};
use lantern_core::conversation::{OwnVoice, SelfTest};
use lantern_core::{ART_NET_PORT, MacAddress, SACN_PORT};
use lantern_net::{self as net, Lack, Station, Wants, missing_rights};
use serde::Serialize;

use super::kept;
use crate::clock;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::hints::{HOW_TO_GET_RIGHTS, let_answers_in};
use crate::machine::{computer, config_folder};
use crate::memory;
use crate::output::{Cell, Out, Table, Tone};

/// Try what this computer and these rights can do: the first thing to run on a strange laptop
///
/// Takes the ports of Art-Net and sACN, says something to everybody and to a group and listens whether it comes back, opens raw
/// frames, asks its own address for an echo, and looks whether its own files can be written. No node is asked, and nothing is
/// changed but a file written and removed in its own folders. The result can be pasted when asking for help: it has no names, unless told to.
#[derive(Debug, clap::Args)]
pub(super) struct Args {
    /// Only this adapter: its name, its label or one of its addresses; without it, every one that is up and has an address
    #[arg(long, value_name = "NAME|LABEL|ADDRESS")]
    adapter: Option<String>,

    /// Say the names of programs, labels and folders too
    #[arg(long)]
    names: bool,
}

/// What was tried, and what came of it.
#[derive(Debug, Serialize)]
struct Try {
    what: &'static str,
    /// On which adapter; `None` for what is of the computer.
    adapter: Option<String>,
    result: Ability,
    /// What it means, and what to do.
    means: String,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
enum Ability {
    Works,
    Limited,
    Fails,
}

#[derive(Debug, Serialize)]
struct Answer<'a> {
    format: u32,
    version: &'a str,
    system: &'a str,
    machine: &'a str,
    tried: &'a [Try],
}

const FIREWALL: &str =
    "answers to everybody will not be heard either: look whether a firewall here blocks UDP that comes in";
const GROUPS: &str =
    "sACN, announcements and searches of groups may not be heard: look at the firewall of this computer";
const NO_FRAMES: &str =
    "nodes in other subnets are seen less, no address is probed by ARP before it is taken, lease gives none";

/// Runs it.
pub(super) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    // Where what the user calls the adapters cannot be read, they are what the system calls them.
    let computer = computer().or_else(|_| net::computer())?;
    if computer.adapters.iter().any(|adapter| net::is_pretended(&adapter.name)) {
        return Err(Failure::Call(
            "beside a demo's pretended cable this computer has no adapter to try".to_owned(),
        ));
    }
    let choices = choices(&computer, args.adapter.as_deref())?;
    let mut tried = of_computer(args.names);
    let mut is_heard = false;
    for choice in &choices {
        let (of_adapter, heard) = of_adapter(&computer, choice, args.names)?;
        tried.extend(of_adapter);
        is_heard |= heard;
    }
    let (version, system, machine) = (env!("CARGO_PKG_VERSION"), std::env::consts::OS, std::env::consts::ARCH);
    if out.is_json() {
        out.object(&Answer { format: 1, version, system, machine, tried: &tried })?;
    } else {
        out.line(&format!("deft-lantern {version} on {system}, {machine}"))?;
        out.line("")?;
        out.table(&table(&tried))?;
        out.line("")?;
        out.line(match (choices.is_empty(), is_heard) {
            (true, _) => "no adapter is up with an address: nothing could be tried on the network",
            (false, true) => "Art-Net can be asked and answered from here",
            (false, false) => "Art-Net cannot be heard here on any adapter",
        })?;
    }
    if !choices.is_empty() && !is_heard {
        let_answers_in().map_or(Ok(()), |how| out.hint(&how))?;
    }
    Ok(if is_heard { Exit::Fine } else { Exit::Wrong })
}

/// Every adapter that leads anywhere, or the one that is meant.
fn choices(computer: &Computer, wanted: Option<&str>) -> Result<Vec<Choice>, Failure> {
    let all = &computer.adapters;
    if wanted.is_some() {
        return Ok(vec![choose(all, wanted, None)?]);
    }
    let usable = all.iter().filter(|one| one.is_usable());
    Ok(usable.filter_map(|adapter| choose(all, Some(&adapter.name), None).ok()).collect())
}

/// What does not depend on an adapter.
fn of_computer(names: bool) -> Vec<Try> {
    let missing = missing_rights();
    let rights = match missing.is_empty() {
        true => (Ability::Works, String::new()),
        false => (Ability::Limited, format!("not allowed: {}; {HOW_TO_GET_RIGHTS}", missing.join(", "))),
    };
    let mut all = vec![Try { what: "rights", adapter: None, result: rights.0, means: rights.1 }];
    let folders = [
        ("keeps settings", Some(config_folder()), "labels, passwords and code tables cannot be kept"),
        ("keeps what it saw", memory::own_path(), "what was seen before is not remembered"),
        (
            "keeps the way back",
            Some(kept::folder()),
            "an address that it takes is not given back after a power cut",
        ),
    ];
    for (what, path, costs) in folders {
        let place = path.as_deref().map(existing).unwrap_or_default();
        let is_writable = path.is_some() && takes_a_file(&place);
        let at = if names { format!(" ({})", place.display()) } else { String::new() };
        let (result, means) = match is_writable {
            true => (Ability::Works, at.trim_start().to_owned()),
            false => (Ability::Fails, format!("{costs}{at}")),
        };
        all.push(Try { what, adapter: None, result, means });
    }
    all
}

/// Whether a file can be made there: one is, and removed.
fn takes_a_file(folder: &Path) -> bool {
    let path = folder.join(format!(".deft-lantern-self-test-{}", std::process::id()));
    let made = File::create_new(&path);
    made.is_ok() && fs::remove_file(&path).is_ok()
}

/// The nearest folder above that is there: the rest is made when it is needed.
fn existing(path: &Path) -> PathBuf {
    path.ancestors().find(|one| one.exists()).map(Path::to_owned).unwrap_or_default()
}

/// What can be done on one adapter, and whether Art-Net can be asked and answered there.
fn of_adapter(computer: &Computer, choice: &Choice, names: bool) -> Result<(Vec<Try>, bool), Failure> {
    let facts = computer.adapters.iter().find(|one| one.name == choice.name);
    let own_mac = facts.and_then(|one| one.mac);
    let called = called(choice, facts, names);
    let mut all = Vec::new();
    let mut add = |what, (result, means): (Ability, String)| {
        all.push(Try { what, adapter: Some(called.clone()), result, means });
    };
    let mut is_free = false;
    for (what, port) in [("Art-Net, UDP 6454", ART_NET_PORT), ("sACN, UDP 5568", SACN_PORT)] {
        let opened = port_of(computer, choice, port, names)?;
        is_free |= port == ART_NET_PORT && opened.0 != Ability::Fails;
        add(what, opened);
    }
    let sockets = Wants { ports: vec![SelfTest::PORT], echo: true, ..Wants::default() };
    let (heard, refused) = voice(choice, &sockets, None)?;
    let said = |back: Option<bool>, refused: &str, costs: &str| match back {
        Some(true) => (Ability::Works, String::new()),
        Some(false) => (Ability::Fails, costs.to_owned()),
        None => (Ability::Fails, format!("refused ({refused}): {costs}")),
    };
    add("hears everybody", said(heard.broadcast, &refused, FIREWALL));
    add("hears groups", said(heard.group, &refused, GROUPS));
    let (frames, refused_frames) = voice(choice, &Wants { frames: true, ..Wants::default() }, own_mac)?;
    add("raw frames", limited(said(frames.frames, &refused_frames, NO_FRAMES)));
    // Where frames are heard, echoes are sent as frames.
    let echo = heard.echo.or(frames.frames);
    add("echo", limited(said(echo, &refused, "who answers nothing else is not seen by an echo")));
    Ok((all, is_free && heard.broadcast == Some(true)))
}

/// Without it the program goes on, and says what that costs.
fn limited((result, means): (Ability, String)) -> (Ability, String) {
    (if result == Ability::Fails { Ability::Limited } else { result }, means)
}

fn called(choice: &Choice, facts: Option<&Adapter>, names: bool) -> String {
    let label = facts.and_then(|one| one.label.as_ref()).filter(|_| names);
    let label = label.map(|label| format!(" ({label})")).unwrap_or_default();
    format!("{}{label} in {}", choice.name, choice.seats[0].subnet)
}

/// Whether a port can be had, and with whom it is shared.
fn port_of(computer: &Computer, choice: &Choice, port: u16, names: bool) -> Result<(Ability, String), Failure> {
    // Asked for beside another, what is refused is told and not an error.
    let wants = Wants { ports: vec![port, SelfTest::PORT], ..Wants::default() };
    let station = Station::open(choice, &wants, None)?;
    let holder = computer
        .holders
        .iter()
        .find_map(|holder| holder.program.as_ref())
        .filter(|_| names && port == ART_NET_PORT);
    let who = holder.map_or_else(|| "another program".to_owned(), ToString::to_string);
    let refused = station.lacks().iter().find_map(|lack| match lack {
        Lack::Port(refused, error) if *refused == port => Some(error),
        _ => None,
    });
    Ok(match refused {
        Some(error) => (
            Ability::Fails,
            format!("{who} here holds it for itself ({error}): end that, or ask as administrator"),
        ),
        None if station.is_held(port) => (
            Ability::Limited,
            format!("{who} here holds it too: what is sent to this computer alone reaches one of the two"),
        ),
        None => (Ability::Works, String::new()),
    })
}

/// Says something through a station of its own, and listens. Gives what came back, and what was refused.
fn voice(choice: &Choice, wants: &Wants, own_mac: Option<MacAddress>) -> Result<(OwnVoice, String), Failure> {
    let station = Station::open(choice, wants, own_mac)?;
    let is_refused = |lack: &Lack| matches!(lack, Lack::Port(port, _) if *port == SelfTest::PORT);
    let has_port = wants.ports.contains(&SelfTest::PORT) && !station.lacks().iter().any(is_refused);
    let number = clock::now().as_microsecond().unsigned_abs() ^ u64::from(std::process::id());
    let mut test = SelfTest::new(choice.seats[0], own_mac, station.means(), has_port, number);
    net::run(&mut test, &station, |_, _, _| std::ops::ControlFlow::Continue(()))?;
    let refused = station.lacks().first().map(|lack| match lack {
        Lack::Frames(error) | Lack::Echo(error) | Lack::Port(_, error) => error.to_string(),
    });
    Ok((test.heard(), refused.unwrap_or_else(|| "not tried".to_owned())))
}

fn table(tried: &[Try]) -> Table {
    let mut table = Table::new(&["try", "on", "result", "what that means"]).unbroken(&["try", "on", "result"]);
    for one in tried {
        let (word, tone) = match one.result {
            Ability::Works => ("works", Tone::Good),
            Ability::Limited => ("limited", Tone::Doubtful),
            Ability::Fails => ("fails", Tone::Bad),
        };
        let on = one.adapter.clone().unwrap_or_else(|| "this computer".to_owned());
        table.row(vec![one.what.into(), on.into(), Cell::new(word, tone), one.means.clone().into()]);
    }
    table
}
