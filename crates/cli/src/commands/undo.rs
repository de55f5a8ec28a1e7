//! `undo`: make the rig what it was before a run.

use std::net::Ipv4Addr;

use lantern_core::census::NodeName;
use lantern_core::change::{Aspect, Part, waiting_places};
use lantern_core::conversation::{Concern, Depth};
use lantern_core::logbook::{Back, Begun, Order, Run, plan_back};
use lantern_core::pattern::Pattern;

use super::changes::{Around, Errand, HowToWrite, Reach, carry_out, let_settle, word, words};
use crate::commands::logbook::when;
use crate::commands::named;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::logbook_file::runs_of;
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
        Self { run: None, keep: 0, node: nodes.into_iter().collect(), only: Vec::new(), at, how }
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
            guided: false,
            fixtures: on_cables.reads(),
        },
        run: None,
        go_on: format!("deft-lantern undo --run {}{beside}", run.id),
        page: None,
        take_back: None,
    };
    let ended = carry_out(&reach.session, &reach.plan, &errand, args.how, out);
    // What the run came to is told first.
    let given_back = reach.give_back(out);
    ended.and_then(|ended| given_back.map(|()| ended))
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
