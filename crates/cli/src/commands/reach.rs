//! `reach`: do these addresses answer, in which ways, and how fast; and which of a range are free.

use std::net::Ipv4Addr;

use lantern_core::address::AddressRange;
use lantern_core::census::{Way, Ways};
use lantern_core::conversation::{Answers, Hold, Reach, Reached};
use serde::Serialize;

use super::named;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::{Cell, Out, Table, Tone, counted, millis, wrapped};
use crate::session::{Session, Where};

/// The most addresses asked in one go.
const MOST: u64 = 4096;
/// How often each address of a range is asked: a lost question must not make one free.
const RANGE_TIMES: u32 = 3;

/// Ask whether addresses answer, in which ways, and how fast
///
/// By ARP, echo and Art-Net side by side, with times and losses. Sends nothing that changes anything. Ends with 1 when one of the targets does not answer, or is held twice. Of a range it
/// says who has which address, and which are free, asked now.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// Whom: address, MAC address, or name, on the sheet or as it calls itself
    #[arg(value_name = "TARGET", required_unless_present = "range")]
    targets: Vec<String>,

    /// A range of addresses, as 10.40.1.0/24 or 10.40.1.1-10.40.1.50
    #[arg(long, value_name = "RANGE", conflicts_with = "targets")]
    range: Vec<AddressRange>,

    /// How often each is asked
    #[arg(long, value_name = "COUNT", default_value_t = Reach::USUAL, value_parser = clap::value_parser!(u32).range(1..=1000), conflicts_with = "range")]
    times: u32,

    #[command(flatten)]
    at: Where,
}

#[derive(Debug, Serialize)]
struct Answer<'a> {
    format: u32,
    targets: Vec<Line<'a>>,
    /// Only of a range: runs of addresses that nobody has now.
    free: Option<Vec<String>>,
}

#[derive(Debug, Serialize)]
struct Line<'a> {
    called: Option<&'a str>,
    address: Ipv4Addr,
    state: Hold,
    name: String,
    holders: Vec<String>,
    ways: Vec<WayLine>,
}

#[derive(Debug, Serialize)]
struct WayLine {
    way: Way,
    asked: usize,
    answered: usize,
    loss_percent: usize,
    shortest_ms: Option<f64>,
    middle_ms: Option<f64>,
    longest_ms: Option<f64>,
    jitter_ms: Option<f64>,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let count: u64 = args.range.iter().map(|range| range.len()).sum();
    if count > MOST {
        return Err(Failure::RangeTooLong { count, most: MOST });
    }
    let session = Session::open(&args.at, out)?;
    let targets = named::addresses(&args.targets, &session, out)?;
    let is_range = !args.range.is_empty();
    let addresses: Vec<Ipv4Addr> = if is_range {
        args.range.iter().flat_map(|range| (0..range.len()).filter_map(|n| range.nth(n))).collect()
    } else {
        targets.iter().map(|(_, address)| *address).collect()
    };
    // Who has an address says so by ARP; where that cannot be asked, nothing is left out.
    let by_arp = is_range && session.vantage().frames_from().is_some();
    let ways = if by_arp { Ways::only(&[Way::Arp, Way::Echo]) } else { Ways::ALL };
    let reach = asked(&session, &addresses, ways, if is_range { RANGE_TIMES } else { args.times }, out)?;
    let called = |address: Ipv4Addr| {
        targets
            .iter()
            .find(|(name, at)| *at == address && *name != address.to_string())
            .map(|(name, _)| name.as_str())
    };
    if out.is_json() {
        out.object(&Answer {
            format: 1,
            targets: reach.reached().iter().map(|one| line(&reach, one, called(one.address))).collect(),
            free: is_range.then(|| runs(&reach, Hold::Free)),
        })?;
    } else if is_range {
        show_range(&reach, out)?;
    } else {
        show(&reach, &called, out)?;
    }
    let is_wrong = |one: &Reached| match one.hold(reach.vantage()) {
        Hold::Answers | Hold::Own => false,
        Hold::HeldTwice => true,
        Hold::OnlyHeld | Hold::Free | Hold::Silent => !is_range,
    };
    Ok(if reach.reached().iter().any(is_wrong) { Exit::Wrong } else { Exit::Fine })
}

/// Asks all of them.
pub(super) fn asked(
    session: &Session,
    addresses: &[Ipv4Addr],
    ways: Ways,
    times: u32,
    out: &mut Out,
) -> Result<Reach, Failure> {
    let mut reach = Reach::new(session.vantage(), addresses, ways, times);
    let progress = out.progress();
    session.run(&mut reach, |reach, _, _| {
        progress.show(format!("asking: {} left", counted(reach.left(), "question")));
        Ok(())
    })?;
    drop(progress);
    Ok(reach)
}

/// The ways in which an address was asked.
pub(super) fn ways_of(one: &Reached) -> Vec<(Way, &Answers)> {
    let all = [(Way::Arp, &one.arp), (Way::Echo, &one.echo), (Way::ArtNet, &one.art_net)];
    all.into_iter().filter(|(_, answers)| answers.asked() > 0).collect()
}

fn line<'a>(reach: &Reach, one: &Reached, called: Option<&'a str>) -> Line<'a> {
    let ms = |time: Option<std::time::Duration>| time.map(|time| (time.as_secs_f64() * 1e6).round() / 1e3);
    let way = |(way, answers): (Way, &Answers)| WayLine {
        way,
        asked: answers.asked(),
        answered: answers.answered(),
        loss_percent: answers.loss_percent(),
        shortest_ms: ms(answers.shortest()),
        middle_ms: ms(answers.middle()),
        longest_ms: ms(answers.longest()),
        jitter_ms: ms(answers.jitter()),
    };
    Line {
        called,
        address: one.address,
        state: one.hold(reach.vantage()),
        name: one.name.to_string(),
        holders: one.holders.iter().map(ToString::to_string).collect(),
        ways: ways_of(one).into_iter().map(way).collect(),
    }
}

/// How an address stands, in words.
fn words(hold: Hold) -> (&'static str, Tone) {
    match hold {
        Hold::Own => ("this computer", Tone::Faint),
        Hold::Answers => ("answers", Tone::Good),
        Hold::OnlyHeld => ("held, silent", Tone::Doubtful),
        Hold::HeldTwice => ("held twice", Tone::Bad),
        Hold::Free => ("nobody has it", Tone::Bad),
        Hold::Silent => ("silent", Tone::Bad),
    }
}

fn show<'a>(reach: &Reach, called: &dyn Fn(Ipv4Addr) -> Option<&'a str>, out: &mut Out) -> Result<(), Failure> {
    let headings = ["target", "state", "way", "answered", "lost", "shortest", "middle", "longest", "jitter"];
    let mut table = Table::new(&headings).unbroken(&headings);
    let time = |time: Option<std::time::Duration>| time.map(millis).unwrap_or_default();
    for one in reach.reached() {
        let (state, tone) = words(one.hold(reach.vantage()));
        let title =
            called(one.address).map_or_else(|| one.address.to_string(), |name| format!("{name} {}", one.address));
        let mut head = [Cell::new(title, Tone::Strong), Cell::new(state, tone)];
        for (way, answers) in ways_of(one) {
            // Most do not speak Art-Net, and a poll is repeated only where nobody answers: neither is a loss.
            let loss = match (way, answers.loss_percent()) {
                (Way::ArtNet, _) => Cell::default(),
                (_, 0) => "0 %".into(),
                (_, lost) => Cell::new(format!("{lost} %"), Tone::Doubtful),
            };
            let [target, state] = std::mem::take(&mut head);
            table.row(vec![
                target,
                state,
                way.to_string().into(),
                format!("{} of {}", answers.answered(), answers.asked()).into(),
                loss,
                time(answers.shortest()).into(),
                time(answers.middle()).into(),
                time(answers.longest()).into(),
                time(answers.jitter()).into(),
            ]);
        }
        if ways_of(one).is_empty() {
            let [target, state] = head;
            table.row([vec![target, state], vec![Cell::default(); 7]].concat());
        }
    }
    out.table(&table)?;
    out.line("")?;
    for one in reach.reached() {
        let holders: Vec<String> = one.holders.iter().map(ToString::to_string).collect();
        let who = match (one.name.is_empty(), holders.is_empty()) {
            (true, true) => continue,
            (true, false) => holders.join(" and "),
            (false, true) => one.name.to_string(),
            (false, false) => format!("{}, {}", one.name, holders.join(" and ")),
        };
        out.line(&format!("{}: {who}", one.address))?;
    }
    for one in reach.reached() {
        let address = one.address;
        match one.hold(reach.vantage()) {
            Hold::OnlyHeld | Hold::Free | Hold::Silent | Hold::HeldTwice => {
                return Ok(out.hint(&format!("deft-lantern why {address}"))?);
            }
            Hold::Own | Hold::Answers => {}
        }
    }
    Ok(())
}

fn show_range(reach: &Reach, out: &mut Out) -> Result<(), Failure> {
    let mut table = Table::new(&["address", "state", "MAC address", "echo"]).unbroken(&[
        "address",
        "state",
        "MAC address",
        "echo",
    ]);
    let held = |one: &&Reached| !matches!(one.hold(reach.vantage()), Hold::Free | Hold::Silent);
    for one in reach.reached().iter().filter(held) {
        let (state, tone) = words(one.hold(reach.vantage()));
        let holders: Vec<String> = one.holders.iter().map(ToString::to_string).collect();
        let echo = one.echo.middle().map(millis).unwrap_or_default();
        let address = Cell::new(one.address.to_string(), Tone::Strong);
        table.row(vec![address, Cell::new(state, tone), holders.join(" and ").into(), echo.into()]);
    }
    out.table(&table)?;
    out.line("")?;
    for (hold, what) in [
        (Hold::Free, "free now"),
        (Hold::Silent, "silent; ARP cannot ask there, so nobody can say that they are free"),
    ] {
        let count = reach.reached().iter().filter(|one| one.hold(reach.vantage()) == hold).count();
        if count > 0 {
            let text = format!("{count} {what}: {}", runs(reach, hold).join(", "));
            out.line(&wrapped(&text, out.width(), 2))?;
        }
    }
    Ok(())
}

/// The addresses that stand so, neighbours together.
fn runs(reach: &Reach, hold: Hold) -> Vec<String> {
    let stand_so = reach.reached().iter().filter(|one| one.hold(reach.vantage()) == hold);
    AddressRange::runs(stand_so.map(|one| one.address)).iter().map(ToString::to_string).collect()
}
