//! What `apply` and `set` share: show the changes, ask, make them one by one, write each step down.

mod around;
mod tell;

use std::collections::BTreeMap;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::census::Subject;
use lantern_core::change::{Change, ChangePlan};
use lantern_core::conversation::{Apply, ApplyEvent, ApplyNews, AskedBy, Made, Outcome, Shift, TalkEvent};
use lantern_core::facts::{Difference, Field, Value};
use lantern_core::logbook::Stage;
use serde::Serialize;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::logbook_file::{LogbookFile, RunLock};
use crate::output::{Cell, Out, Progress, Table, Tone, counted, findings};
use crate::session::Session;

pub(crate) use around::Around;

/// How many nodes are changed at once.
const AT_ONCE: usize = 1;

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
    address: Option<Ipv4Addr>,
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

/// Makes the changes, up to the first that fails. A logbook that cannot be written, an interruption and a reader who has gone
/// end it before the next send; that is given back with what became of the others in `results`.
fn make_all(
    session: &Session,
    plan: &ChangePlan,
    how: HowToWrite,
    results: &mut Vec<Option<Made>>,
    out: &mut Out,
) -> Result<Option<Failure>, Failure> {
    let mut logbook = LogbookFile::open(&session.logbook_path())?;
    let restart = Duration::from_secs(how.restart.into());
    let mut apply = Apply::new(plan.changes.clone(), session.vantage(), restart, AT_ONCE);
    let mut watch =
        Watch { plan, logbook: &mut logbook, progress: out.progress(), under_way: BTreeMap::new(), asked: None };
    let ran = session.run(&mut apply, |_, _, event| event.map_or(Ok(()), |event| watch.take(event, out)));
    let under_way = std::mem::take(&mut watch.under_way);
    drop(watch);
    *results = apply.made().to_vec();
    let Err(failure) = ran else {
        out.note(&format!("every step is in {}", logbook.path().display()))?;
        return Ok(None);
    };
    let failure = broken_off(failure);
    for (change, step) in under_way {
        give_up(&plan.changes[change], step, &failure, &mut logbook, out)?;
    }
    if !matches!(failure, Failure::Unheard) {
        let made = results.iter().flatten().count();
        tell::how_far(made, plan.changes.len(), logbook.path(), out)?;
    }
    Ok(Some(failure))
}

/// Writes down that a step under way was given up, and says so.
fn give_up(
    change: &Change,
    step: usize,
    failure: &Failure,
    logbook: &mut LogbookFile,
    out: &mut Out,
) -> Result<(), Failure> {
    if !matches!(failure, Failure::Logbook { .. }) {
        logbook.write(change, step, Stage::BrokenOff)?;
    }
    let fields: Vec<String> =
        change.steps[step].differences.iter().map(|difference| difference.field.to_string()).collect();
    let name = change.subject.title();
    out.note(&format!("{name}: {} was sent and not read back; whether it took it is open", fields.join(", ")))?;
    Ok(())
}

/// Whoever watches the changes: writes every step down before it is sent, and tells what becomes of each.
struct Watch<'a> {
    plan: &'a ChangePlan,
    logbook: &'a mut LogbookFile,
    progress: Progress,
    /// The step of a change that was sent and has not ended.
    under_way: BTreeMap<usize, usize>,
    /// Which address was asked for last, and how.
    asked: Option<(Ipv4Addr, AskedBy)>,
}

impl Watch<'_> {
    fn take(&mut self, event: ApplyEvent, out: &mut Out) -> Result<(), Failure> {
        let change = &self.plan.changes[event.change];
        let name = change.subject.title();
        let talk = match event.news {
            ApplyNews::Begun => {
                self.progress.show(format!("{name}: asking whether it is still there"));
                return Ok(());
            }
            ApplyNews::Made(made) => return self.made(change, &made, out),
            ApplyNews::Talk(talk) => talk,
        };
        let (step, stage) = match talk {
            TalkEvent::Sent(step) => (step, Stage::Sending),
            TalkEvent::Repeated(step) => (step, Stage::Repeating),
            TalkEvent::Confirmed(step) => (step, Stage::Confirmed),
            TalkEvent::Ended(step, outcome) if outcome != Outcome::Done => (step, Stage::from(&outcome)),
            TalkEvent::Ended(..) => return Ok(()),
            TalkEvent::Probing(address, by) => {
                self.progress.show(format!("{name}: asking {by} whether anybody holds {address}"));
                self.asked = Some((address, by));
                return Ok(());
            }
            TalkEvent::Restarting => {
                self.progress.show(format!("{name}: restarts"));
                return Ok(());
            }
            TalkEvent::Back(address) => {
                self.progress.show(format!("{name}: is back at {address}, reading back"));
                return Ok(());
            }
        };
        // What cannot be written down is not sent.
        self.logbook.write(change, step, stage)?;
        if matches!(stage, Stage::Sending | Stage::Repeating) {
            self.under_way.insert(event.change, step);
        } else {
            self.under_way.remove(&event.change);
        }
        Ok(())
    }

    fn made(&mut self, change: &Change, made: &Made, out: &mut Out) -> Result<(), Failure> {
        let asked = self.asked.take();
        self.progress.suspend(|| {
            if !out.is_json() {
                tell::tell(change, made, out)?;
            }
            // Whoever speaks no Art-Net was not asked where there is no other way: that is said.
            if let Some((address, by @ AskedBy::System)) = asked {
                let what = format!("that nobody holds {address} was asked {by}");
                out.note(&format!("{what}; as administrator it is asked by ARP"))?;
            }
            Ok(())
        })
    }
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
                let at = Field::Address.in_words(&Value::Address(change.subject.address()));
                (change.subject.title(), at, why(change))
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
