//! What `apply`, `set` and `undo` share: show the changes, ask, make them side by side, write each step down.

mod answer;
mod around;
mod following;
mod making;
mod page;
mod settling;
mod show;
mod tell;

use std::path::PathBuf;
use std::time::Duration;

use clap::builder::PossibleValuesParser;
use lantern_core::change::{Change, ChangePlan, Part};
use lantern_core::conversation::{Made, Manner, Outcome};
use lantern_core::facts::{Field, FixtureSetting};
use lantern_core::logbook::{Begun, Ending, Order};

use crate::exit::Exit;
use crate::failure::Failure;
use crate::logbook_file::{LogbookFile, RunLock};
use crate::output::{Out, counted};
use crate::session::Session;

pub(crate) use around::Around;
pub(crate) use following::Reach;
pub(crate) use settling::let_settle;
pub(crate) use show::steps_of;

/// How many seconds a node may take to restart, where nobody says otherwise.
const RESTART: u16 = 30;
/// How many nodes are changed at once, where nobody says otherwise.
pub(crate) const AT_ONCE: u16 = 16;

/// How to go about writing to nodes.
#[derive(Debug, Clone, Copy, clap::Args)]
pub(crate) struct HowToWrite {
    /// Show every change, send none
    #[arg(long, conflicts_with = "yes")]
    pub(crate) dry_run: bool,

    /// Do not ask before sending
    #[arg(long)]
    pub(crate) yes: bool,

    /// How many seconds a node may take to restart
    #[arg(long, value_name = "SECONDS", default_value_t = RESTART, value_parser = clap::value_parser!(u16).range(1..=600))]
    pub(crate) restart: u16,

    /// How many nodes are changed at once, as far as none waits for another
    #[arg(long, value_name = "NUMBER", default_value_t = AT_ONCE, value_parser = clap::value_parser!(u16).range(1..=256))]
    pub(crate) at_once: u16,

    /// Begin nothing more after a failure, also what does not wait for it
    #[arg(long)]
    pub(crate) stop_on_error: bool,
}

impl Default for HowToWrite {
    fn default() -> Self {
        Self { dry_run: false, yes: false, restart: RESTART, at_once: AT_ONCE, stop_on_error: false }
    }
}

impl HowToWrite {
    /// Keeps a second run that writes on the same sheet out, as long as it is held: it would undo what this one has seen.
    pub(crate) fn alone_on(self, session: &Session) -> Result<Option<RunLock>, Failure> {
        let sheet = session.sheet_file().filter(|_| !self.dry_run);
        sheet.map(|file| RunLock::take(&file.path)).transpose()
    }

    fn manner(self) -> Manner {
        Manner {
            restart_time: Duration::from_secs(self.restart.into()),
            at_once: self.at_once.into(),
            stop_on_failure: self.stop_on_error,
        }
    }
}

/// The words of a setting, for the command line.
pub(crate) fn word<T>(words: &[(&'static str, T)]) -> PossibleValuesParser {
    PossibleValuesParser::new(words.iter().map(|(word, _)| *word).collect::<Vec<_>>())
}

/// What words of a setting mean.
pub(crate) fn words<T: Copy>(known: &[(&'static str, T)], said: &[String]) -> Vec<T> {
    known.iter().filter(|(word, _)| said.iter().any(|said| said == word)).map(|(_, value)| *value).collect()
}

/// What a run is about, for the logbook.
#[derive(Debug, Clone)]
pub(crate) struct Errand {
    /// How it begins.
    pub(crate) begun: Begun,
    /// The run that it goes on with, if it does.
    pub(crate) run: Option<String>,
    /// What to call so that it is gone on with.
    pub(crate) go_on: String,
    /// Where to draw the plan.
    pub(crate) page: Option<PathBuf>,
    /// What to call so that it is taken back; `None` for an undo, which is gone on with.
    pub(crate) take_back: Option<String>,
}

impl Errand {
    /// Something that a person asked for, about these nodes: once more by the same command, and taken back by undo.
    pub(crate) fn asked_for(order: Order, part: Part, session: &Session) -> Self {
        let sheet = session.sheet_file().map(|file| file.path.display().to_string());
        let is_undone = order != Order::Firmware;
        Self {
            begun: Begun {
                order,
                sheet,
                part,
                undoes: None,
                keep: 0,
                resumed: false,
                guided: false,
                fixtures: false,
            },
            run: None,
            go_on: "run the same command again".to_owned(),
            page: None,
            take_back: is_undone.then(|| "deft-lantern undo".to_owned()),
        }
    }

    /// What it is, for a page's head.
    fn title(&self) -> String {
        let sheet = self.begun.sheet.as_ref().map(|sheet| format!(" {sheet}")).unwrap_or_default();
        format!("{}{sheet}: what is to be changed", self.begun.order.word())
    }

    /// Whether it goes on with a run or takes one back, so that the run's end depends on it.
    fn is_about_a_run(&self) -> bool {
        self.run.is_some() || self.begun.undoes.is_some()
    }
}

/// Shows the plan, asks, carries it out.
pub(super) fn carry_out(
    session: &Session,
    plan: &ChangePlan,
    errand: &Errand,
    how: HowToWrite,
    out: &mut Out,
) -> Result<Exit, Failure> {
    if plan.is_refused() {
        return Err(Failure::Refused(plan.findings.clone()));
    }
    if let Some(path) = &errand.page {
        page::write(plan, &errand.title(), path)?;
        out.note(&format!("the plan is drawn in {}", path.display()))?;
    }
    if !out.is_json() {
        // Whoever does not see what is about to be changed has not agreed to it.
        show::show(plan, how, out)
            .map_err(|failure| if how.dry_run { failure } else { making::broken_off(failure) })?;
    }
    let mut results: Vec<Option<Made>> = vec![None; plan.changes.len()];
    let go = !how.dry_run && !plan.changes.is_empty();
    if go && !(how.yes || confirmed(plan, out)?) {
        out.note("nothing was sent")?;
        return Ok(Exit::Fine);
    }
    let mut logbook = None;
    let broken = if go {
        let book = logbook.insert(LogbookFile::begin(&session.logbook_path(), errand.run.clone(), &errand.begun)?);
        making::make_all(session, plan, how, errand, book, &mut results, out)?
    } else {
        None
    };
    if out.is_json() {
        out.object(&answer::answer(plan, &results, how, logbook.as_ref().map(LogbookFile::run)))?;
    }
    let exit = match broken {
        Some(failure) => return Err(failure),
        None => conclude(plan, &results, errand, how, out)?,
    };
    if let Some(book) = &mut logbook {
        book.end(if is_whole(plan, &results) { Ending::Done } else { Ending::Unfinished })?;
        if !out.is_json() {
            out.note(&format!("every step is in {}; it is run {}", book.path().display(), book.run()))?;
        }
    } else if errand.is_about_a_run() && !how.dry_run && plan.changes.is_empty() && plan.untouched.is_empty() {
        // Gone on with or taken back, and found as wanted: then it has come to its end.
        LogbookFile::begin(&session.logbook_path(), errand.run.clone(), &errand.begun)?.end(Ending::Done)?;
    }
    Ok(exit)
}

/// Whether everything that was planned is made, and nothing left alone.
fn is_whole(plan: &ChangePlan, results: &[Option<Made>]) -> bool {
    let is_made = |made: &Option<Made>| made.as_ref().is_some_and(|made| !made.outcome.is_failure());
    results.iter().all(is_made) && plan.untouched.is_empty()
}

fn confirmed(plan: &ChangePlan, out: &mut Out) -> Result<bool, Failure> {
    let nodes = show::count_of_nodes(plan);
    let question = format!("Change {} now?", counted(nodes, "node"));
    let once = out.confirmed(&question)?.ok_or(Failure::NobodyToAsk)?;
    if !once {
        return Ok(false);
    }
    // Who goes where nobody may find it, or forgets everything, is asked about twice.
    let twice = [
        (Field::FactoryNetwork, "leave its address"),
        (Field::Setting(FixtureSetting::FactoryDefaults), "forget all its settings"),
    ];
    for (field, what) in twice {
        let is_lost = |change: &&Change| change.differences.iter().any(|one| one.field == field);
        let lost: Vec<String> = plan.changes.iter().filter(is_lost).map(|change| change.subject.title()).collect();
        let question = format!("{} will {what}. Really?", lost.join(", "));
        if !lost.is_empty() && !out.confirmed(&question)?.ok_or(Failure::NobodyToAsk)? {
            return Ok(false);
        }
    }
    Ok(true)
}

fn conclude(
    plan: &ChangePlan,
    results: &[Option<Made>],
    errand: &Errand,
    how: HowToWrite,
    out: &mut Out,
) -> Result<Exit, Failure> {
    let failed: Vec<(usize, &Made)> = results
        .iter()
        .enumerate()
        .filter_map(|(place, made)| Some((place, made.as_ref().filter(|made| made.outcome.is_failure())?)))
        .collect();
    if let [(first, made), rest @ ..] = &failed[..] {
        let left = results.iter().filter(|made| made.is_none()).count();
        let count = counted(failed.len(), "change");
        if left > 0 {
            out.note(&format!("{count} failed; {left} more not begun"))?;
        } else if !rest.is_empty() {
            out.note(&format!("{count} failed"))?;
        }
        out.hint(&tell::next(&plan.changes[*first], made, &errand.go_on))?;
        return Ok(Exit::Unfinished);
    }
    if how.dry_run {
        out.note("dry run: nothing was changed; the nodes concerned were asked for their settings")?;
    }
    let doubtful = results.iter().flatten().any(|made| made.outcome != Outcome::Done);
    let incomplete = !plan.untouched.is_empty() || doubtful;
    Ok(if incomplete { Exit::Wrong } else { Exit::of(&plan.findings) })
}
