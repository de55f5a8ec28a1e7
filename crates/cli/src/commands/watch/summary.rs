//! `watch summary`: a recorded night on one page.

use std::path::PathBuf;
use std::time::Duration;

use lantern_core::watch::{Life, Night, in_words};
use serde::Serialize;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::read_text;
use crate::output::{Cell, Out, Table, Tone, counted, millis};

/// So many devices are shown, those that fared worst; all of them with --all.
const MOST_SHOWN: usize = 20;

#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// What `watch --record` has kept
    #[arg(value_name = "FILE")]
    file: PathBuf,

    /// Show every device, not only those that fared worst
    #[arg(long)]
    all: bool,
}

#[derive(Debug, Serialize)]
struct Answer<'a> {
    format: u32,
    began: String,
    length_ms: u128,
    ended: bool,
    torn_lines: usize,
    happened: usize,
    devices: Vec<Fared<'a>>,
}

#[derive(Debug, Serialize)]
struct Fared<'a> {
    name: &'a str,
    address: std::net::Ipv4Addr,
    mac: Option<String>,
    asked: u64,
    answered: u64,
    lost_per_mille: u64,
    silences: u32,
    restarts: u32,
    longest_us: Option<u128>,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let text = read_text(&args.file)?;
    let night = Night::read(&text).map_err(|error| Failure::Watched { path: args.file.clone(), error })?;
    let silent = night.lives.iter().filter(|life| life.silences > 0).count();
    let exit = if silent > 0 { Exit::Wrong } else { Exit::Fine };
    if out.is_json() {
        out.object(&answer(&night))?;
        return Ok(exit);
    }
    let end = if night.ended { "" } else { ", and broke off" };
    let began = night.began.raw().parse::<jiff::Timestamp>().map_or_else(
        |_| night.began.to_string(),
        |at| at.to_zoned(jiff::tz::TimeZone::system()).strftime("%Y-%m-%d %H:%M:%S").to_string(),
    );
    out.line(&format!(
        "watched from {began} for {}{end}: {}, {}, {} silent at some time",
        in_words(night.length),
        counted(night.lives.len(), "device"),
        counted(night.happened, "happening"),
        silent,
    ))?;
    let shown = if args.all { usize::MAX } else { MOST_SHOWN };
    let mut table = Table::new(&["device", "address", "lost", "silent", "restarts", "longest answer"])
        .unbroken(&["address", "lost", "silent", "restarts"]);
    for life in night.lives.iter().take(shown) {
        table.row(row(life));
    }
    out.text("\n")?;
    out.table(&table)?;
    if night.lives.len() > shown {
        out.line(&format!("… and {} more, which fared no worse; --all shows them", night.lives.len() - shown))?;
    }
    if !night.events.is_empty() {
        out.line("\nWhat happened:")?;
        for (at, who, what) in &night.events {
            out.line(&format!("  {:>9}  {who}  {what}", clock(*at)))?;
        }
        if night.happened > night.events.len() {
            out.line(&format!("  … and {} more", night.happened - night.events.len()))?;
        }
    }
    if night.torn > 0 {
        out.note(&format!("{} could not be read and were left out", counted(night.torn, "line")))?;
    }
    Ok(exit)
}

fn row(life: &Life) -> Vec<Cell> {
    let lost = life.lost_per_mille();
    let tone = |bad: bool, doubtful: bool| match (bad, doubtful) {
        (true, _) => Tone::Bad,
        (_, true) => Tone::Doubtful,
        _ => Tone::Plain,
    };
    let times = |count: u32| if count == 0 { "-".to_owned() } else { format!("{count} ×") };
    vec![
        Cell::new(life.name.to_string(), Tone::Strong),
        life.address.to_string().into(),
        Cell::new(
            if life.asked == 0 { "not asked".to_owned() } else { format!("{}.{} %", lost / 10, lost % 10) },
            tone(lost >= 100, lost >= 10),
        ),
        Cell::new(times(life.silences), tone(life.silences > 0, false)),
        Cell::new(times(life.restarts), tone(false, life.restarts > 0)),
        life.longest.map(millis).unwrap_or_default().into(),
    ]
}

/// `0:12:41` after the beginning.
fn clock(at: Duration) -> String {
    let seconds = at.as_secs();
    format!("{}:{:02}:{:02}", seconds / 3600, seconds / 60 % 60, seconds % 60)
}

fn answer(night: &Night) -> Answer<'_> {
    fn fared(life: &Life) -> Fared<'_> {
        Fared {
            name: life.name.raw(),
            address: life.address,
            mac: life.mac.map(|mac| mac.to_string()),
            asked: life.asked,
            answered: life.answered,
            lost_per_mille: life.lost_per_mille(),
            silences: life.silences,
            restarts: life.restarts,
            longest_us: life.longest.map(|time| time.as_micros()),
        }
    }
    Answer {
        format: 1,
        began: night.began.to_string(),
        length_ms: night.length.as_millis(),
        ended: night.ended,
        torn_lines: night.torn,
        happened: night.happened,
        devices: night.lives.iter().map(fared).collect(),
    }
}
