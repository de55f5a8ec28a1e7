//! `run`: a sequence of the sheet, said to several devices by one command.

use std::collections::HashMap;
use std::net::SocketAddrV4;
use std::path::PathBuf;

use lantern_core::conversation::{SayLine, SayPlan, SayResult, Telling, TellingEvent};
use lantern_core::logbook::{LineSaid, Order};
use lantern_core::sheet::kind::CarriedBy;
use lantern_core::sheet::{OnFailure, RigSheet, Sequence};
use serde::Serialize;

use super::named;
use super::spoken::{SaidBook, in_words, refuse};
use super::survey::wants;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::output::{Cell, Out, Table, Tone, counted};
use crate::session::Session;

/// Run a sequence of the rig sheet: lines to several devices by one command
///
/// Shown first, asked about, and each step told with what came of it. Ends with 1 when a step was not answered as it should be.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The sequence, as the sheet calls it
    #[arg(value_name = "NAME")]
    name: String,

    /// The rig sheet; without it, the only *.rig.toml in this folder
    #[arg(value_name = "FILE")]
    sheet: Option<PathBuf>,

    /// Show every step, take none
    #[arg(long, conflicts_with = "yes")]
    dry_run: bool,

    /// Do not ask first
    #[arg(long)]
    yes: bool,

    /// The adapter that leads to the rig: its name, its label or one of its addresses
    #[arg(long, value_name = "NAME|LABEL|ADDRESS")]
    adapter: Option<String>,
}

#[derive(Debug, Serialize)]
struct Answer {
    format: u32,
    sequence: String,
    steps: Vec<StepLine>,
}

#[derive(Debug, Serialize)]
struct StepLine {
    node: String,
    to: SocketAddrV4,
    say: String,
    /// `answered`, `wrong`, `unanswered`, `lost`, or null for one that was not begun.
    result: Option<&'static str>,
    answer: Option<String>,
}

/// A step as it is taken.
struct Step {
    node: String,
    plan: SayPlan,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let file = SheetFile::one(args.sheet.as_deref())?;
    let sequence = sequence_of(&file.sheet, &args.name)?.clone();
    let mut wants = wants(&[]);
    let steps = said(&file.sheet, &sequence)?;
    wants.ports.extend(steps.iter().filter(|(plan, _)| plan.by == CarriedBy::Udp).map(|(plan, _)| plan.to.port()));
    wants.ports.sort_unstable();
    wants.ports.dedup();
    let sheet_name = file.path.display().to_string();
    let session = Session::wanting(&wants, args.adapter.as_deref(), Some(file), out)?;
    let steps = placed(steps, &session, out)?;
    if !out.is_json() {
        show_plan(&sequence, &steps, out)?;
    }
    if args.dry_run || steps.is_empty() {
        return answer(&sequence, &steps, &vec![None; steps.len()], out).map(|()| Exit::Fine);
    }
    if !args.yes {
        match out.confirmed(&format!("Say these {}?", counted(steps.len(), "line")))? {
            Some(true) => {}
            Some(false) => return Ok(Exit::Call),
            None => return Err(Failure::Call("nobody is there to say yes; add --yes".to_owned())),
        }
    }
    let mut nodes: Vec<&str> = Vec::new();
    for step in &steps {
        if !nodes.contains(&step.node.as_str()) {
            nodes.push(&step.node);
        }
    }
    let mut book = SaidBook::begin(&session.logbook_path(), Order::Run, Some(sheet_name), nodes)?;
    let plans = steps.iter().map(|step| step.plan.clone()).collect();
    let stops = sequence.on_failure == OnFailure::Stop;
    let mut telling = Telling::new(plans, session.vantage(), sequence.together, stops);
    let mut last: HashMap<usize, Option<LineSaid>> = HashMap::new();
    let ended = session.run(&mut telling, |_, _, event| {
        let Some(TellingEvent { step, news }) = event else { return Ok(()) };
        let of = &steps[step];
        book.hear((&of.node, of.plan.to), &news, last.entry(step).or_default())
    });
    book.end(ended.is_err())?;
    ended?;
    let results = telling.results().to_vec();
    if !out.is_json() {
        show_results(&steps, &results, out)?;
    }
    answer(&sequence, &steps, &results, out)?;
    let is_fine = results.iter().all(|result| result.as_ref().is_some_and(|result| !result.is_failure()));
    Ok(if is_fine { Exit::Fine } else { Exit::Wrong })
}

fn sequence_of<'a>(sheet: &'a RigSheet, name: &str) -> Result<&'a Sequence, Failure> {
    let found = sheet.sequences.iter().find(|one| one.name.value == name);
    found.ok_or_else(|| {
        let there: Vec<&str> = sheet.sequences.iter().map(|one| one.name.value.as_str()).collect();
        Failure::Call(if there.is_empty() {
            "the sheet has no sequences; each is headed [[sequence]]".to_owned()
        } else {
            format!("the sheet has no sequence {name:?}; it has: {}", there.join(", "))
        })
    })
}

/// What each step comes to, with the name of its node; where that is, is not known yet.
fn said(sheet: &RigSheet, sequence: &Sequence) -> Result<Vec<(SayPlan, String)>, Failure> {
    let one = |step: &lantern_core::sheet::SequenceStep| {
        let node = &sheet.nodes[step.node.value];
        let place = sheet.position(step.words.span);
        let spoken = sheet
            .spoken(node, &step.words.value)
            .map_err(|why| Failure::Call(format!("sheet line {}: {why}", place.line)))?;
        let line = SayLine { text: spoken.say, right: step.right.clone().or(spoken.right) };
        let to = SocketAddrV4::new(std::net::Ipv4Addr::UNSPECIFIED, spoken.port);
        let plan = SayPlan {
            to,
            by: spoken.by,
            ends: spoken.ends,
            wait: step.wait,
            lines: vec![line],
            stays: false,
            number: 0,
        };
        Ok((plan, node.name.value.clone()))
    };
    sequence.steps.iter().map(one).collect()
}

/// The steps with the addresses of their nodes, none of which may be left alone.
fn placed(steps: Vec<(SayPlan, String)>, session: &Session, out: &mut Out) -> Result<Vec<Step>, Failure> {
    let mut names: Vec<String> = steps.iter().map(|(_, node)| node.clone()).collect();
    names.sort_unstable();
    names.dedup();
    let at: HashMap<String, std::net::Ipv4Addr> = named::addresses(&names, session, out)?.into_iter().collect();
    for (name, address) in &at {
        refuse(name, *address, session, out)?;
    }
    let place = |(plan, node): (SayPlan, String)| {
        let to = SocketAddrV4::new(at.get(&node).copied().unwrap_or(*plan.to.ip()), plan.to.port());
        Step { plan: SayPlan { to, ..plan }, node }
    };
    Ok(steps.into_iter().map(place).collect())
}

fn show_plan(sequence: &Sequence, steps: &[Step], out: &mut Out) -> Result<(), Failure> {
    let how = if sequence.together { "all together" } else { "one after the other" };
    let then = match sequence.on_failure {
        OnFailure::Stop => "nothing more is begun after a failure",
        OnFailure::GoOn => "it goes on after a failure",
    };
    out.line(&format!("{}: {}, {how}; {then}", sequence.name.value, counted(steps.len(), "step")))?;
    let mut table = Table::new(&["step", "node", "to", "by", "says", "right is"]).unbroken(&["node", "to"]);
    for (number, step) in (1..).zip(steps) {
        let line = step.plan.lines.first();
        table.row(vec![
            number.to_string().into(),
            Cell::new(step.node.clone(), Tone::Strong),
            step.plan.to.to_string().into(),
            step.plan.by.to_string().into(),
            line.map(|line| line.text.clone()).unwrap_or_default().into(),
            line.and_then(|line| line.right.as_ref()).map_or("any answer".to_owned(), ToString::to_string).into(),
        ]);
    }
    out.table(&table)?;
    Ok(out.line("")?)
}

fn show_results(steps: &[Step], results: &[Option<SayResult>], out: &mut Out) -> Result<(), Failure> {
    let mut table = Table::new(&["step", "node", "what came of it"]).unbroken(&["node"]);
    for (number, (step, result)) in (1..).zip(steps.iter().zip(results)) {
        let (words, tone) = in_words(result.as_ref());
        let wrong =
            matches!(result, Some(SayResult::Wrong(_))).then_some(", which is not right").unwrap_or_default();
        let node = Cell::new(step.node.clone(), Tone::Strong);
        table.row(vec![number.to_string().into(), node, Cell::new(format!("{words}{wrong}"), tone)]);
    }
    out.table(&table)?;
    let done = results.iter().flatten().filter(|result| !result.is_failure()).count();
    Ok(out.line(&format!("{done} of {} done", counted(results.len(), "step")))?)
}

fn answer(
    sequence: &Sequence,
    steps: &[Step],
    results: &[Option<SayResult>],
    out: &mut Out,
) -> Result<(), Failure> {
    if !out.is_json() {
        return Ok(());
    }
    let line = |(step, result): (&Step, &Option<SayResult>)| {
        let (word, said) = match result {
            Some(SayResult::Answered(said)) => (Some("answered"), Some(said)),
            Some(SayResult::Wrong(said)) => (Some("wrong"), Some(said)),
            Some(SayResult::Unanswered) => (Some("unanswered"), None),
            Some(SayResult::Lost(_)) => (Some("lost"), None),
            None => (None, None),
        };
        StepLine {
            node: step.node.clone(),
            to: step.plan.to,
            say: step.plan.lines.first().map(|line| line.text.clone()).unwrap_or_default(),
            result: word,
            answer: said.map(ToString::to_string),
        }
    };
    let steps = steps.iter().zip(results).map(line).collect();
    Ok(out.object(&Answer { format: 1, sequence: sequence.name.value.clone(), steps })?)
}
