//! `flow`: whether the packets of streams come, whole and evenly.

use std::collections::BTreeMap;
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_core::conversation::{FlowOf, Flowing};
use lantern_core::flow::Flow;
use lantern_core::pattern::Pattern;
use lantern_core::sheet::{Carried, Member, RigSheet, SheetStream};
use lantern_net::Wants;
use serde::Serialize;

use super::survey::time;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::{Cell, Out, Table, Tone, counted};
use crate::session::{Session, Where};

/// Ticks of the clock of pictures in a second (RFC 4175, section 4.2; SMPTE ST 2110-20).
const OF_PICTURES: u32 = 90_000;
/// Samples of sound in a second, where the sheet does not say (AES67).
const OF_SOUND: u32 = 48_000;

/// Listen to streams: whether their packets come, whole and evenly
///
/// Joins the groups on this computer's adapter, which makes the network send them here, counts the packets of RTP for a while, and leaves
/// the groups again. It ends with 1 where a stream does not come, not whole, or from two senders at once.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// Streams of the sheet by name, as in 'hall-*', or GROUP:PORT; without any, all of the sheet whose group is fixed
    #[arg(value_name = "STREAM|GROUP:PORT")]
    streams: Vec<String>,

    /// How long to listen
    #[arg(long = "for", value_name = "TIME", value_parser = time, default_value = "5s")]
    length: Duration,

    /// How many samples a second a GROUP:PORT has: how evenly it comes is not known without
    #[arg(long, value_name = "NUMBER", value_parser = clap::value_parser!(u32).range(1..=100_000_000))]
    samples: Option<u32>,

    #[command(flatten)]
    at: Where,
}

#[derive(Debug, Serialize)]
struct Answer<'a> {
    format: u32,
    listened_ms: u64,
    streams: Vec<Line<'a>>,
}

#[derive(Debug, Serialize)]
struct Line<'a> {
    name: &'a str,
    group: SocketAddrV4,
    troubles: Vec<String>,
    flows: Vec<Came<'a>>,
    foreign: u64,
}

#[derive(Debug, Serialize)]
struct Came<'a> {
    from: Ipv4Addr,
    source: u32,
    packets: u64,
    bytes: u64,
    lost: u64,
    gaps: u64,
    late: u64,
    doubled: u64,
    restarts: u64,
    payload_types: &'a std::collections::BTreeSet<u8>,
    packets_per_second: f64,
    bits_per_second: f64,
    jitter_us: Option<u64>,
    longest_pause_us: u64,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let sheet = args.at.sheet(out)?;
    let all = meant(args, sheet.as_ref().map(|file| &file.sheet))?;
    let mut ports: Vec<u16> = all.iter().map(|of| of.group.port()).collect();
    ports.sort_unstable();
    ports.dedup();
    let wants = Wants { ports, frames: true, ..Wants::default() };
    let session = Session::wanting(&wants, args.at.adapter.as_deref(), sheet, out)?;
    if !session.vantage().means.frames {
        refuse_mixed(&all)?;
    }
    let groups: Vec<String> = all.iter().map(|of| of.group.to_string()).collect();
    out.note(&format!("listening to {} for {} s", groups.join(", "), args.length.as_secs_f64()))?;
    let mut flowing = Flowing::new(session.vantage(), all, args.length);
    session.run(&mut flowing, |_, _, _| Ok(()))?;
    super::watch::say_lost(&session, out)?;
    let wrong = flowing.all().iter().filter(|of| !of.troubles().is_empty()).count();
    let exit = if wrong > 0 { Exit::Wrong } else { Exit::Fine };
    if out.is_json() {
        let listened_ms = u64::try_from(args.length.as_millis()).unwrap_or(u64::MAX);
        let streams = flowing.all().iter().map(line).collect();
        out.object(&Answer { format: 1, listened_ms, streams })?;
        return Ok(exit);
    }
    out.table(&table(flowing.all()))?;
    out.line("")?;
    let came = flowing.all().len() - wrong;
    out.line(&format!(
        "{came} of {} come whole, as heard by this computer",
        counted(flowing.all().len(), "stream")
    ))?;
    Ok(exit)
}

/// Which streams are meant.
fn meant(args: &Args, sheet: Option<&RigSheet>) -> Result<Vec<FlowOf>, Failure> {
    let mut all = Vec::new();
    let of_sheet: Vec<(&SheetStream, Vec<FlowOf>)> = sheet
        .map_or_else(Vec::new, |sheet| sheet.streams.iter().map(|stream| (stream, legs(stream, sheet))).collect());
    if args.streams.is_empty() {
        all.extend(of_sheet.iter().flat_map(|(_, legs)| legs).cloned());
    }
    for text in &args.streams {
        if let Ok(group) = text.parse::<SocketAddrV4>() {
            if !group.ip().is_multicast() || group.port() == 0 {
                return Err(Failure::Call(format!("{group} is no group: they are 224.0.0.0 to 239.255.255.255")));
            }
            all.push(FlowOf::new(text.clone(), group, args.samples, None));
            continue;
        }
        let pattern: Pattern = text.parse().map_err(|error| Failure::Call(format!("{text}: {error}")))?;
        let before = all.len();
        let named = of_sheet.iter().filter(|(stream, _)| pattern.matches(&stream.name.value));
        all.extend(named.flat_map(|(_, legs)| legs).cloned());
        if all.len() == before {
            let what = "neither GROUP:PORT nor a stream of the sheet whose group is fixed";
            return Err(Failure::Call(format!("{text} is {what}; see: deft-lantern streams")));
        }
    }
    match all.len() {
        0 => Err(Failure::Call("no stream to listen to: name GROUP:PORT, or streams on a sheet".to_owned())),
        many if many > Flowing::MOST => {
            let most = Flowing::MOST;
            Err(Failure::Call(format!(
                "{many} legs of streams are more than the {most} heard at a time: name some"
            )))
        }
        _ => Ok(all),
    }
}

/// Both legs of a stream, where their groups are fixed.
fn legs(stream: &SheetStream, sheet: &RigSheet) -> Vec<FlowOf> {
    let clock = match stream.carries.value {
        Carried::Audio => Some(stream.samples.as_ref().map_or(OF_SOUND, |samples| samples.value)),
        Carried::Video => Some(OF_PICTURES),
        _ => None,
    };
    let sender = sheet.member(stream.from.member.value).and_then(Member::fixed_address);
    let (first, second) = (stream.fixed_group(), stream.fixed_second_group());
    let name = |leg: &str| {
        if second.is_some() { format!("{}, {leg} leg", stream.name.value) } else { stream.name.value.clone() }
    };
    let legs = [(first, "first"), (second, "second")];
    // Who has two legs may send the second from another address.
    let of = |(group, leg): (Option<SocketAddrV4>, &str)| {
        Some(FlowOf::new(name(leg), group?, clock, sender.filter(|_| leg == "first")))
    };
    legs.into_iter().filter_map(of).collect()
}

/// Without frames nobody says to which group of a port something came.
fn refuse_mixed(all: &[FlowOf]) -> Result<(), Failure> {
    let mut by_port: BTreeMap<u16, Vec<&str>> = BTreeMap::new();
    for of in all {
        by_port.entry(of.group.port()).or_default().push(&of.name);
    }
    match by_port.into_iter().find(|(_, names)| names.len() > 1) {
        Some((port, names)) => Err(Failure::Call(format!(
            "without rights for raw frames, groups of one port ({port}) cannot be told apart: name one of {}",
            names.join("; ")
        ))),
        None => Ok(()),
    }
}

fn line(of: &FlowOf) -> Line<'_> {
    Line {
        name: &of.name,
        group: of.group,
        troubles: of.troubles(),
        flows: of.flows.iter().map(came).collect(),
        foreign: of.foreign,
    }
}

fn came(flow: &Flow) -> Came<'_> {
    let (packets_per_second, bits_per_second) = flow.rate();
    let micros = |time: Duration| u64::try_from(time.as_micros()).unwrap_or(u64::MAX);
    Came {
        from: flow.from,
        source: flow.source,
        packets: flow.packets,
        bytes: flow.bytes,
        lost: flow.lost,
        gaps: flow.gaps,
        late: flow.late,
        doubled: flow.doubled,
        restarts: flow.restarts,
        payload_types: &flow.payload_types,
        packets_per_second,
        bits_per_second,
        jitter_us: flow.jitter().map(micros),
        longest_pause_us: micros(flow.longest_pause),
    }
}

fn table(all: &[FlowOf]) -> Table {
    let mut table = Table::new(&[
        "stream",
        "group",
        "from",
        "packets/s",
        "Mbit/s",
        "missing",
        "late",
        "doubled",
        "longest pause",
        "jitter",
        "state",
    ])
    .unbroken(&["group", "from"]);
    for of in all {
        let troubles = of.troubles();
        let state = match &troubles[..] {
            [] => Cell::new("comes whole", Tone::Good),
            some => Cell::new(some.join("\n"), Tone::Bad),
        };
        let mut rows: Vec<Vec<String>> = of.flows.iter().map(cells).collect();
        if rows.is_empty() {
            rows.push(vec![String::new(); 8]);
        }
        // A stream is named once, with its senders below.
        let once = (Cell::new(of.name.clone(), Tone::Strong), Cell::from(of.group.to_string()), state);
        let others = std::iter::repeat_with(|| ("".into(), "".into(), "".into()));
        for ((name, group, state), cells) in std::iter::once(once).chain(others).zip(rows) {
            table.row([name, group].into_iter().chain(cells.into_iter().map(Cell::from)).chain([state]).collect());
        }
    }
    table
}

/// How it comes from one sender.
fn cells(flow: &Flow) -> Vec<String> {
    let time = |time: Duration| format!("{:.2} ms", time.as_secs_f64() * 1000.0);
    let (packets, bits) = flow.rate();
    vec![
        flow.from.to_string(),
        format!("{packets:.0}"),
        format!("{:.2}", bits / 1e6),
        flow.lost.to_string(),
        flow.late.to_string(),
        flow.doubled.to_string(),
        time(flow.longest_pause),
        flow.jitter().map_or_else(|| "not known".to_owned(), time),
    ]
}
