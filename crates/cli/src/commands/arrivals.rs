//! `arrivals`: who comes next.

use std::collections::{HashMap, HashSet};
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::MacAddress;
use lantern_core::census::{Device, Way};
use lantern_core::conversation::{
    Conversation, Extent, Glimpse, Heard, Outgoing, Survey, SurveyEvent, SurveyPlan,
};
use serde::Serialize;

use super::survey::{self, time};
use crate::commands::survey::wants;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::{Out, Tone};
use crate::session::{Session, Where};

/// How long it is looked who is there already: every answer is due by then.
const BASELINE: Duration = Duration::from_millis(3000);

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
    let facts = session.adapter_facts();
    let plan = SurveyPlan {
        own_mac: facts.and_then(|adapter| adapter.mac),
        gateways: facts.map(|adapter| adapter.gateways.clone()).unwrap_or_default(),
        means: session.station().means(),
        ways: lantern_core::census::Ways::ALL,
        extent: Extent::Endless,
        ranges: SurveyPlan::usual_ranges(session.seats()),
        ..SurveyPlan::art_net(session.seats().to_vec(), None, false)
    };
    let mut waiting = Waiting { survey: Survey::new(plan), until: args.until, timeout: args.timeout, came: 0 };
    let mut book = Book::default();
    let mut failed = Ok(());
    out.note("looking who is there already; switch the next one on in three seconds")?;
    let progress = out.progress();
    session.run(&mut waiting, |waiting, now, event| {
        let told = match event {
            Some(arrival) => progress.suspend(|| book.tell(&arrival, &waiting.survey, out)),
            None => {
                progress.show(waiting.state(now));
                progress.suspend(|| book.more(&waiting.survey, now, out))
            }
        };
        failed = std::mem::replace(&mut failed, Ok(())).and(told);
    })?;
    drop(progress);
    failed?;
    let came = waiting.came;
    out.note(&format!("{came} came"))?;
    Ok(if args.until.is_some_and(|wanted| came < wanted) { Exit::Wrong } else { Exit::Fine })
}

/// A survey without an end, whose news are arrivals.
struct Waiting {
    survey: Survey,
    until: Option<u32>,
    timeout: Option<Duration>,
    came: u32,
}

/// Somebody came.
struct Arrival {
    number: u32,
    glimpse: Glimpse,
}

impl Waiting {
    fn is_over(&self) -> bool {
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
        if self.is_over() {
            return None;
        }
        self.survey.wake_at().map(|at| self.timeout.map_or(at, |timeout| timeout.min(at)))
    }

    fn wake(&mut self, now: Duration) {
        if self.timeout.is_some_and(|timeout| timeout <= now) {
            self.until = Some(self.came);
        }
        self.survey.wake(now);
    }

    fn next_event(&mut self) -> Option<Arrival> {
        while let Some(event) = self.survey.next_event() {
            if let SurveyEvent::Seen(glimpse) = event
                && glimpse.at >= BASELINE
                && !self.is_over()
            {
                self.came += 1;
                return Some(Arrival { number: self.came, glimpse });
            }
        }
        None
    }
}

/// Who came, and whose name is still to be told.
#[derive(Default)]
struct Book {
    nameless: HashMap<(Option<MacAddress>, Ipv4Addr), u32>,
    told: HashSet<u32>,
}

impl Book {
    fn tell(&mut self, arrival: &Arrival, survey: &Survey, out: &mut Out) -> Result<(), Failure> {
        let Arrival { number, glimpse } = arrival;
        self.nameless.insert((glimpse.mac, glimpse.address), *number);
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
        out.line(&format!("{head}  {}", survey::row(glimpse)))?;
        self.more(survey, glimpse.at, out)
    }

    /// Tells what somebody is, once that is known.
    fn more(&mut self, survey: &Survey, now: Duration, out: &mut Out) -> Result<(), Failure> {
        if self.nameless.is_empty() {
            return Ok(());
        }
        for device in survey.census().devices(&survey.viewpoint()) {
            let of = |(mac, address): &(Option<MacAddress>, Ipv4Addr)| match (mac, device.mac) {
                (Some(came), Some(mac)) => *came == mac,
                _ => device.address == Some(*address),
            };
            let Some((key, number)) =
                self.nameless.iter().find(|(key, _)| of(key)).map(|(key, number)| (*key, *number))
            else {
                continue;
            };
            if device.what.is_empty() && device.name.is_empty() {
                continue;
            }
            self.nameless.remove(&key);
            if self.told.insert(number) {
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
        out.line(&format!("         is {name}, {}; {}", device.what, device.standing))?;
        if let Some(next) = device.next() {
            out.line(&format!("         do  {next}"))?;
        }
        Ok(())
    }
}
