//! `arrivals`: who comes next.

use std::collections::HashMap;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::MacAddress;
use lantern_core::census::{Device, Standing, Way};
use lantern_core::conversation::{
    Conversation, Extent, Glimpse, Heard, Outgoing, Survey, SurveyEvent, SurveyPlan,
};
use serde::Serialize;

use super::survey::{row, time, wants};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::{Out, Tone};
use crate::session::{Session, Where};

/// How long it is looked who is there already: every answer is due by then.
const BASELINE: Duration = Duration::from_millis(3000);

/// What somebody is, is told when nothing of it is open any more, or after so long at the latest.
const GETTING_KNOWN: Duration = Duration::from_millis(1300);

/// Wait for the next new device, and show it the moment it is heard
///
/// First looks who is there already, for three seconds. Then every device that comes is shown as soon as its first
/// packet is heard, in any way, and what it is as soon as it tells that: for bringing up identical units one by one.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    #[command(flatten)]
    at: Where,

    /// End after so many have come
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
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let sheet = args.at.sheet(out)?;
    let session = Session::wanting(&wants(&[]), args.at.adapter.as_deref(), sheet, out)?;
    let plan = SurveyPlan { extent: Extent::Endless, ..session.survey_plan() };
    let mut waiting = Waiting {
        survey: Survey::new(plan),
        until: args.until,
        timeout: args.timeout,
        came: 0,
        last: Duration::ZERO,
        over: false,
    };
    let mut book = Book::default();
    out.note("looking who is there already; switch the next one on in three seconds")?;
    let progress = out.progress();
    let (_, broken) = session.run_as_far_as_possible(&mut waiting, |waiting, now, event| match event {
        Some(arrival) => progress.suspend(|| book.tell(&arrival, out)),
        None => {
            progress.show(waiting.state(now));
            progress.suspend(|| book.more(&waiting.survey, now, out))
        }
    })?;
    drop(progress);
    book.more(&waiting.survey, Duration::MAX, out)?;
    let came = waiting.came;
    out.note(&format!("{came} came"))?;
    if let Some(broken) = broken {
        return Err(broken);
    }
    Ok(if args.until.is_some_and(|wanted| came < wanted) { Exit::Wrong } else { Exit::Fine })
}

/// A survey without an end, whose news are arrivals.
struct Waiting {
    survey: Survey,
    until: Option<u32>,
    timeout: Option<Duration>,
    came: u32,
    /// When the last one came.
    last: Duration,
    over: bool,
}

/// Somebody came.
struct Arrival {
    number: u32,
    glimpse: Glimpse,
}

impl Waiting {
    fn has_all(&self) -> bool {
        self.until.is_some_and(|wanted| self.came >= wanted)
    }

    fn state(&self, now: Duration) -> String {
        let seen = self.survey.progress(now).seen;
        if now < BASELINE {
            return format!("{seen} devices are here already");
        }
        let left = self
            .timeout
            .map(|time| format!(", {:.0} s left", time.saturating_sub(now).as_secs_f32()))
            .unwrap_or_default();
        format!("waiting for the next one; {seen} devices are known, {} came{left}", self.came)
    }
}

impl Conversation for Waiting {
    type Event = Arrival;

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        self.survey.hear(now, heard);
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.survey.next_send()
    }

    fn wake_at(&self) -> Option<Duration> {
        if self.over {
            return None;
        }
        let ends = self.has_all().then(|| self.last + GETTING_KNOWN);
        self.survey.wake_at().into_iter().chain(self.timeout).chain(ends).min()
    }

    fn wake(&mut self, now: Duration) {
        let has_told = self.has_all() && self.last + GETTING_KNOWN <= now;
        self.over = has_told || self.timeout.is_some_and(|timeout| timeout <= now);
        self.survey.wake(now);
    }

    fn next_event(&mut self) -> Option<Arrival> {
        while let Some(event) = self.survey.next_event() {
            if let SurveyEvent::Seen(glimpse) = event
                && glimpse.at >= BASELINE.max(rhythm(glimpse.way))
                && !self.has_all()
            {
                self.came += 1;
                self.last = glimpse.at;
                return Some(Arrival { number: self.came, glimpse });
            }
        }
        None
    }
}

/// How often somebody seen in this way tells of itself at the least: who is first heard within that time may have been here
/// all along (IEEE 802.1AB, RFC 3376).
fn rhythm(way: Way) -> Duration {
    match way {
        Way::Lldp => Duration::from_secs(30),
        Way::Igmp => Duration::from_secs(125),
        _ => BASELINE,
    }
}

/// Who came, and whose name is still to be told.
#[derive(Default)]
struct Book {
    unknown: HashMap<(Option<MacAddress>, Ipv4Addr), (u32, Duration)>,
}

impl Book {
    fn tell(&mut self, arrival: &Arrival, out: &mut Out) -> Result<(), Failure> {
        let Arrival { number, glimpse } = arrival;
        self.unknown.insert((glimpse.mac, glimpse.address), (*number, glimpse.at));
        if out.is_json() {
            return Ok(out.json_line(&Line {
                format: 1,
                event: "came",
                number: *number,
                at_ms: glimpse.at.as_millis(),
                mac: glimpse.mac.map(|mac| mac.to_string()),
                address: (!glimpse.address.is_unspecified()).then_some(glimpse.address),
                way: glimpse.way,
                name: glimpse.name.to_string(),
                what: String::new(),
            })?);
        }
        let head = out.paint().dye(Tone::Good, &format!("{number:>3} came"));
        Ok(out.line(&format!("{head}  {}", row(glimpse)))?)
    }

    /// Tells what somebody is, once nothing of it is open any more.
    fn more(&mut self, survey: &Survey, now: Duration, out: &mut Out) -> Result<(), Failure> {
        if self.unknown.is_empty() {
            return Ok(());
        }
        for device in survey.census().devices(&survey.viewpoint()) {
            let is = |(mac, address): &(Option<MacAddress>, Ipv4Addr)| match (mac, device.mac) {
                (Some(came), Some(mac)) => *came == mac,
                _ => device.address == Some(*address),
            };
            let found = self.unknown.iter().find(|(key, _)| is(key)).map(|(key, came)| (*key, *came));
            let Some((key, (number, came_at))) = found else { continue };
            let stands = matches!(device.standing, Standing::Answers | Standing::OtherSubnet);
            let is_known = stands && !device.what.is_empty() && !device.name.is_empty();
            if is_known || now >= came_at + GETTING_KNOWN {
                self.unknown.remove(&key);
                Self::tell_more(number, &device, now, out)?;
            }
        }
        Ok(())
    }

    fn tell_more(number: u32, device: &Device, now: Duration, out: &mut Out) -> Result<(), Failure> {
        if out.is_json() {
            let way = device.seen_by.first().map_or(Way::Traffic, |seen| seen.way);
            return Ok(out.json_line(&Line {
                format: 1,
                event: "known",
                number,
                at_ms: now.as_millis(),
                mac: device.mac.map(|mac| mac.to_string()),
                address: device.address,
                way,
                name: device.name.to_string(),
                what: device.what.to_string(),
            })?);
        }
        let name = out.paint().dye(Tone::Strong, &device.title());
        let what = if device.what.is_empty() { "unknown".to_owned() } else { device.what.to_string() };
        out.line(&format!("         is {name}, {what}; {}", device.standing))?;
        if let Some(next) = device.next() {
            out.line(&format!("         do  {next}"))?;
        }
        Ok(())
    }
}
