//! `identify`: which one is it? Its indicators flash.

use std::io::{self, BufRead};
use std::sync::mpsc;
use std::time::{Duration, Instant};

use lantern_core::Indicators;
use lantern_core::census::Subject;
use lantern_core::change::{ChangePlan, Wish, plan_each};
use lantern_core::compare::Wanted;
use lantern_core::conversation::{Apply, ApplyNews, Concern, Manner, Outcome};
use lantern_core::pattern::Pattern;

use super::changes::Around;
use super::survey::time;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::interrupt::{self, Calm};
use crate::output::{Out, Tone};
use crate::session::{Session, Where};

/// How long somebody walks along the units, where he does not say.
const USUAL: &str = "20s";
/// How often it is looked whether the time is over, somebody pressed Enter, or breaks it off.
const LOOK: Duration = Duration::from_millis(50);

/// Let nodes flash, to see which ones they are
///
/// They flash until the time is over, or until Ctrl-C, and then do what they did before. With --each one after the other, the
/// next with Enter.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The nodes: name, address or MAC address; several by a pattern, as 'quay-*'
    #[arg(value_name = "NODE", required = true)]
    node: Vec<String>,

    /// For how long, as 20s or 2m
    #[arg(long = "for", value_name = "TIME", default_value = USUAL, value_parser = time, conflicts_with = "each")]
    length: Duration,

    /// One after the other, the next with Enter
    #[arg(long)]
    each: bool,

    #[command(flatten)]
    at: Where,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let session = Session::open(&args.at, out)?;
    let likely = args.node.iter().filter_map(|node| node.parse().ok()).collect();
    let concern = match &args.node[..] {
        [only] if !is_open(only) => Concern::of_one(only, []),
        _ => Concern::Everybody,
    };
    let look = session.look(concern, likely, out)?;
    let mut subjects = Vec::new();
    for node in &args.node {
        match node.parse::<Pattern>().ok().filter(Pattern::is_open) {
            Some(pattern) => subjects.extend(look.census.subjects(&pattern)?),
            None => subjects.push(look.census.subject(node)?),
        }
    }
    let around = Around::of(&session, &look, &[])?;
    let plan = |subjects: &[Subject]| {
        let wanted = Wanted { indicators: Some(Indicators::Flash), ..Wanted::default() };
        let wishes: Vec<Wish> =
            subjects.iter().map(|subject| Wish::asked_for(subject.clone(), wanted.clone())).collect();
        let plan = plan_each(&wishes, &around.protection());
        if plan.is_refused() { Err(Failure::Refused(plan.findings)) } else { Ok(plan) }
    };
    if !args.each {
        return flash(&session, &plan(&subjects)?, || Ok(()), args.length, out);
    }
    // Whoever presses Enter is heard beside the waiting.
    let (pressed, presses) = mpsc::channel();
    std::thread::spawn(move || {
        for line in io::stdin().lock().lines().map_while(Result::ok) {
            if pressed.send(line).is_err() {
                break;
            }
        }
    });
    let mut ended = Exit::Fine;
    for subject in &subjects {
        out.note("Enter for the next one, Ctrl-C to end")?;
        let wait = || match presses.try_recv() {
            Err(mpsc::TryRecvError::Empty) => Ok(()),
            // Nobody can press anything any more.
            Ok(_) | Err(mpsc::TryRecvError::Disconnected) => Err(()),
        };
        let one = flash(&session, &plan(std::slice::from_ref(subject))?, wait, Duration::MAX, out)?;
        ended = if one == Exit::Fine { ended } else { one };
    }
    Ok(ended)
}

fn is_open(node: &str) -> bool {
    node.parse::<Pattern>().is_ok_and(|pattern| pattern.is_open())
}

/// Lets them flash until `waits` says that it is enough, or the time is over; then they do what they did before, whatever
/// happened.
fn flash(
    session: &Session,
    plan: &ChangePlan,
    waits: impl Fn() -> Result<(), ()>,
    length: Duration,
    out: &mut Out,
) -> Result<Exit, Failure> {
    if plan.changes.is_empty() {
        out.line("they flash already, and not because of this program: nothing was sent")?;
        return Ok(Exit::Fine);
    }
    let flashing = carry(session, plan, "flashes", out);
    let waited = match flashing {
        Ok(_) => wait(waits, length),
        Err(_) => Ok(()),
    };
    // Whoever breaks it off still wants it to end dark.
    let signal = interrupt::signal();
    interrupt::forget();
    let back = carry(session, &plan.back(), "as before", out);
    let all = flashing? && back?;
    waited?;
    match signal {
        Some(signal) => Err(Failure::Interrupted { signal }),
        None if all => Ok(Exit::Fine),
        None => Ok(Exit::Unfinished),
    }
}

fn wait(waits: impl Fn() -> Result<(), ()>, length: Duration) -> Result<(), Failure> {
    let _calm = Calm::begin();
    let began = Instant::now();
    while began.elapsed() < length && waits().is_ok() && interrupt::signal().is_none() {
        std::thread::sleep(LOOK);
    }
    Ok(())
}

/// Makes the changes and tells of each; gives whether all were made.
fn carry(session: &Session, plan: &ChangePlan, word: &str, out: &mut Out) -> Result<bool, Failure> {
    let restart_time = Duration::from_secs(6);
    let manner = Manner { restart_time, at_once: Manner::AT_ONCE, stop_on_failure: false };
    let mut apply = Apply::new(plan, session.vantage(), manner);
    session.run(&mut apply, |_, _, event| {
        let Some(event) = event else { return Ok(()) };
        let ApplyNews::Made(made) = event.news else { return Ok(()) };
        let name = plan.changes[event.change].subject.title();
        let at = made.subject.address();
        let (tone, word) = match &made.outcome {
            Outcome::Done | Outcome::Unverified(_) => (Tone::Good, word),
            Outcome::Silent { .. } => (Tone::Bad, "silent"),
            Outcome::Refused(_) => (Tone::Bad, "refused"),
            _ => (Tone::Doubtful, "uncertain"),
        };
        let word = out.paint().dye(tone, word);
        Ok(out.line(&format!("{word}  {name} at {at}"))?)
    })?;
    Ok(apply.made().iter().all(|made| made.as_ref().is_some_and(|made| !made.outcome.is_failure())))
}
