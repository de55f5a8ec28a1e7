//! `run`: a sequence of the sheet, said to several devices by one command.

use std::collections::HashMap;
use std::net::{Ipv4Addr, SocketAddrV4};
use std::path::PathBuf;

use lantern_core::conversation::{SayLine, SayPlan, SayResult, Telling, TellingEvent, TellingStep};
use lantern_core::logbook::{LineSaid, Order, SaidResult};
use lantern_core::sheet::kind::CarriedBy;
use lantern_core::sheet::{OnFailure, RigSheet, Sequence, SequenceStep, Words};
use serde::Serialize;

use super::named;
use super::spoken::{SaidBook, refuse, told};
use super::survey::wants;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::output::{Cell, Out, Table, Tone, counted};
use crate::session::Session;

/// Run a sequence of the rig sheet: lines and orders to several devices by one command
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
    /// `null` for one that was not begun.
    result: Option<SaidResult>,
    answer: Option<String>,
}

/// A step as it is taken.
struct Step {
    node: String,
    step: TellingStep,
    /// What is said or told, and what a right answer is, in words.
    says: String,
    right: String,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let file = SheetFile::one(args.sheet.as_deref())?;
    let sequence = sequence_of(&file.sheet, &args.name)?.clone();
    let mut wants = wants(&[]);
    let steps = said(&file.sheet, &sequence)?;
    wants.ports.extend(steps.iter().filter_map(Step::datagram_port));
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
    let plans = steps.iter().map(|step| step.step.clone()).collect();
    let stops = sequence.on_failure == OnFailure::Stop;
    let mut telling = Telling::new(plans, session.vantage(), sequence.together, stops);
    let mut last: HashMap<usize, Option<LineSaid>> = HashMap::new();
    let ended = session.run(&mut telling, |_, _, event| {
        let Some(TellingEvent { step, news }) = event else { return Ok(()) };
        let of = &steps[step];
        book.hear((&of.node, of.step.to()), &news, last.entry(step).or_default())
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

/// What each step comes to; where its node is, is not known yet.
fn said(sheet: &RigSheet, sequence: &Sequence) -> Result<Vec<Step>, Failure> {
    sequence.steps.iter().map(|step| Step::of(sheet, step)).collect()
}

impl Step {
    fn of(sheet: &RigSheet, step: &SequenceStep) -> Result<Self, Failure> {
        let planned = &sheet.nodes[step.node.value];
        let node = planned.name.value.clone();
        if let Words::Screen(order) = &step.words.value {
            let mac = planned.mac.as_ref().map(|mac| mac.value);
            let (says, right) = (order.to_string(), "that it tells so".to_owned());
            let (to, order, wait) = (Ipv4Addr::UNSPECIFIED, order.clone(), step.wait);
            return Ok(Self { node, step: TellingStep::Screen { to, mac, order, wait }, says, right });
        }
        let place = sheet.position(step.words.span);
        let spoken = sheet
            .spoken(planned, &step.words.value)
            .map_err(|why| Failure::Call(format!("sheet line {}: {why}", place.line)))?;
        let pattern = step.right.clone().or(spoken.right);
        let right = pattern.as_ref().map_or("any answer".to_owned(), ToString::to_string);
        let plan = SayPlan {
            to: SocketAddrV4::new(Ipv4Addr::UNSPECIFIED, spoken.speech.port),
            by: spoken.speech.by,
            ends: spoken.speech.ends,
            wait: step.wait,
            lines: vec![SayLine { text: spoken.say.clone(), right: pattern }],
            stays: false,
            number: 0,
        };
        Ok(Self { node, step: TellingStep::Lines(plan), says: spoken.say, right })
    }

    /// The port that datagrams are said from and answered to.
    fn datagram_port(&self) -> Option<u16> {
        match &self.step {
            TellingStep::Lines(plan) if plan.by == CarriedBy::Udp => Some(plan.to.port()),
            _ => None,
        }
    }

    fn by(&self) -> String {
        match &self.step {
            TellingStep::Lines(plan) => plan.by.to_string(),
            TellingStep::Screen { .. } => "PJLink".to_owned(),
        }
    }

    fn at(mut self, address: Ipv4Addr) -> Self {
        match &mut self.step {
            TellingStep::Lines(plan) => plan.to.set_ip(address),
            TellingStep::Screen { to, .. } => *to = address,
        }
        self
    }
}

/// The steps with the addresses of their nodes, none of which may be left alone.
fn placed(steps: Vec<Step>, session: &Session, out: &mut Out) -> Result<Vec<Step>, Failure> {
    let mut names: Vec<String> = steps.iter().map(|step| step.node.clone()).collect();
    names.sort_unstable();
    names.dedup();
    let at: HashMap<String, Ipv4Addr> = named::addresses(&names, session, out)?.into_iter().collect();
    for (name, address) in &at {
        refuse(name, *address, session, out)?;
    }
    let place = |step: Step| match at.get(&step.node) {
        Some(address) => step.at(*address),
        None => step,
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
        table.row(vec![
            number.to_string().into(),
            Cell::new(step.node.clone(), Tone::Strong),
            step.step.to().to_string().into(),
            step.by().into(),
            step.says.clone().into(),
            step.right.clone().into(),
        ]);
    }
    out.table(&table)?;
    Ok(out.line("")?)
}

fn show_results(steps: &[Step], results: &[Option<SayResult>], out: &mut Out) -> Result<(), Failure> {
    let mut table = Table::new(&["step", "node", "what came of it"]).unbroken(&["node"]);
    for (number, (step, result)) in (1..).zip(steps.iter().zip(results)) {
        let (words, tone) = result.as_ref().map_or(("not begun".to_owned(), Tone::Doubtful), told);
        let node = Cell::new(step.node.clone(), Tone::Strong);
        table.row(vec![number.to_string().into(), node, Cell::new(words, tone)]);
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
    let line = |(step, result): (&Step, &Option<SayResult>)| StepLine {
        node: step.node.clone(),
        to: step.step.to(),
        say: step.says.clone(),
        result: result.as_ref().map(SaidResult::from),
        answer: result.as_ref().and_then(SayResult::answer).map(ToString::to_string),
    };
    let steps = steps.iter().zip(results).map(line).collect();
    Ok(out.object(&Answer { format: 1, sequence: sequence.name.value.clone(), steps })?)
}
