//! What `apply` and `set` share: show the changes, ask, make them one by one, write each step down.

use std::time::Duration;

use lantern_core::change::{Change, ChangePlan};
use lantern_core::compare::Difference;
use lantern_core::conversation::{Alter, AlterEvent, Outcome};
use lantern_core::logbook::Stage;
use serde::Serialize;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::logbook_file::LogbookFile;
use crate::output::{Cell, Out, Table, Tone, counted, findings};
use crate::session::Session;

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

/// One change and what became of it.
#[derive(Debug, Serialize)]
struct Report<'a> {
    node: lantern_core::change::NodeName,
    reason: &'a str,
    changes: &'a [Difference],
    /// `null` when it was not begun.
    result: Option<Stage>,
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
        show(plan, out)?;
    }
    let mut results = vec![None; plan.changes.len()];
    let go = !how.dry_run && !plan.changes.is_empty();
    if go && !(how.yes || confirmed(plan, out)?) {
        out.note("nothing was sent")?;
        return Ok(Exit::Fine);
    }
    if go {
        let mut logbook = LogbookFile::open(&session.logbook_path())?;
        for (change, result) in plan.changes.iter().zip(&mut results) {
            let outcome = alter(session, change, how, &mut logbook, out)?;
            let failed = matches!(outcome, Outcome::Refused | Outcome::Silent);
            *result = Some(outcome);
            if failed {
                break;
            }
        }
        out.note(&format!("every step is in {}", logbook.path().display()))?;
    }
    if out.is_json() {
        out.object(&answer(plan, &results, how))?;
    }
    conclude(plan, &results, how, out)
}

fn answer<'a>(plan: &'a ChangePlan, results: &[Option<Outcome>], how: HowToWrite) -> Answer<'a> {
    let report = |(change, result): (&'a Change, &Option<Outcome>)| Report {
        node: change.node_name(),
        reason: &change.reason,
        changes: &change.differences,
        result: result.as_ref().map(Stage::from),
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
                (change.node.title(), change.node.address.to_string(), change.reason.clone())
            } else {
                Default::default()
            };
            table.row(vec![
                Cell::new(name, Tone::Strong),
                address.into(),
                difference.field().into(),
                difference.found().into(),
                Cell::new(difference.planned(), Tone::Strong),
                Cell::new(why, Tone::Faint),
            ]);
        }
    }
    out.table(&table)?;
    out.line("")?;
    Ok(())
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
fn alter(
    session: &Session,
    change: &Change,
    how: HowToWrite,
    logbook: &mut LogbookFile,
    out: &mut Out,
) -> Result<Outcome, Failure> {
    let mut alter = Alter::new(change, session.seats().to_vec(), Duration::from_secs(how.restart.into()));
    let name = change.node.title();
    let progress = out.progress();
    // A logbook that cannot be written must stop everything before the next step is sent.
    let mut broken = None;
    progress.show(format!("{name}: writing"));
    session.run(&mut alter, |_, _, event| {
        let stage = match event {
            Some(AlterEvent::Sent(step)) => Some((step, Stage::Sending)),
            Some(AlterEvent::Confirmed(step)) => Some((step, Stage::Confirmed)),
            Some(AlterEvent::Ended(step, outcome)) if outcome != Outcome::Done => {
                Some((step, Stage::from(&outcome)))
            }
            Some(AlterEvent::Restarting) => {
                progress.show(format!("{name}: restarts"));
                None
            }
            Some(AlterEvent::Back(address)) => {
                progress.show(format!("{name}: is back at {address}, reading back"));
                None
            }
            Some(AlterEvent::Ended(..)) | None => None,
        };
        if let Some((step, stage)) = stage
            && let Err(failure) = logbook.write(change, step, stage)
        {
            broken.get_or_insert(failure);
        }
    })?;
    drop(progress);
    if let Some(failure) = broken {
        return Err(failure);
    }
    let outcome = alter.outcome().cloned().unwrap_or(Outcome::Silent);
    if !out.is_json() {
        tell(change, &outcome, &alter, out)?;
    }
    Ok(outcome)
}

fn tell(change: &Change, outcome: &Outcome, alter: &Alter, out: &mut Out) -> Result<(), Failure> {
    let name = change.node.title();
    let now = alter.node();
    let (tone, word, text) = match outcome {
        Outcome::Done => (Tone::Good, "done", format!("{} at {}, read back", now.title(), now.address)),
        Outcome::HeardOnly => {
            (Tone::Doubtful, "heard", format!("{name} at {}, out of reach for reading back", now.address))
        }
        Outcome::Refused => {
            let open: Vec<String> =
                change.differences.iter().filter(|d| !d.is_gone_from(now)).map(Difference::field).collect();
            (Tone::Bad, "refused", format!("{name} at {} keeps its old {}", now.address, open.join(", ")))
        }
        Outcome::Silent => {
            let wanted = change.new_address().map(|a| format!(" or at {a}")).unwrap_or_default();
            (Tone::Bad, "silent", format!("{name} answers neither at {}{wanted}", change.node.address))
        }
    };
    let word = out.paint().dye(tone, word);
    out.line(&format!("{word}  {text}"))?;
    Ok(())
}

fn conclude(
    plan: &ChangePlan,
    results: &[Option<Outcome>],
    how: HowToWrite,
    out: &mut Out,
) -> Result<Exit, Failure> {
    let failed = results.iter().position(|r| matches!(r, Some(Outcome::Refused | Outcome::Silent)));
    if let Some(failed) = failed {
        let left = plan.changes.len() - failed - 1;
        if left > 0 {
            out.note(&format!("stopped there; {} not begun", counted(left, "node")))?;
        }
        let change = &plan.changes[failed];
        out.hint(&format!(
            "see where {} is now with: deft-lantern survey; then run the same command again",
            change.node.title()
        ))?;
        return Ok(Exit::Unfinished);
    }
    if how.dry_run {
        out.note("dry run: nothing was sent")?;
    }
    let incomplete = !plan.untouched.is_empty();
    Ok(if incomplete { Exit::Wrong } else { Exit::of(&plan.findings) })
}
