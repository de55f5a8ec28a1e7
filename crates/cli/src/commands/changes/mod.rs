//! What `apply` and `set` share: show the changes, ask, make them one by one, write each step down.

mod around;
mod tell;

use std::time::Duration;

use lantern_core::change::{Change, ChangePlan, Subject};
use lantern_core::conversation::{AskedBy, Outcome, Shift, TalkEvent};
use lantern_core::facts::{Difference, Value};
use lantern_core::logbook::Stage;
use serde::Serialize;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::logbook_file::{LogbookFile, RunLock};
use crate::output::{Cell, Out, Table, Tone, counted, findings};
use crate::session::Session;

pub(crate) use around::Around;

/// How to go about writing to nodes.
#[derive(Debug, Clone, Copy, clap::Args, Default)]
pub(crate) struct HowToWrite {
    /// Show every change, send none
    #[arg(long, conflicts_with = "yes")]
    pub(crate) dry_run: bool,

    /// Do not ask before sending
    #[arg(long)]
    pub(crate) yes: bool,

    /// How many seconds a node may take to restart
    #[arg(long, value_name = "SECONDS", default_value_t = 30, value_parser = clap::value_parser!(u16).range(1..=600))]
    pub(crate) restart: u16,
}

impl HowToWrite {
    /// Keeps a second run that writes on the same sheet out, as long as it is held: it would undo what this one has seen.
    pub(crate) fn alone_on(self, session: &Session) -> Result<Option<RunLock>, Failure> {
        let sheet = session.sheet_file().filter(|_| !self.dry_run);
        sheet.map(|file| RunLock::take(&file.path)).transpose()
    }
}

/// One change and what became of it.
#[derive(Debug, Serialize)]
struct Report<'a> {
    node: lantern_core::change::NodeName,
    reason: &'a str,
    changes: &'a [Difference],
    /// `null` when it was not begun.
    result: Option<Stage>,
    /// The address it was last heard at.
    address: Option<std::net::Ipv4Addr>,
    /// What is not as wanted: told otherwise, or not told.
    open: Vec<&'a Difference>,
    /// What changed along with it.
    moved_along: Vec<Moved<'a>>,
}

/// A field that was not meant to change.
#[derive(Debug, Serialize)]
struct Moved<'a> {
    field: String,
    before: &'a Value,
    /// `null` for a port that is gone.
    after: Option<&'a Value>,
}

/// A change that was begun: what became of it, and whom it is about as last heard.
#[derive(Debug, Clone)]
struct Made {
    outcome: Outcome,
    subject: Subject,
}

#[derive(Debug, Serialize)]
struct Answer<'a> {
    format: u32,
    dry_run: bool,
    nodes: Vec<Report<'a>>,
    findings: &'a [lantern_core::finding::Finding],
}

/// Shows the plan, asks, carries it out.
pub(super) fn carry_out(
    session: &Session,
    plan: &ChangePlan,
    how: HowToWrite,
    out: &mut Out,
) -> Result<Exit, Failure> {
    if plan.is_refused() {
        return Err(Failure::Refused(plan.findings.clone()));
    }
    if !out.is_json() {
        // Whoever does not see what is about to be changed has not agreed to it.
        show(plan, out).map_err(|failure| if how.dry_run { failure } else { broken_off(failure) })?;
    }
    let mut results: Vec<Option<Made>> = vec![None; plan.changes.len()];
    let go = !how.dry_run && !plan.changes.is_empty();
    if go && !(how.yes || confirmed(plan, out)?) {
        out.note("nothing was sent")?;
        return Ok(Exit::Fine);
    }
    let broken = if go { make_all(session, plan, how, &mut results, out)? } else { None };
    if out.is_json() {
        out.object(&answer(plan, &results, how))?;
    }
    match broken {
        Some(failure) => Err(failure),
        None => conclude(plan, &results, how, out),
    }
}

/// Makes the changes one after the other, up to the first that fails. A logbook that cannot be written, an interruption and
/// a reader who has gone end it before the next send; that is given back with what became of the others in `results`.
fn make_all(
    session: &Session,
    plan: &ChangePlan,
    how: HowToWrite,
    results: &mut [Option<Made>],
    out: &mut Out,
) -> Result<Option<Failure>, Failure> {
    let mut logbook = LogbookFile::open(&session.logbook_path())?;
    for (begun, (change, result)) in plan.changes.iter().zip(results).enumerate() {
        let made = match make(session, change, how, &mut logbook, out) {
            Ok(made) => made,
            Err(failure) => {
                let failure = broken_off(failure);
                if !matches!(failure, Failure::Unheard) {
                    tell::how_far(begun, plan.changes.len(), logbook.path(), out)?;
                }
                return Ok(Some(failure));
            }
        };
        let failed = made.outcome.is_failure();
        *result = Some(made);
        if failed {
            break;
        }
    }
    out.note(&format!("every step is in {}", logbook.path().display()))?;
    Ok(None)
}

/// Why the changes were broken off: where nobody reads on, that is no end as it should be.
fn broken_off(failure: Failure) -> Failure {
    if failure.is_closed_pipe() { Failure::Unheard } else { failure }
}

fn answer<'a>(plan: &'a ChangePlan, results: &'a [Option<Made>], how: HowToWrite) -> Answer<'a> {
    let moved = |shift: &'a Shift| Moved {
        field: shift.field.to_string(),
        before: &shift.before,
        after: shift.after.as_ref(),
    };
    let report = |(change, result): (&'a Change, &'a Option<Made>)| Report {
        node: change.node_name(),
        reason: &change.reason,
        changes: &change.differences,
        result: result.as_ref().map(|made| Stage::from(&made.outcome)),
        address: result.as_ref().map(|made| made.subject.address()),
        open: match result.as_ref().map(|made| &made.outcome) {
            Some(
                Outcome::Unverified(open)
                | Outcome::HeardOnly(open)
                | Outcome::Refused(open)
                | Outcome::Acknowledged(open),
            ) => open.iter().collect(),
            _ => Vec::new(),
        },
        moved_along: match result.as_ref().map(|made| &made.outcome) {
            Some(Outcome::MovedAlong(shifts)) => shifts.iter().map(moved).collect(),
            _ => Vec::new(),
        },
    };
    let nodes = plan.changes.iter().zip(results).map(report).collect();
    Answer { format: 1, dry_run: how.dry_run, nodes, findings: &plan.findings }
}

fn show(plan: &ChangePlan, out: &mut Out) -> Result<(), Failure> {
    findings::print(out, &plan.findings)?;
    show_untouched(plan, out)?;
    if plan.changes.is_empty() {
        out.line("nothing to change")?;
        return Ok(());
    }
    let mut table = Table::new(&["node", "at", "field", "from", "to", "why"]).unbroken(&["node", "at"]);
    for change in &plan.changes {
        for (i, difference) in change.differences.iter().enumerate() {
            let (name, address, why) = if i == 0 {
                (change.subject.title(), change.subject.address().to_string(), why(change))
            } else {
                Default::default()
            };
            table.row(vec![
                Cell::new(name, Tone::Strong),
                address.into(),
                difference.field.to_string().into(),
                difference.found_in_words().into(),
                Cell::new(difference.planned_in_words(), Tone::Strong),
                Cell::new(why, Tone::Faint),
            ]);
        }
    }
    out.table(&table)?;
    out.line("")?;
    Ok(())
}

/// Why it is changed; where that is not done by Art-Net, also by what.
fn why(change: &Change) -> String {
    match &change.subject {
        Subject::Node(_) => change.reason.clone(),
        Subject::Unit(unit) => format!("{}, by {}", change.reason, unit.family),
    }
}

fn show_untouched(plan: &ChangePlan, out: &mut Out) -> Result<(), Failure> {
    for node in &plan.untouched {
        let mark = out.paint().dye(Tone::Doubtful, "left alone");
        out.line(&format!("{mark} {}: {}", node.name, node.why))?;
    }
    Ok(())
}

fn confirmed(plan: &ChangePlan, out: &mut Out) -> Result<bool, Failure> {
    let question = format!("Change {} now?", counted(plan.changes.len(), "node"));
    out.confirmed(&question)?.ok_or(Failure::NobodyToAsk)
}

/// Makes one change; every step is written down before it is sent and when it has ended.
fn make(
    session: &Session,
    change: &Change,
    how: HowToWrite,
    logbook: &mut LogbookFile,
    out: &mut Out,
) -> Result<Made, Failure> {
    let mut talk = change.talk(session.vantage(), Duration::from_secs(how.restart.into()));
    let name = change.subject.title();
    let progress = out.progress();
    progress.show(format!("{name}: asking whether it is still there"));
    let (mut asked, mut under_way) = (None, None);
    let ran = session.run(&mut talk, |_, _, event| {
        let stage = match event {
            Some(TalkEvent::Sent(step)) => Some((step, Stage::Sending)),
            Some(TalkEvent::Repeated(step)) => Some((step, Stage::Repeating)),
            Some(TalkEvent::Confirmed(step)) => Some((step, Stage::Confirmed)),
            Some(TalkEvent::Ended(step, outcome)) if outcome != Outcome::Done => {
                Some((step, Stage::from(&outcome)))
            }
            Some(TalkEvent::Probing(address, by)) => {
                progress.show(format!("{name}: asking {by} whether anybody holds {address}"));
                asked = Some((address, by));
                None
            }
            Some(TalkEvent::Restarting) => {
                progress.show(format!("{name}: restarts"));
                None
            }
            Some(TalkEvent::Back(address)) => {
                progress.show(format!("{name}: is back at {address}, reading back"));
                None
            }
            Some(TalkEvent::Ended(..)) | None => None,
        };
        let Some((step, stage)) = stage else { return Ok(()) };
        // What cannot be written down is not sent.
        logbook.write(change, step, stage)?;
        under_way = matches!(stage, Stage::Sending | Stage::Repeating).then_some(step);
        Ok(())
    });
    drop(progress);
    if let (Err(failure), Some(step)) = (&ran, under_way) {
        if !matches!(failure, Failure::Logbook { .. }) {
            logbook.write(change, step, Stage::BrokenOff)?;
        }
        let fields: Vec<String> =
            change.steps[step].differences.iter().map(|difference| difference.field.to_string()).collect();
        out.note(&format!(
            "{name}: {} was sent and not read back; whether it took it is open",
            fields.join(", ")
        ))?;
    }
    ran?;
    let outcome = talk.outcome().cloned().unwrap_or(Outcome::Silent { written: true });
    let made = Made { outcome, subject: talk.subject() };
    if !out.is_json() {
        tell::tell(change, &made, out)?;
    }
    // Whoever speaks no Art-Net was not asked where there is no other way: that is said.
    if let Some((address, by @ AskedBy::System)) = asked {
        out.note(&format!("that nobody holds {address} was asked {by}; as administrator it is asked by ARP"))?;
    }
    Ok(made)
}

fn conclude(plan: &ChangePlan, results: &[Option<Made>], how: HowToWrite, out: &mut Out) -> Result<Exit, Failure> {
    let failed = results.iter().position(|made| made.as_ref().is_some_and(|made| made.outcome.is_failure()));
    if let Some((failed, made)) = failed.and_then(|failed| Some((failed, results[failed].as_ref()?))) {
        let left = plan.changes.len() - failed - 1;
        if left > 0 {
            out.note(&format!("stopped there; {} not begun", counted(left, "node")))?;
        }
        out.hint(&tell::next(&plan.changes[failed], made))?;
        return Ok(Exit::Unfinished);
    }
    if how.dry_run {
        out.note("dry run: nothing was changed; the nodes concerned were asked for their settings")?;
    }
    let doubtful = results.iter().flatten().any(|made| made.outcome != Outcome::Done);
    let incomplete = !plan.untouched.is_empty() || doubtful;
    Ok(if incomplete { Exit::Wrong } else { Exit::of(&plan.findings) })
}
