//! `watch`: what becomes of every device, live.

mod lines;
mod metrics;
mod record;
mod summary;
mod view;

use std::net::SocketAddr;
use std::ops::ControlFlow;
use std::path::PathBuf;
use std::time::Duration;

use lantern_core::conversation::{OnCables, SurveyPlan, Watch, WatchPlan};
use lantern_core::sheet::{Member, RigSheet};
use lantern_core::watch::Happening;

use super::survey::{time, wants};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::Out;
use crate::session::{Session, Where};

use metrics::Metrics;
use record::Record;
use view::Screen;

/// How fast anybody may want to be asked.
const FASTEST: Duration = Duration::from_millis(500);

/// How often anybody may want fixtures to be asked: their cables are there for the levels.
const OFTENEST: Duration = Duration::from_secs(5);

/// Watch every device, and tell what changes
///
/// Everybody is asked every two and a half seconds, by Art-Net and by echo (ARP where there is no echo), evenly and never faster
/// than --pace; when the network loses much, less often. On a terminal it is a live view; elsewhere a line for each thing that
/// happens. It changes nothing, and goes on until q, Ctrl-C or the end of --for.
#[derive(Debug, clap::Args)]
#[command(args_conflicts_with_subcommands = true, subcommand_negates_reqs = true)]
pub(crate) struct Args {
    #[command(subcommand)]
    sub: Option<Sub>,

    /// The rig sheet; without it, the only *.rig.toml in this folder, if there is one
    #[arg(value_name = "FILE.rig.toml")]
    sheet: Option<PathBuf>,

    /// The adapter that leads to the rig: its name, its label or one of its addresses
    #[arg(long, value_name = "NAME|LABEL|ADDRESS")]
    adapter: Option<String>,

    /// End after so long, as 90s or 8h
    #[arg(long = "for", value_name = "TIME", value_parser = time)]
    length: Option<Duration>,

    /// How often everybody is asked
    #[arg(long, value_name = "TIME", default_value = "2500ms", value_parser = time)]
    every: Duration,

    /// Packets a second to single devices, at most
    #[arg(long, value_name = "PACKETS", default_value_t = WatchPlan::PACE, value_parser = clap::value_parser!(u32).range(1..=5000))]
    pace: u32,

    /// Also ask fixtures behind gateways how they are, each every minute, or so often: sensors, reports, damaged messages. It puts
    /// requests on their cables, between the levels
    #[arg(long, value_name = "TIME", num_args = 0..=1, require_equals = true, default_missing_value = "60s", value_parser = time)]
    fixtures: Option<Duration>,

    /// A line for each thing that happens, on a terminal too
    #[arg(long)]
    lines: bool,

    /// Keep how everybody fared in this file, for `watch summary`
    #[arg(long, value_name = "FILE")]
    record: Option<PathBuf>,

    /// Serve the figures as OpenMetrics; without an address before the port on this computer only
    #[arg(long, value_name = "[ADDRESS:]PORT", value_parser = metrics::place)]
    metrics: Option<SocketAddr>,
}

#[derive(Debug, clap::Subcommand)]
enum Sub {
    /// Tell how everybody fared in a recorded watch
    Summary(summary::Args),
}

/// What sees how the watch goes on.
trait Eye {
    /// Something happened.
    fn happened(&mut self, watch: &Watch, happening: &Happening, out: &mut Out) -> Result<(), Failure>;

    /// Time has passed. `lost` frames came faster than this computer could read them. Gives whether to go on.
    fn look(&mut self, watch: &Watch, now: Duration, lost: u64, out: &mut Out) -> Result<bool, Failure>;

    /// It is over.
    fn end(&mut self, watch: &Watch, now: Duration, out: &mut Out) -> Result<(), Failure>;
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    if let Some(Sub::Summary(args)) = &args.sub {
        return summary::run(args, out);
    }
    if args.every < FASTEST {
        return Err(Failure::Call(
            "a show network is asked twice a second at most: --every is 500ms or more".into(),
        ));
    }
    if args.fixtures.is_some_and(|every| every < OFTENEST) {
        return Err(Failure::Call("what fixtures measure changes slowly: --fixtures is 5s or more".into()));
    }
    let record = args.record.as_ref().map(|path| Record::begin(path)).transpose()?;
    let metrics = args.metrics.map(Metrics::serve).transpose()?;
    let at = Where { adapter: args.adapter.clone(), sheet: args.sheet.clone() };
    let sheet = at.sheet(out)?;
    let session = Session::wanting(&wants(&[]), at.adapter.as_deref(), sheet, out)?;
    let mut eyes: Vec<Box<dyn Eye>> = Vec::new();
    eyes.extend(record.map(|record| Box::new(record) as Box<dyn Eye>));
    if let Some(metrics) = metrics {
        out.note(&format!("figures are served at http://{}/metrics", metrics.at()))?;
        eyes.push(Box::new(metrics));
    }
    let mut watch = Watch::new(plan(args, &session));
    if out.is_live() && !args.lines && !out.is_json() {
        eyes.push(Box::new(Screen::open(&session, out)?));
    } else {
        eyes.push(Box::new(lines::Lines::default()));
    }
    see(&session, &mut watch, &mut eyes, out)
}

fn plan(args: &Args, session: &Session) -> WatchPlan {
    let base = session.survey_plan();
    let planned = |sheet: &RigSheet| sheet.members().filter_map(Member::fixed_address).collect();
    let likely = session.sheet().map(planned).unwrap_or_default();
    let universes = session.sheet().map(RigSheet::sacn_universes).unwrap_or_default();
    let sheet = session.sheet().cloned();
    let on_cables = args.fixtures.map_or(OnCables::Nothing, OnCables::Watch);
    let survey = SurveyPlan { sheet, likely, universes, ask_settings: true, on_cables, ..base };
    WatchPlan { survey, every: args.every, pace: args.pace, end: args.length }
}

fn see(session: &Session, watch: &mut Watch, eyes: &mut [Box<dyn Eye>], out: &mut Out) -> Result<Exit, Failure> {
    let mut last = Duration::ZERO;
    let ran = session.run_until_left(watch, |watch, now, event| {
        last = now;
        let mut flow = ControlFlow::Continue(());
        for eye in &mut *eyes {
            match &event {
                Some(happening) => eye.happened(watch, happening, out)?,
                None if eye.look(watch, now, session.station().lost(), out)? => {}
                None => flow = ControlFlow::Break(()),
            }
        }
        Ok(flow)
    });
    // Whatever ended it, what was begun is ended: a file, a terminal.
    let ended: Vec<Result<(), Failure>> = eyes.iter_mut().rev().map(|eye| eye.end(watch, last, out)).collect();
    say_lost(session, out)?;
    if watch.board().overlooked() > 0 {
        out.note("there are more devices or senders than are watched; what came from the rest is in no count")?;
    }
    ran?;
    ended.into_iter().collect::<Result<Vec<()>, Failure>>()?;
    let bad = watch.board().watched().any(|one| one.state.is_bad());
    Ok(if bad { Exit::Wrong } else { Exit::Fine })
}

/// Says how much came faster than it could be read, if anything did: what was counted lacks it.
pub(in crate::commands) fn say_lost(session: &Session, out: &mut Out) -> Result<(), Failure> {
    let lost = session.station().lost();
    if lost > 0 {
        out.note(&format!("{lost} frames came faster than this computer could read them, and are in no count"))?;
    }
    Ok(())
}
