//! `identify`: which one is it? Its indicators flash.

use std::io::{self, BufRead};
use std::sync::mpsc;
use std::time::{Duration, Instant};

use lantern_core::Indicators;
use lantern_core::census::Subject;
use lantern_core::change::{ChangePlan, Wish, plan_each};
use lantern_core::compare::{Wanted, WantedPort};
use lantern_core::conversation::{Apply, Made, Manner, Outcome};

use super::changes::{AT_ONCE, Around};
use super::named;
use super::survey::time;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::interrupt::{self, Calm};
use crate::output::{Out, Tone};
use crate::session::{Session, Where};

/// How long somebody walks along the units, where he does not say.
const USUAL: &str = "20s";
/// How long a node may take to flash, or to end it.
const ANSWER_TIME: Duration = Duration::from_secs(6);
/// How often it is looked whether the time is over, somebody pressed Enter, or breaks it off.
const LOOK: Duration = Duration::from_millis(50);

/// Let nodes flash, to see which ones they are
///
/// They flash until the time is over, or until Ctrl-C, and then do what they did before. With --each one after the other, the
/// next with Enter.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The nodes: name, address or MAC address; fixtures: RDM identifier, or name on the sheet; several by a pattern, as 'quay-*'
    #[arg(value_name = "NODE", required = true)]
    node: Vec<String>,

    /// For how long, as 20s or 2m
    #[arg(long = "for", value_name = "TIME", default_value = USUAL, value_parser = time, conflicts_with = "each")]
    length: Duration,

    /// One after the other, the next with Enter
    #[arg(long)]
    each: bool,

    /// Only these ports of theirs, from 1, where the gateway can flash one by itself
    #[arg(long, value_name = "NUMBER", value_parser = clap::value_parser!(u32).range(1..))]
    port: Vec<u32>,

    #[command(flatten)]
    at: Where,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let session = Session::open(&args.at, out)?;
    let look = named::look(&session, &args.node, out)?;
    let subjects = named::subjects(&args.node, &look.census, session.sheet())?;
    let around = Around::of(&session, &look, &[])?;
    if !args.each {
        return flash(&session, &to_flash(&subjects, &args.port, &around)?, || true, args.length, out);
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
        // Where nobody can press anything any more, the next one is due too.
        let goes_on = || matches!(presses.try_recv(), Err(mpsc::TryRecvError::Empty));
        let plan = to_flash(std::slice::from_ref(subject), &args.port, &around)?;
        let one = flash(&session, &plan, goes_on, Duration::MAX, out)?;
        ended = if one == Exit::Fine { ended } else { one };
    }
    Ok(ended)
}

/// What lets them flash, or only these ports of theirs.
pub(crate) fn to_flash(subjects: &[Subject], ports: &[u32], around: &Around<'_>) -> Result<ChangePlan, Failure> {
    let of_port = |number: &u32| WantedPort {
        number: *number,
        indicators: Some(Indicators::Flash),
        ..WantedPort::default()
    };
    let wanted = Wanted {
        indicators: ports.is_empty().then_some(Indicators::Flash),
        ports: ports.iter().map(of_port).collect(),
        ..Wanted::default()
    };
    let wishes: Vec<Wish> =
        subjects.iter().map(|subject| Wish::asked_for(subject.clone(), wanted.clone())).collect();
    let plan = plan_each(&wishes, &around.protection());
    if plan.is_refused() { Err(Failure::Refused(plan.findings)) } else { Ok(plan) }
}

/// Lets them flash as long as it `goes_on`, or until the time is over; then they do what they did before, whatever happened.
pub(crate) fn flash(
    session: &Session,
    plan: &ChangePlan,
    goes_on: impl Fn() -> bool,
    length: Duration,
    out: &mut Out,
) -> Result<Exit, Failure> {
    if plan.changes.is_empty() {
        out.line("they flash already, and not because of this program: nothing was sent")?;
        return Ok(Exit::Fine);
    }
    let _calm = Calm::begin();
    let mut flash = apply(session, plan);
    let flashing = session.run(&mut flash, |_, _, _| Ok(())).and_then(|_| {
        let all = tell(plan, flash.made(), "flashes", out)?;
        wait(goes_on, length);
        interrupt::check().map(|()| all)
    });
    // Whoever breaks it off, or reads no further, still wants it to end dark.
    let before = plan.back();
    let mut back = apply(session, &before);
    let back = session.put_back(&mut back).and_then(|_| tell(&before, back.made(), "as before", out));
    let all = flashing? && back?;
    Ok(if all { Exit::Fine } else { Exit::Unfinished })
}

/// Waits as long as it `goes_on`, until the time is over or somebody breaks it off.
fn wait(goes_on: impl Fn() -> bool, length: Duration) {
    let began = Instant::now();
    while began.elapsed() < length && goes_on() && interrupt::check().is_ok() {
        std::thread::sleep(LOOK);
    }
}

/// The changes of a plan, to be made.
pub(crate) fn apply(session: &Session, plan: &ChangePlan) -> Apply {
    let manner = Manner { restart_time: ANSWER_TIME, at_once: AT_ONCE.into(), stop_on_failure: false };
    Apply::new(plan, session.vantage(), manner)
}

/// Tells of each what became of it, with `word` where all went well; gives whether all did.
fn tell(plan: &ChangePlan, all: &[Option<Made>], word: &str, out: &mut Out) -> Result<bool, Failure> {
    for (change, made) in plan.changes.iter().zip(all) {
        let Some(made) = made else { continue };
        let (tone, word) = match &made.outcome {
            Outcome::Done | Outcome::Unverified(_) => (Tone::Good, word),
            Outcome::Silent { .. } => (Tone::Bad, "silent"),
            Outcome::Refused(_) => (Tone::Bad, "refused"),
            _ => (Tone::Doubtful, "uncertain"),
        };
        let word = out.paint().dye(tone, word);
        let ports: Vec<String> =
            change.differences.iter().filter_map(|one| one.field.port()).map(|port| port.to_string()).collect();
        let of = if ports.is_empty() { String::new() } else { format!(" port {}", ports.join(", ")) };
        out.line(&format!("{word}  {}{of} at {}", change.subject.title(), made.subject.address()))?;
    }
    Ok(all.iter().all(|made| made.as_ref().is_some_and(|made| !made.outcome.is_failure())))
}
