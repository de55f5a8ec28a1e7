//! `levels`: the 512 slots of one universe, live; and test levels within limits.

mod screen;
mod show;
mod test;

use std::time::Duration;

use lantern_core::conversation::Listening;
use lantern_core::universe::Universe;
use lantern_net::Wants;

use super::survey::time;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::Out;
use crate::session::{Session, Where};

/// How long is listened where nobody looks on: whoever sends does so within four seconds.
const LISTEN: Duration = Duration::from_millis(4200);

/// Show the 512 levels of a universe, or send test levels
///
/// Listens to what reaches this computer: by sACN everything, by Art-Net what goes to everybody. On a terminal live, elsewhere
/// once. With --set, --all, --chase or --ramp it sends levels instead, for as long as --for says: only after asking, not where
/// somebody else sends the universe, and at the end always all at 0 and, by sACN, with the word that no more comes.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The universe, in any notation of `universe`: 0:0:1, "sacn 273", "desk 1"
    #[arg(value_name = "UNIVERSE")]
    universe: String,

    /// Send these levels, all others at 0: 1=255, 1-10=50%
    #[arg(long, value_name = "SLOT=LEVEL", num_args = 1.., group = "pattern")]
    set: Vec<lantern_core::levels::Setting>,

    /// Send this level in all slots: 50%, 255
    #[arg(long, value_name = "LEVEL", value_parser = lantern_core::levels::Pattern::level, group = "pattern")]
    all: Option<u8>,

    /// Send one slot after the other at full, two a second
    #[arg(long, group = "pattern")]
    chase: bool,

    /// Send all slots up to full and down again, in ten seconds
    #[arg(long, group = "pattern")]
    ramp: bool,

    /// How long to listen, or to send; ten minutes at most
    #[arg(long = "for", value_name = "TIME", value_parser = time)]
    length: Option<Duration>,

    /// To which nodes by Art-Net: names, addresses or MAC addresses; without, to those that put the universe out
    #[arg(long, value_name = "NODE", num_args = 1.., requires = "pattern")]
    to: Vec<String>,

    /// Messages a second, at most
    #[arg(long, value_name = "NUMBER", default_value_t = 30, value_parser = clap::value_parser!(u32).range(1..=44), requires = "pattern")]
    rate: u32,

    /// With which priority by sACN
    #[arg(long, value_name = "0-200", default_value_t = 100, value_parser = clap::value_parser!(u8).range(0..=200), requires = "pattern")]
    priority: u8,

    /// Send although somebody else sends the universe
    #[arg(long, requires = "pattern")]
    beside_others: bool,

    /// Do not ask
    #[arg(long, requires = "pattern")]
    yes: bool,

    #[command(flatten)]
    at: Where,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let sheet = args.at.sheet(out)?;
    let desk = sheet.as_ref().map(|file| file.sheet.desk).unwrap_or_default();
    let universe = super::universe::one(&args.universe, desk)?;
    if let Some(pattern) = test::pattern(args) {
        return test::run(args, universe, pattern, sheet, out);
    }
    let session = Session::wanting(&wants(universe), args.at.adapter.as_deref(), sheet, out)?;
    if out.is_live() && !out.is_json() {
        return screen::run(&session, universe, args.length, out);
    }
    let mut listening = Listening::new(session.vantage(), universe, Some(args.length.unwrap_or(LISTEN)));
    session.run(&mut listening, |_, _, _| Ok(()))?;
    super::watch::say_lost(&session, out)?;
    show::tell(&session, &listening, out)
}

/// What is opened for one universe.
fn wants(universe: Universe) -> Wants {
    let port = match universe {
        Universe::ArtNet(_) => lantern_core::ART_NET_PORT,
        Universe::Sacn(_) => lantern_core::SACN_PORT,
    };
    Wants { ports: vec![port], frames: true, ..Wants::default() }
}
