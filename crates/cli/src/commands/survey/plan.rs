//! What the arguments, the sheet and the memory make of a survey.

use std::collections::HashSet;
use std::net::Ipv4Addr;
use std::time::Duration;

use super::fixtures::Order;
use lantern_core::address::AddressRange;
use lantern_core::census::{Way, Ways};
use lantern_core::conversation::{Extent, OnCables, Rediscovery, Survey, SurveyPlan, ports_of};
use lantern_core::diagnosis::Limits;
use lantern_core::sheet::kind::KindBook;
use lantern_core::sheet::{RigSheet, SheetNode};
use lantern_net::{Lack, Traffic, Wants, drops_foreign};

use super::Args;
use crate::failure::Failure;
use crate::memory::Remembered;
use crate::output::Out;
use crate::session::Session;

/// The most addresses asked first.
const MOST_LIKELY: usize = 4096;
/// A sweep of more addresses than this is told before it starts.
const LONG_SWEEP: u64 = 2048;

pub(super) fn ways(only: &[Way]) -> Ways {
    if only.is_empty() { Ways::ALL } else { Ways::only(only) }
}

/// What is to be opened for a survey in these ways; none means all.
pub(crate) fn wants(only: &[Way]) -> Wants {
    let ways = ways(only);
    Wants {
        ports: ports_of(ways),
        frames: true,
        echo: ways.contains(Way::Echo),
        neighbours: ways.contains(Way::Neighbours),
    }
}

/// The plan.
pub(super) fn of(args: &Args, session: &Session, known: &[Remembered]) -> SurveyPlan {
    let base = session.survey_plan();
    let extent = match (args.listen, args.mac, &args.range[..]) {
        (Some(time), ..) => Extent::Listen(time),
        (None, Some(mac), _) => Extent::Until(mac),
        (None, None, [_, ..]) => Extent::Ranges,
        (None, None, []) => Extent::Whole(args.least.unwrap_or_default()),
    };
    let likely = likely(args, session, known);
    let beside = |address: &Ipv4Addr| base.vantage.seats.iter().any(|seat| seat.subnet.contains(*address));
    // Only through a router can anything come back from another subnet.
    let calls = if base.vantage.gateways.is_empty() {
        Vec::new()
    } else {
        likely.iter().copied().filter(|address| !beside(address)).collect()
    };
    SurveyPlan {
        ways: ways(&args.only),
        extent,
        ends_early: session.sheet().is_some() && extent == Extent::Whole(Duration::ZERO),
        sheet: session.sheet().cloned(),
        likely,
        ranges: if args.range.is_empty() { base.ranges } else { args.range.clone() },
        calls,
        universes: session.sheet().map(RigSheet::sacn_universes).unwrap_or_default(),
        pace: args.pace,
        rediscovers: if args.rediscover { Rediscovery::Everything } else { Rediscovery::Nothing },
        on_cables: match args.fixtures {
            Some(Order::Upkeep) => OnCables::Examine,
            Some(Order::Gateway | Order::Universe) => OnCables::Read,
            None if args.is_about_everything() => OnCables::Count,
            None => OnCables::Nothing,
        },
        ..base
    }
}

/// Addresses to ask first: the sheet's, then those seen earlier, then the factory settings of known kinds.
fn likely(args: &Args, session: &Session, known: &[Remembered]) -> Vec<Ipv4Addr> {
    let of_sheet =
        session.sheet().into_iter().flat_map(|sheet| sheet.nodes.iter().filter_map(SheetNode::fixed_address));
    let earlier = known.iter().filter_map(|one| one.address.as_ref()?.parse().ok());
    let factory = KindBook::shipped().factory_addresses();
    let mut seen = HashSet::new();
    let asked =
        |address: &Ipv4Addr| args.range.is_empty() || args.range.iter().any(|range| range.contains(*address));
    let all = of_sheet.chain(earlier).chain(factory);
    all.filter(|address| asked(address) && seen.insert(*address)).take(MOST_LIKELY).collect()
}

/// Says before a long sweep what it will do.
pub(super) fn announce(plan: &SurveyPlan, out: &mut Out) -> Result<(), Failure> {
    let count: u64 = plan.ranges.iter().map(|range: &AddressRange| range.len()).sum();
    if count > LONG_SWEEP && !plan.is_passive() && !plan.vantage.is_on_loopback() {
        let pace = plan.real_pace();
        let seconds = count / u64::from(pace) + 1;
        out.note(&format!("asking {count} addresses at {pace} a second: about {seconds} s; Ctrl-C ends it"))?;
    }
    Ok(())
}

/// What limited the survey.
pub(super) fn limits<'a>(
    survey: &'a Survey,
    session: &Session,
    traffic: Traffic,
    listened: Duration,
) -> Limits<'a> {
    let mut limits = Limits {
        plan: survey.plan(),
        listened,
        from_file: false,
        medium: session.adapter_facts().map(|adapter| adapter.medium),
        no_frames: None,
        no_echo: None,
        ports_refused: Vec::new(),
        groups_refused: traffic.groups_refused,
        drops_foreign: drops_foreign(session.adapter()),
    };
    for lack in session.station().lacks() {
        match lack {
            Lack::Frames(why) => limits.no_frames = Some(why.to_string()),
            Lack::Echo(why) => limits.no_echo = Some(why.to_string()),
            Lack::Port(port, why) => limits.ports_refused.push((*port, why.to_string())),
        }
    }
    limits
}
