//! `say`: a line of text to one device, or a session of them.

use std::io::{self, BufReader};
use std::net::SocketAddrV4;
use std::time::Duration;

use lantern_core::conversation::{SayEvent, SayLine, SayPlan, SayResult, Saying};
use lantern_core::logbook::{LineSaid, Order, SaidResult};
use lantern_core::pattern::Pattern;
use lantern_core::sheet::kind::{CarriedBy, LineBreak, Speech, not_sayable};
use lantern_core::sheet::{RigSheet, Spoken, Words};
use serde::Serialize;

use super::changes::word;
use super::named;
use super::spoken::{DOTS, SaidBook, refuse, time_of_day, told};
use super::survey::wants;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::{Out, Tone};
use crate::session::{Session, Where};

/// The most lines that are kept for the answer of a program.
const MOST_KEPT: usize = 10_000;

/// Say lines of text to a device, and see what it answers
///
/// With a line, that is said and its answer shown; without, what you type is said line by line until you end it (Ctrl-D). What comes
/// unasked is told apart. Never to a device that is locked on the sheet. Every line is in the logbook before it is said, but for one
/// that answers a question for a password.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The device: its name, address or MAC address
    #[arg(value_name = "NODE")]
    node: String,

    /// The line
    #[arg(value_name = "LINE", conflicts_with = "line")]
    text: Option<String>,

    /// A line that its kind has under this name
    #[arg(long, value_name = "NAME")]
    line: Option<String>,

    /// The argument of that line
    #[arg(long, value_name = "TEXT", requires = "line")]
    with: Option<String>,

    /// What a right answer looks like, * for any text; where another comes, it ends with 1
    #[arg(long, value_name = "PATTERN")]
    right: Option<Pattern>,

    /// The port; without it, that of its kind
    #[arg(long, value_name = "PORT", value_parser = clap::value_parser!(u16).range(1..))]
    port: Option<u16>,

    /// By what lines are carried; without it, as its kind says, else tcp
    #[arg(long, value_name = "WORD", value_parser = word(&CarriedBy::WORDS))]
    by: Option<String>,

    /// What ends a line; without it, as its kind says, else crlf
    #[arg(long, value_name = "WORD", value_parser = word(&LineBreak::WORDS))]
    end: Option<String>,

    /// How many seconds an answer is waited for
    #[arg(long, value_name = "SECONDS", default_value_t = 2, value_parser = clap::value_parser!(u16).range(1..=600))]
    wait: u16,

    #[command(flatten)]
    at: Where,
}

#[derive(Debug, Serialize)]
struct Answer {
    format: u32,
    node: String,
    to: SocketAddrV4,
    lines: Vec<Line>,
    results: Vec<ResultLine>,
}

/// A line, whoever said it.
#[derive(Debug, Serialize)]
struct Line {
    at_ms: u128,
    /// `said`, `answer` or `unasked`.
    way: &'static str,
    text: String,
}

#[derive(Debug, Serialize)]
struct ResultLine {
    result: SaidResult,
    answer: Option<String>,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let sheet = args.at.sheet(out)?;
    let spoken = args.spoken(sheet.as_ref().map(|file| &file.sheet))?;
    let mut wants = wants(&[]);
    let speech = spoken.speech;
    if speech.by == CarriedBy::Udp {
        wants.ports.push(speech.port);
    }
    let sheet_name = sheet.as_ref().map(|file| file.path.display().to_string());
    let session = Session::wanting(&wants, args.at.adapter.as_deref(), sheet, out)?;
    let named = named::addresses(std::slice::from_ref(&args.node), &session, out)?;
    let Some((name, address)) = named.into_iter().next() else { return Ok(Exit::Call) };
    refuse(&name, address, &session, out)?;
    let to = SocketAddrV4::new(address, speech.port);
    let stays = spoken.say.is_empty();
    let right = args.right.clone().or(spoken.right);
    let lines = if stays { Vec::new() } else { vec![SayLine { text: spoken.say, right }] };
    let wait = Duration::from_secs(args.wait.into());
    let plan = SayPlan { to, by: speech.by, ends: speech.ends, wait, lines, stays, number: 0 };
    let mut saying = Saying::new(plan, session.vantage());
    out.note(&format!("to {name} at {to} by {}", speech.by))?;
    let mut book = SaidBook::begin(&session.logbook_path(), Order::Say, sheet_name, [name.as_str()])?;
    let (mut last, mut kept) = (None::<LineSaid>, Vec::new());
    let watch = |_: &Saying, now: Duration, event: Option<SayEvent>| {
        let Some(event) = event else { return Ok(()) };
        book.hear((&name, to), &event, &mut last)?;
        show(&event, now, out, &mut kept)
    };
    let ended = if stays {
        session.run_typed(&mut saying, BufReader::new(io::stdin()), watch)
    } else {
        session.run(&mut saying, watch).map(drop)
    };
    book.end(ended.is_err())?;
    ended?;
    if out.is_json() {
        let results = saying.results().iter().map(ResultLine::of).collect();
        out.object(&Answer { format: 1, node: name, to, lines: kept, results })?;
    }
    Ok(exit(saying.results(), stays))
}

/// Shows what is said, or keeps it for a program.
fn show(event: &SayEvent, now: Duration, out: &mut Out, kept: &mut Vec<Line>) -> Result<(), Failure> {
    let (way, text, tone) = match event {
        SayEvent::Said { is_secret: true, .. } => ("said", DOTS.to_owned(), Tone::Strong),
        SayEvent::Said { line, .. } => ("said", line.clone(), Tone::Strong),
        SayEvent::Heard { line, is_answer: true } => ("answer", line.to_string(), Tone::Good),
        SayEvent::Heard { line, .. } => ("unasked", line.to_string(), Tone::Doubtful),
        SayEvent::Ended(SayResult::Answered(_)) | SayEvent::Opened => return Ok(()),
        SayEvent::Ended(result) => {
            return Ok(out.note(&told(result).0)?);
        }
        SayEvent::Closed(end) => return Ok(out.note(&format!("the connection is over: {end}"))?),
    };
    if out.is_json() {
        if kept.len() < MOST_KEPT {
            kept.push(Line { at_ms: now.as_millis(), way, text });
        }
        return Ok(());
    }
    let way = out.paint().dye(tone, &format!("{way:<7}"));
    Ok(out.line(&format!("{}  {way}  {text}", time_of_day()))?)
}

/// A line that was not answered as it should is wrong; one that could not be said is not done.
fn exit(results: &[SayResult], stays: bool) -> Exit {
    let is_lost = |result: &SayResult| matches!(result, SayResult::Lost(_));
    if results.iter().any(is_lost) {
        Exit::Unfinished
    } else if !stays && results.iter().any(SayResult::is_failure) {
        Exit::Wrong
    } else {
        Exit::Fine
    }
}

impl ResultLine {
    fn of(result: &SayResult) -> Self {
        Self { result: result.into(), answer: result.answer().map(ToString::to_string) }
    }
}

impl Args {
    /// What is said and how, by the options, and where they say nothing by its kind. Nothing is said where a person will type.
    fn spoken(&self, sheet: Option<&RigSheet>) -> Result<Spoken, Failure> {
        let node = sheet.and_then(|sheet| named::planned(sheet, &self.node));
        let speech = node.and_then(|node| sheet?.kind_of(node)?.speech);
        let port = self.port.or_else(|| speech.map(|speech| speech.port)).ok_or_else(|| {
            Failure::Call(format!(
                "at which port does {} take lines? Add --port, or line_port to its kind",
                self.node
            ))
        })?;
        let (mut say, mut right) = (self.text.clone().unwrap_or_default(), None);
        if let Some(line) = &self.line {
            let (Some(sheet), Some(node)) = (sheet, node) else {
                return Err(Failure::Call(format!(
                    "{} is on no sheet, so there is no kind that has the line",
                    self.node
                )));
            };
            let spoken =
                sheet.spoken(node, &Words::Line(line.clone(), self.with.clone())).map_err(Failure::Call)?;
            (say, right) = (spoken.say, spoken.right);
        }
        if let (Some(why), true) = (not_sayable(&say), self.text.is_some() || self.line.is_some()) {
            return Err(Failure::Call(format!("that cannot be said: {why}")));
        }
        let meant = |word: &Option<String>| word.clone().unwrap_or_default();
        let by = CarriedBy::WORDS.iter().find(|(word, _)| *word == meant(&self.by)).map(|(_, by)| *by);
        let ends = LineBreak::WORDS.iter().find(|(word, _)| *word == meant(&self.end)).map(|(_, ends)| *ends);
        let by = by.or_else(|| speech.map(|speech| speech.by)).unwrap_or_default();
        let ends = ends.or_else(|| speech.map(|speech| speech.ends)).unwrap_or_default();
        Ok(Spoken { say, right, speech: Speech { port, by, ends } })
    }
}
