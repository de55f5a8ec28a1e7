//! `undo`: make the rig what it was before a run.

use std::net::Ipv4Addr;

use lantern_core::census::NodeName;
use lantern_core::change::{Aspect, ChangePlan, Part, Replug, waiting_places};
use lantern_core::conversation::{Concern, Depth, OnCables, SurveyPlan};
use lantern_core::logbook::{Back, Begun, Ending, Order, Run, plan_back};
use lantern_core::pattern::Pattern;

use super::changes::{Around, Errand, HowToWrite, Reach, carry_out, let_settle, word, words};
use crate::commands::guided::Answer;
use crate::commands::hands::{Replugged, ask_to_replug};
use crate::commands::logbook::when;
use crate::commands::named;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::logbook_file::{LogbookFile, runs_of};
use crate::output::Out;
use crate::session::{Session, Where};

/// Take back what a run of apply or set has changed
///
/// Looks where everybody is now, and plans, shows, asks, writes and reads back like any change. Without --run it is the last
/// run that was not taken back. What was not told before it was changed cannot be taken back; that is said first.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// Which run, as the logbook calls it
    #[arg(long, value_name = "RUN")]
    run: Option<String>,

    /// Keep the steps up to this one, as logbook show numbers them
    #[arg(long, value_name = "NUMBER", default_value_t = 0)]
    keep: usize,

    /// Only these nodes, as in 'quay-*'; may be given several times
    #[arg(long, value_name = "NAME")]
    node: Vec<Pattern>,

    /// Guide me through what only hands put back: fixtures that were plugged in elsewhere
    #[arg(long, conflicts_with_all = ["dry_run", "yes", "json"])]
    guided: bool,

    /// Only this sort of settings; may be given several times
    #[arg(long, value_name = "SORT", value_parser = word(&Aspect::WORDS))]
    only: Vec<String>,

    #[command(flatten)]
    at: Where,

    #[command(flatten)]
    how: HowToWrite,
}

impl Args {
    /// Of the last run everything that concerns these nodes.
    pub(crate) fn of_nodes(nodes: Option<Pattern>, at: Where, how: HowToWrite) -> Self {
        Self { run: None, keep: 0, node: nodes.into_iter().collect(), only: Vec::new(), guided: false, at, how }
    }
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let sheet = args.at.sheet(out)?;
    let logbook = sheet.as_ref().map_or_else(crate::files::own_logbook, crate::files::SheetFile::logbook);
    let runs = runs_of(&logbook, out)?;
    let run = match &args.run {
        Some(wanted) => runs.iter().find(|run| run.id == *wanted).ok_or_else(|| Failure::NoRun {
            wanted: wanted.clone(),
            there: runs.iter().map(|run| run.id.clone()).collect(),
        })?,
        None => Run::to_undo(&runs).ok_or_else(|| Failure::NothingToUndo { logbook: logbook.clone() })?,
    };
    let part = Part { nodes: args.node.clone(), areas: Vec::new(), only: words(&Aspect::WORDS, &args.only) };
    let backs = run.back(&part, args.keep);
    let order = run.order().map_or("a run", Order::word);
    out.note(&format!("taking back {order} of {} (run {})", when(&run.at), run.id))?;
    tell_lost(&backs, out)?;
    if backs.is_empty() {
        let there = run.nodes().iter().map(|node| node.name.clone()).collect();
        let wanted = part.to_string();
        return Err(if args.node.is_empty() {
            Failure::NothingToUndo { logbook }
        } else {
            Failure::NotInRun { wanted, there }
        });
    }
    let session = Session::with_sheet(args.at.adapter.as_deref(), sheet, out)?;
    let _alone = args.how.alone_on(&session)?;
    let_settle(&runs, &logbook, out)?;
    let places: Vec<Ipv4Addr> = backs.iter().flat_map(|back| back.places.iter().copied()).collect();
    let known: Vec<&NodeName> = backs.iter().map(|back| &back.node).collect();
    let on_cables = named::known_on_cables(&known, Depth::Own);
    let reach = Reach::of(session, args.how, out, |session, out| {
        let waiting = waiting_places(session.seats(), session.sheet(), None);
        let likely = places.iter().copied().chain(waiting).collect();
        let concern = Concern::of_known(known.iter().copied(), places.iter().copied());
        let look = session.look_and_listen(concern, likely, Vec::new(), on_cables.clone(), out)?;
        let around = Around::of(session, &look, &runs)?;
        Ok(plan_back(&backs, &around.protection()))
    })?;
    let undoes = Some(run.id.clone());
    let sheet = reach.session.sheet_file().map(|file| file.path.display().to_string());
    let beside = sheet.as_ref().map(|sheet| format!(" --sheet {sheet}")).unwrap_or_default();
    let errand = Errand {
        begun: Begun {
            order: Order::Undo,
            sheet,
            part,
            undoes,
            keep: args.keep,
            resumed: false,
            guided: args.guided,
            fixtures: on_cables.reads(),
        },
        run: None,
        go_on: format!("deft-lantern undo --run {}{beside}", run.id),
        page: None,
        take_back: None,
    };
    let ended = carry_out(&reach.session, &reach.plan, &errand, args.how, out).and_then(|ended| {
        if !args.guided || reach.plan.replugs.is_empty() {
            return Ok(ended);
        }
        let mut hands =
            Hands { session: &reach.session, backs: &backs, known: &known, on_cables, errand: &errand };
        hands.put_back(&reach.plan, ended, out)
    });
    // What the run came to is told first.
    let given_back = reach.give_back(out);
    ended.and_then(|ended| given_back.map(|()| ended))
}

/// Fixtures that a person plugs in again where they hung before.
struct Hands<'a> {
    session: &'a Session,
    backs: &'a [Back],
    known: &'a [&'a NodeName],
    on_cables: OnCables,
    errand: &'a Errand,
}

impl Hands<'_> {
    /// Asks for one after the other and looks; `ended` is how the rest of the plan came out.
    fn put_back(&mut self, plan: &ChangePlan, ended: Exit, out: &mut Out) -> Result<Exit, Failure> {
        // A run that sent something is gone on with.
        let mut run = match plan.changes.is_empty() {
            true => None,
            false => runs_of(&self.session.logbook_path(), out)?.last().map(|run| run.id.clone()),
        };
        let is_rest_whole = plan.untouched.len() == plan.replugs.len() && ended != Exit::Unfinished;
        let (mut open, mut skipped) = (plan.replugs.clone(), Vec::new());
        while let Some(first) = open.first().map(Replug::from_to) {
            let asked: Vec<Replug> = open.iter().filter(|one| one.from_to() == first).cloned().collect();
            let names: Vec<String> = asked.iter().map(|one| one.name.clone()).collect();
            match ask_to_replug(&asked, out)? {
                Answer::Quit => return Ok(Exit::Unfinished),
                Answer::Skip => skipped.extend(names),
                _ => {
                    let replugged = Replugged::said(self.session, run.take(), &self.errand.begun, asked)?;
                    run = Some(replugged.run());
                    open = self.look(replugged, out)?;
                }
            }
            open.retain(|one| !skipped.contains(&one.name));
        }
        let is_whole = is_rest_whole && skipped.is_empty();
        let mut book = LogbookFile::begin(&self.session.logbook_path(), run, &self.errand.begun)?;
        book.end(if is_whole { Ending::Done } else { Ending::Unfinished })?;
        Ok(if is_whole { Exit::Fine } else { Exit::Unfinished })
    }

    /// Looks where they hang now. Gives those that are to be plugged in still.
    fn look(&self, replugged: Replugged, out: &mut Out) -> Result<Vec<Replug>, Failure> {
        let concern = Concern::of_known(self.known.iter().copied(), []);
        let whole = self.session.look_plan(concern, Vec::new());
        let (on_cables, rediscovers) = (self.on_cables.clone(), replugged.searched());
        let look = self.session.look_by(SurveyPlan { on_cables, rediscovers, ..whole }, out)?;
        let mut open = plan_back(self.backs, &Around::of(self.session, &look, &[])?.protection()).replugs;
        let fixtures = look.census.fixtures();
        let answers = |one: &Replug| fixtures.iter().any(|it| it.uid == one.fixture.uid && it.answers());
        // One that hangs nowhere now is to be plugged in as well.
        open.extend(replugged.fixtures().iter().filter(|one| !answers(one)).cloned());
        replugged.seen(|one| open.iter().all(|still| still.name != one.name), out)?;
        Ok(open)
    }
}

/// What nobody knows how it was.
fn tell_lost(backs: &[Back], out: &mut Out) -> Result<(), Failure> {
    for back in backs.iter().filter(|back| !back.lost.is_empty()) {
        let fields: Vec<String> = back.lost.iter().map(ToString::to_string).collect();
        let (name, fields) = (&back.node.name, fields.join(", "));
        out.note(&format!("{name}: {fields} cannot be taken back, since it was not told before"))?;
    }
    Ok(())
}
