//! A watch as lines: first who is there, then a line for each thing that happens.

use std::net::Ipv4Addr;
use std::time::Duration;

use jiff::tz::TimeZone;
use lantern_core::conversation::Watch;
use lantern_core::watch::{Curve, Happening, Watched};
use serde::Serialize;

use super::Eye;
use crate::clock;
use crate::failure::Failure;
use crate::output::{Out, Tone, counted};

/// The lines, and whether it was told who is there.
#[derive(Default)]
pub(super) struct Lines {
    told: bool,
    began: Option<jiff::Timestamp>,
    waiting: Vec<Happening>,
}

/// One line of `--json`.
#[derive(Debug, Serialize)]
#[serde(tag = "event", rename_all = "kebab-case")]
enum Line<'a> {
    /// A device, when it was looked who is there, and at the end.
    Device {
        format: u32,
        at_ms: u128,
        name: String,
        mac: Option<String>,
        address: Option<Ipv4Addr>,
        state: String,
        since_ms: u128,
        asked: u64,
        answered: u64,
        last_answer_us: Option<u128>,
        silences: u32,
        restarts: u32,
    },
    /// Something happened.
    Happened { format: u32, at_ms: u128, time: String, who: &'a str, what: &'static str, text: String },
}

/// The version of the format.
const FORMAT: u32 = 1;

impl Lines {
    fn began(&mut self, now: Duration) -> jiff::Timestamp {
        let now = jiff::SignedDuration::try_from(now).unwrap_or_default();
        *self.began.get_or_insert_with(|| clock::now().checked_sub(now).unwrap_or_default())
    }

    fn tell(&mut self, happening: &Happening, out: &mut Out) -> Result<(), Failure> {
        let at = at(self.began(happening.at), happening.at);
        if out.is_json() {
            let line = Line::Happened {
                format: FORMAT,
                at_ms: happening.at.as_millis(),
                time: at.to_string(),
                who: &happening.who,
                what: happening.news.word(),
                text: happening.news.to_string(),
            };
            return Ok(out.json_line(&line)?);
        }
        let time = at.to_zoned(TimeZone::system()).strftime("%H:%M:%S").to_string();
        let tone = tone(happening);
        let text = out.paint().dye(tone, &happening.news.to_string());
        out.line(&format!("{time}  {}  {text}", lantern_core::Said::from(happening.who.as_str())))?;
        Ok(out.flush()?)
    }

    fn tell_who_is_there(&mut self, watch: &Watch, now: Duration, out: &mut Out) -> Result<(), Failure> {
        if self.told || watch.is_looking(now) {
            return Ok(());
        }
        self.told = true;
        self.began(now);
        if out.is_json() {
            watch.board().watched().try_for_each(|one| Ok::<(), Failure>(out.json_line(&device(one, now))?))?;
        } else {
            out.line(&counts(watch))?;
            let bad = watch.board().watched().filter(|one| one.state.is_bad());
            for one in bad {
                let state = out.paint().dye(Tone::Bad, &one.state.to_string());
                out.line(&format!("          {}  {state}", lantern_core::Said::from(one.title())))?;
            }
            out.flush()?;
        }
        let waiting = std::mem::take(&mut self.waiting);
        waiting.iter().try_for_each(|happening| self.tell(happening, out))
    }
}

impl Eye for Lines {
    fn happened(&mut self, _: &Watch, happening: &Happening, out: &mut Out) -> Result<(), Failure> {
        if self.told {
            return self.tell(happening, out);
        }
        self.waiting.push(happening.clone());
        Ok(())
    }

    fn look(&mut self, watch: &Watch, now: Duration, _: u64, out: &mut Out) -> Result<bool, Failure> {
        self.tell_who_is_there(watch, now, out)?;
        Ok(true)
    }

    fn end(&mut self, watch: &Watch, now: Duration, out: &mut Out) -> Result<(), Failure> {
        let is_told = std::mem::replace(&mut self.told, true);
        if out.is_json() {
            return watch.board().watched().try_for_each(|one| Ok(out.json_line(&device(one, now))?));
        }
        if is_told {
            out.line(&counts(watch))?;
        }
        let happened = usize::try_from(watch.board().happened()).unwrap_or(usize::MAX);
        out.note(&format!(
            "watched for {:.0} s; {}; {} to single devices",
            now.as_secs_f32(),
            counted(happened, "happening"),
            counted(usize::try_from(watch.asked()).unwrap_or(usize::MAX), "question")
        ))?;
        Ok(())
    }
}

/// The moment so long after the beginning.
pub(super) fn at(began: jiff::Timestamp, after: Duration) -> jiff::Timestamp {
    let after = jiff::SignedDuration::try_from(after).unwrap_or_default();
    began.checked_add(after).unwrap_or(began)
}

/// How bad a happening is.
pub(super) fn tone(happening: &Happening) -> Tone {
    match (happening.news.is_bad(), happening.news.is_good()) {
        (true, _) => Tone::Bad,
        (_, true) => Tone::Good,
        _ => Tone::Plain,
    }
}

/// How many devices are in which state, in a sentence.
pub(super) fn counts(watch: &Watch) -> String {
    let mut states = std::collections::BTreeMap::<_, usize>::new();
    watch.board().watched().for_each(|one| *states.entry(one.state).or_default() += 1);
    let all: usize = states.values().sum();
    let parts: Vec<String> = states.iter().map(|(state, count)| format!("{count} {state}")).collect();
    let sources = watch.board().traffic().flows().filter(|flow| flow.is_live).count();
    let sent = if sources == 0 { String::new() } else { format!("; {} sent", counted(sources, "universe")) };
    format!("{}: {}{sent}", counted(all, "device"), parts.join(", "))
}

fn device(one: &Watched, now: Duration) -> Line<'static> {
    let curve: &Curve = one.curve();
    Line::Device {
        format: FORMAT,
        at_ms: now.as_millis(),
        name: one.title(),
        mac: one.mac.map(|mac| mac.to_string()),
        address: (!one.address.is_unspecified()).then_some(one.address),
        state: one.state.to_string(),
        since_ms: one.since.as_millis(),
        asked: curve.asked(),
        answered: curve.answered(),
        last_answer_us: curve.last().map(|time| time.as_micros()),
        silences: one.silences,
        restarts: one.restarts,
    }
}
