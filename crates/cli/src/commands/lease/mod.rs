//! `lease`: the sheet as DHCP server, for as long as it is needed.

mod giving;
mod kept;
mod show;

use std::collections::BTreeMap;
use std::time::Duration;

use jiff::{SpanRelativeTo, Unit};
use lantern_core::DHCP_SERVER_PORT;
use lantern_core::address::AddressRange;
use lantern_core::conversation::Leasing;
use lantern_core::finding::Severity;
use lantern_core::lease::{LeasePlan, LeaseWishes, judge, rival_finding};
use lantern_core::rework::with_macs;
use lantern_core::sheet::Edits;
use lantern_net::Wants;

use super::sheet::rewrite::{HowToRewrite, propose, rewrite};
use super::survey::time;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::output::{Out, findings};
use crate::session::{OnOneSheet, Session};

/// The longest lease there is: a year.
const LONGEST: f64 = 365.0 * 86_400.0;

/// Give units that take DHCP the addresses that the rig sheet plans for them
///
/// It does so for as long as it runs. First it is looked whether another DHCP server is there, and an address is asked for by ARP before it is given. Units are
/// known by the MAC address on the sheet; whoever is not on it gets nothing. Leases are short at first; ended with Ctrl-C, every
/// unit is told to keep its address. Everything is in NAME.leases.jsonl beside the sheet: begun again, it gives the same.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    #[command(flatten)]
    on: OnOneSheet,

    /// The next unknown unit to ask is this one of the sheet; given several times, they are taken in this order
    #[arg(long, value_name = "NODE")]
    next: Vec<String>,

    /// The unit on this port is that one, where the switch tells it by DHCP (option 82): --on-port gi7=hall-amp-left; a port that is
    /// no text is written as 0x000400010007
    #[arg(long, value_name = "PORT=NODE", value_parser = on_port)]
    on_port: Vec<(String, String)>,

    /// Give other units addresses out of this range, as 10.40.8.1-10.40.8.50
    #[arg(long, value_name = "RANGE")]
    pool: Option<AddressRange>,

    /// End once every unit that is awaited has its address
    #[arg(long)]
    until_all: bool,

    /// End once nobody new has been given an address for so long, as 20s; units that have a fixed address do not ask
    #[arg(long, value_name = "TIME", value_parser = time)]
    until_quiet: Option<Duration>,

    /// End after so long, as 30s or 10m
    #[arg(long, value_name = "TIME", value_parser = time)]
    timeout: Option<Duration>,

    /// For how long units keep their address when this ends, as 30d or 12h
    #[arg(long, value_name = "TIME", default_value = "30d", value_parser = span)]
    keep: u32,

    /// Show who would be given what, and give nothing
    #[arg(long, conflicts_with = "yes")]
    dry_run: bool,

    /// Do not ask before anything is given, nor before MAC addresses are written into the sheet
    #[arg(long)]
    yes: bool,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let file = SheetFile::one(args.on.sheet.as_deref())?;
    // Addresses, names and identities: what is sent to whom is no matter here.
    file.refuse_clashes_of("AN")?;
    let wishes = LeaseWishes { next: args.next.clone(), circuits: args.on_port.clone(), pool: args.pool };
    let plan = LeasePlan::by_sheet(&file.sheet, &wishes).map_err(|wanted| {
        let fixed = file.sheet.members().filter(|member| member.fixed_address().is_some());
        Failure::NotOnSheet { wanted, there: fixed.map(|member| member.name().value.clone()).collect() }
    })?;
    let wants = Wants { ports: vec![DHCP_SERVER_PORT], frames: true, ..Wants::default() };
    let session = Session::wanting(&wants, args.on.adapter.as_deref(), Some(file.clone()), out)?;
    refuse_without_frames(&session)?;
    let against = judge(&plan, &wishes, session.seats(), session.station().is_held(DHCP_SERVER_PORT));
    if against.iter().any(|finding| finding.rule.severity == Severity::Error) {
        return Err(Failure::Refused(against));
    }
    findings::show_on_notes(out, &against)?;
    if plan.awaited(session.seats()).next().is_none() && plan.pool.is_empty() {
        return Err(Failure::Call("nobody would be given an address".to_owned()));
    }
    show::plan(&plan, &wishes, session.seats(), out)?;
    if args.dry_run {
        out.note("nothing was given: --dry-run")?;
        return Ok(Exit::Fine);
    }
    if !args.yes && !out.confirmed("Give these addresses to whoever asks?")?.ok_or(Failure::NobodyToAsk)? {
        out.line("nothing was given")?;
        return Ok(Exit::Unfinished);
    }
    let (kept, before) = kept::Kept::open(&file, out)?;
    let no_mac = || Failure::Call(format!("{} has no MAC address to speak from", session.adapter()));
    let leasing = Leasing::new(plan, &session.vantage(), args.keep, args.until_all);
    let mut leasing = leasing.ok_or_else(no_mac)?.until_quiet_for(args.until_quiet);
    kept::remember(&mut leasing, &before);
    giving::give(&session, &mut leasing, kept, args.timeout, out)?;
    end(&leasing, &file, args.yes, out)
}

/// Without frames nobody who has no address can be answered.
fn refuse_without_frames(session: &Session) -> Result<(), Failure> {
    if session.is_on_loopback() {
        let why = "on loopback nobody asks by DHCP: try it with deft-lantern demo --stay --ground segment";
        return Err(Failure::Call(why.to_owned()));
    }
    if session.station().means().frames {
        return Ok(());
    }
    Err(Failure::Rights(vec!["raw frames, to answer those who have no address (CAP_NET_RAW)"]))
}

/// Says how everybody came out of it, and writes down who was taken for whom.
fn end(leasing: &Leasing, file: &SheetFile, yes: bool, out: &mut Out) -> Result<Exit, Failure> {
    let rival = leasing.rival().map(|(server, mac)| rival_finding(server, mac));
    if let Some(rival) = rival.clone().filter(|_| !leasing.has_given()) {
        return Err(Failure::Refused(vec![rival]));
    }
    let left = show::end(leasing, &file.path, out)?;
    let bound: BTreeMap<_, _> = leasing.bound().map(|(place, mac)| (place.name.clone(), mac)).collect();
    if !bound.is_empty() {
        write_macs(file, with_macs(&file.sheet, &bound), yes, out)?;
    }
    if let Some(rival) = rival {
        findings::show_on_notes(out, &[rival])?;
        out.error("another DHCP server answers here, so nothing more was given")?;
        return Ok(Exit::Unfinished);
    }
    Ok(if left { Exit::Wrong } else { Exit::Fine })
}

/// Writes down who was taken for whom, shown first; where lines of JSON are wanted, only where that was said beforehand.
fn write_macs(file: &SheetFile, edits: Edits, yes: bool, out: &mut Out) -> Result<(), Failure> {
    let written = match (out.is_json(), yes) {
        (true, true) => rewrite(file, edits).map(drop),
        (true, false) => Err(Failure::NobodyToAsk),
        (false, _) => {
            let how = HowToRewrite { dry_run: false, yes };
            propose(file, &edits.apply(file.sheet.text()), how, false, out).map(drop)
        }
    };
    match written {
        // They stand in the file of leases too.
        Err(Failure::NobodyToAsk) => {
            Ok(out.hint("the MAC addresses are not on the sheet yet: run it with --yes, and they will be")?)
        }
        other => other,
    }
}

fn on_port(text: &str) -> Result<(String, String), String> {
    let (port, node) =
        text.rsplit_once('=').ok_or("the port, a = and the name of a node, as gi7=hall-amp-left")?;
    Ok((port.to_owned(), node.to_owned()))
}

/// A time of up to a year, in seconds.
fn span(text: &str) -> Result<u32, String> {
    let wrong = || "a time is written 30d, 12h or 90m, from one minute to 365d".to_owned();
    let span: jiff::Span = text.parse().map_err(|_| wrong())?;
    let seconds = span.total((Unit::Second, SpanRelativeTo::days_are_24_hours())).map_err(|_| wrong())?;
    if !(60.0..=LONGEST).contains(&seconds) {
        return Err(wrong());
    }
    format!("{seconds:.0}").parse().map_err(|_| wrong())
}
