//! `arrivals`: who comes next.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::census::{Device, Way};
use lantern_core::conversation::{Arrival, ArrivalKind, Arrivals, Glimpse};
use serde::Serialize;

use super::survey::{row, time, wants};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::{Out, Tone};
use crate::session::{Session, Where};

/// Wait for the next new device, and show it the moment it is heard
///
/// First looks who is there already, for three seconds. Then every device that comes is shown as soon as its first
/// packet is heard, in any way, and what it is as soon as it tells that: for bringing up identical units one by one. One
/// that was here, was switched off and comes again is told as well.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    #[command(flatten)]
    at: Where,

    /// End after so many have come, or come back
    #[arg(long, value_name = "NUMBER", value_parser = clap::value_parser!(u32).range(1..))]
    until: Option<u32>,

    /// End after so long, as 30s or 10m
    #[arg(long, value_name = "TIME", value_parser = time)]
    timeout: Option<Duration>,
}

/// One line of `--json`.
#[derive(Debug, Serialize)]
struct Line {
    format: u32,
    event: &'static str,
    number: u32,
    at_ms: u128,
    mac: Option<String>,
    address: Option<Ipv4Addr>,
    way: Way,
    name: String,
    what: String,
    /// How long it was away before it came back.
    away_ms: Option<u128>,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let sheet = args.at.sheet(out)?;
    let session = Session::wanting(&wants(&[]), args.at.adapter.as_deref(), sheet, out)?;
    let mut arrivals = Arrivals::new(session.survey_plan(), args.until, args.timeout);
    out.note("looking who is there already; switch the next one on in three seconds")?;
    let progress = out.progress();
    let (_, broken) = session.run_as_far_as_possible(&mut arrivals, |arrivals, now, event| match event {
        Some(arrival) => progress.suspend(|| tell(&arrival, now, out)),
        None => {
            progress.show(state(arrivals, now));
            Ok(())
        }
    })?;
    drop(progress);
    let came = arrivals.came();
    out.note(&format!("{came} came"))?;
    if let Some(broken) = broken {
        return Err(broken);
    }
    Ok(if args.until.is_some_and(|wanted| came < wanted) { Exit::Wrong } else { Exit::Fine })
}

fn state(arrivals: &Arrivals, now: Duration) -> String {
    let seen = arrivals.seen(now);
    if arrivals.is_looking(now) {
        return format!("{seen} devices are here already");
    }
    let left = arrivals.left(now).map(|left| format!(", {:.0} s left", left.as_secs_f32())).unwrap_or_default();
    format!("waiting for the next one; {seen} devices are known, {} came{left}", arrivals.came())
}

fn tell(arrival: &Arrival, now: Duration, out: &mut Out) -> Result<(), Failure> {
    let number = arrival.number;
    if out.is_json() {
        return Ok(out.json_line(&line(arrival, now))?);
    }
    match &arrival.kind {
        ArrivalKind::Came(glimpse) => {
            let head = out.paint().dye(Tone::Good, &format!("{number:>3} came"));
            out.line(&format!("{head}  {}", row(glimpse)))?;
        }
        ArrivalKind::Heard(glimpse) => {
            let head = out.paint().dye(Tone::Faint, "    heard");
            out.line(&format!(
                "{head} {}; it tells of itself seldom, and may have been here before",
                row(glimpse)
            ))?;
        }
        ArrivalKind::Back(glimpse, away) => {
            let head = out.paint().dye(Tone::Good, &format!("{number:>3} back"));
            out.line(&format!("{head}  {}; it was away for {:.0} s", row(glimpse), away.as_secs_f32()))?;
        }
        ArrivalKind::Known(device) => {
            let name = out.paint().dye(Tone::Strong, &device.title());
            let what = if device.what.is_empty() { "unknown".to_owned() } else { device.what.to_string() };
            out.line(&format!("         is {name}, {what}; {}", device.standing))?;
            if let Some(next) = device.next() {
                out.line(&format!("         do  {next}"))?;
            }
        }
    }
    Ok(())
}

fn line(arrival: &Arrival, now: Duration) -> Line {
    let heard = |event, glimpse: &Glimpse, away: Option<Duration>| Line {
        format: 1,
        event,
        number: arrival.number,
        at_ms: glimpse.at.as_millis(),
        mac: glimpse.mac.map(|mac| mac.to_string()),
        address: (!glimpse.address.is_unspecified()).then_some(glimpse.address),
        way: glimpse.way,
        name: glimpse.name.to_string(),
        what: String::new(),
        away_ms: away.map(|away| away.as_millis()),
    };
    let known = |device: &Device| Line {
        format: 1,
        event: "known",
        number: arrival.number,
        at_ms: now.as_millis(),
        mac: device.mac.map(|mac| mac.to_string()),
        address: device.address,
        way: device.seen_by.first().map_or(Way::Traffic, |seen| seen.way),
        name: device.name.to_string(),
        what: device.what.to_string(),
        away_ms: None,
    };
    match &arrival.kind {
        ArrivalKind::Came(glimpse) => heard("came", glimpse, None),
        ArrivalKind::Heard(glimpse) => heard("heard", glimpse, None),
        ArrivalKind::Back(glimpse, away) => heard("back", glimpse, Some(*away)),
        ArrivalKind::Known(device) => known(device),
    }
}
