//! The answer of `check` as JSON.

use std::collections::HashMap;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::compare::{Beside, Row, State, Tally, Verdict, WasSeen};
use lantern_core::facts::Difference;
use lantern_core::finding::Finding;
use lantern_core::sheet::RigSheet;
use serde::Serialize;

use super::repeat::Round;
use super::show::{beside_state, state};
use super::{Judged, fixtures, patches};
use crate::exit::Exit;

#[derive(Debug, Serialize)]
pub(super) struct Answer<'a> {
    format: u32,
    as_planned: bool,
    tally: Tally,
    areas: Vec<AreaLine<'a>>,
    nodes: Vec<Line<'a>>,
    beside: Vec<BesideLine<'a>>,
    unexpected: Vec<Surplus>,
    /// Where they were asked.
    fixtures: Option<Vec<fixtures::Line<'a>>>,
    /// The ends of streams and the channel maps of the sheet.
    patches: Vec<patches::Line<'a>>,
    findings: &'a [Finding],
    /// The looks, where it was looked several times.
    rounds: &'a [Round],
}

#[derive(Debug, Serialize)]
struct AreaLine<'a> {
    area: Option<&'a str>,
    #[serde(flatten)]
    tally: Tally,
}

/// A desk, server or switch of the sheet.
#[derive(Debug, Serialize)]
struct BesideLine<'a> {
    name: &'a str,
    what: &'static str,
    verdict: Verdict,
    state: &'static str,
    planned_address: String,
    mac: Option<String>,
}

/// A planned node and what became of it.
#[derive(Debug, Serialize)]
struct Line<'a> {
    name: &'a str,
    verdict: Verdict,
    planned_address: String,
    state: &'static str,
    address: Option<String>,
    mac: Option<String>,
    /// How long the quickest answer to an echo took.
    echo_us: Option<u128>,
    differences: &'a [Difference],
}

#[derive(Debug, Serialize)]
struct Surplus {
    name: String,
    address: String,
    mac: Option<String>,
}

pub(super) fn answer<'a>(
    judged: &'a Judged<'_>,
    sheet: &'a RigSheet,
    findings: &'a [Finding],
    rounds: &'a [Round],
    echo_times: &HashMap<Ipv4Addr, Duration>,
) -> Answer<'a> {
    let comparison = &judged.comparison;
    let line = |row: &'a Row<'_>| {
        let (address, mac) = match &row.state {
            State::Found(node, _) => (Some(node.address), node.mac),
            State::Seen(device, _) | State::Mute(device, _) => (device.address, device.mac),
            State::NotAsked | State::Missing | State::Ambiguous(_) => (None, None),
        };
        Line {
            name: &row.planned.name.value,
            verdict: row.verdict(),
            planned_address: row.planned.address.value.to_string(),
            state: state(row).0,
            address: address.map(|address| address.to_string()),
            mac: mac.map(|mac| mac.to_string()),
            echo_us: address.and_then(|address| echo_times.get(&address)).map(Duration::as_micros),
            differences: row.differences(),
        }
    };
    let surplus = |node: &&lantern_core::census::FoundNode| Surplus {
        name: node.title(),
        address: node.address.to_string(),
        mac: node.mac.map(|mac| mac.to_string()),
    };
    let beside = |one: &'a Beside<'_>| BesideLine {
        name: &one.member.name().value,
        what: one.what(),
        verdict: one.verdict(),
        state: beside_state(one).0,
        planned_address: one.address.to_string(),
        mac: match one.seen {
            WasSeen::As(device) => device.mac.map(|mac| mac.to_string()),
            WasSeen::Here | WasSeen::Not | WasSeen::NotAsked => None,
        },
    };
    Answer {
        format: 1,
        as_planned: comparison.is_as_planned() && Exit::of(findings) == Exit::Fine,
        tally: comparison.tally(),
        areas: comparison.by_area(sheet).into_iter().map(|(area, tally)| AreaLine { area, tally }).collect(),
        nodes: comparison.rows.iter().map(line).collect(),
        beside: comparison.beside.iter().map(beside).collect(),
        unexpected: comparison.unexpected.iter().map(surplus).collect(),
        fixtures: judged.fixtures.as_ref().map(fixtures::lines),
        patches: patches::lines(&judged.patches),
        findings,
        rounds,
    }
}
