//! What `check` shows: a line for each device, a count for each area, and one sentence for all.

use std::net::Ipv4Addr;

use lantern_core::census::{Device, FoundNode, Unit, Way};
use lantern_core::compare::{Beside, Comparison, Row, State, Verdict, WasSeen};
use lantern_core::facts::{Difference, Field};
use lantern_core::finding::Finding;
use lantern_core::sheet::RigSheet;

use crate::commands::universes;
use crate::exit::Exit;
use crate::output::{Cell, Table, Tone, counted, millis};
use crate::session::Look;

/// All of it in a sentence, and how bad that is.
pub(super) fn summary(comparison: &Comparison<'_>, found: &[Finding]) -> (Tone, String) {
    let (planned, not_asked) = comparison.asked();
    let (untold, unchecked) = comparison.untold();
    let mut rest = String::new();
    if untold > 0 {
        rest += &format!("; {} did not tell everything", counted(untold, "node"));
    }
    if unchecked > 0 {
        rest += &format!("; {} cannot be checked from here", counted(unchecked, "setting"));
    }
    if not_asked > 0 {
        rest += &format!("; {not_asked} speak no Art-Net and are out of reach of this computer");
    }
    let wrong = Exit::of(found) == Exit::Wrong;
    if comparison.is_as_planned() && !wrong {
        return (Tone::Good, format!("all {planned} nodes answer as planned{rest}"));
    }
    let answers = |row: &&Row<'_>| matches!(row.state, State::Found(..) | State::Seen(..));
    let answering = comparison.rows.iter().filter(answers).count();
    let (different, strangers) = (comparison.different(), comparison.unexpected.len());
    if answering == planned && different == 0 && strangers == 0 {
        let around = if wrong && untold == 0 { "; something else is wrong, see above" } else { "" };
        let tone = if wrong { Tone::Bad } else { Tone::Doubtful };
        return (tone, format!("all {planned} nodes answer, as planned in what they tell{rest}{around}"));
    }
    let text = format!(
        "{answering} of {planned} nodes answer, {different} of them otherwise than planned; {strangers} not on the sheet{rest}"
    );
    (Tone::Bad, text)
}

/// The columns of the table, as far as they are shown unasked.
const HEADINGS: [&str; 6] = ["verdict", "node", "state", "address", "echo", "what"];
const ON_REQUEST: [&str; 5] = ["area", "MAC", "universes", "firmware", "data"];

/// What the rows have in common.
struct Line<'a> {
    verdict: Verdict,
    name: String,
    state: (&'static str, Tone),
    address: Option<Ipv4Addr>,
    what: String,
    area: Option<&'a str>,
    node: Option<&'a FoundNode>,
    device: Option<&'a Device>,
}

impl Line<'_> {
    fn cells(self, look: &Look, units: &[Unit]) -> Vec<Cell> {
        let echo = self.address.and_then(|address| look.echo_times.get(&address)).copied().map(millis);
        let told = |device: &Device| device.told(Field::Firmware, look.census.nodes(), units);
        // Of two at one address each tells its own.
        let (mac, firmware) = match (self.node, self.device) {
            (Some(node), _) => (node.mac.or(node.heard_mac), Some(node.firmware.to_string())),
            (None, Some(device)) => (device.mac, told(device).map(|value| value.to_string())),
            (None, None) => (None, None),
        };
        vec![
            verdict(self.verdict),
            Cell::new(self.name, Tone::Strong),
            Cell::new(self.state.0, self.state.1),
            self.address.map_or_else(String::new, |address| address.to_string()).into(),
            echo.unwrap_or_default().into(),
            self.what.into(),
            self.area.unwrap_or_default().into(),
            mac.map_or_else(String::new, |mac| mac.to_string()).into(),
            self.node.map(universes::summary).unwrap_or_default().into(),
            firmware.unwrap_or_default().into(),
            self.node.map(universes::data).unwrap_or_default().into(),
        ]
    }
}

pub(super) fn table(comparison: &Comparison<'_>, sheet: &RigSheet, look: &Look) -> Table {
    let headings: Vec<&str> = HEADINGS.into_iter().chain(ON_REQUEST).collect();
    let mut table = Table::new(&headings)
        .unbroken(&["verdict", "node", "state", "address", "echo", "MAC", "firmware"])
        .needs_width("echo", 95)
        .on_request(&ON_REQUEST);
    let units = look.census.units();
    for line in lines(comparison, sheet) {
        table.row(line.cells(look, &units));
    }
    table
}

/// A line for each: the nodes of the sheet, what else is on it, and who is not.
fn lines<'a>(comparison: &'a Comparison<'_>, sheet: &'a RigSheet) -> Vec<Line<'a>> {
    let of_row = |row: &'a Row<'_>| {
        let (address, what, node, device) = match &row.state {
            State::NotAsked => {
                (row.planned.fixed_address(), "speaks no Art-Net; out of reach here".to_owned(), None, None)
            }
            State::Mute(device, way) => {
                (device.address, format!("answers no {way}; {}", device.standing), None, Some(*device))
            }
            State::Seen(device, differences) => {
                // Of several addresses, the planned one is the one that matters.
                let planned = row.planned.fixed_address().filter(|planned| device.addresses.contains(planned));
                (planned.or(device.address), seen(device, differences), None, Some(*device))
            }
            State::Missing => (None, format!("planned at {}", row.planned.address.value), None, None),
            State::Ambiguous(several) => (None, format!("{} units could be it", several.len()), None, None),
            State::Found(node, differences) => {
                let list: Vec<String> = differences.iter().map(ToString::to_string).collect();
                (Some(node.address), list.join("\n"), Some(*node), None)
            }
        };
        let area = sheet.area_of(row.planned).map(|area| area.name.value.as_str());
        let name = row.planned.name.value.clone();
        Line { verdict: row.verdict(), name, state: state(row), address, what, area, node, device }
    };
    let of_beside = |one: &'a Beside<'_>| Line {
        verdict: one.verdict(),
        name: one.member.name().value.clone(),
        state: beside_state(one),
        address: Some(one.address),
        what: of_beside(one),
        area: one.member.area().and_then(|area| Some(sheet.areas.get(area.value)?.name.value.as_str())),
        node: None,
        device: if let WasSeen::As(device) = one.seen { Some(device) } else { None },
    };
    let of_stranger = |node: &&'a FoundNode| Line {
        verdict: Verdict::Look,
        name: node.title(),
        state: ("unexpected", Tone::Doubtful),
        address: Some(node.address),
        what: "not on the sheet".to_owned(),
        area: None,
        node: Some(*node),
        device: None,
    };
    let rows = comparison.rows.iter().map(of_row).chain(comparison.beside.iter().map(of_beside));
    rows.chain(comparison.unexpected.iter().map(of_stranger)).collect()
}

pub(super) fn verdict(verdict: Verdict) -> Cell {
    let tone = match verdict {
        Verdict::Pass => Tone::Good,
        Verdict::Look => Tone::Doubtful,
        Verdict::Fail => Tone::Bad,
    };
    Cell::new(verdict.to_string(), tone)
}

pub(super) const fn beside_state(one: &Beside<'_>) -> (&'static str, Tone) {
    match one.seen {
        WasSeen::Here => ("this computer", Tone::Good),
        WasSeen::As(_) => ("answers", Tone::Good),
        WasSeen::Not => ("missing", Tone::Bad),
        WasSeen::NotAsked => ("not asked", Tone::Faint),
    }
}

fn of_beside(one: &Beside<'_>) -> String {
    match one.seen {
        WasSeen::As(device) => format!("{}; {}", one.what(), seen(device, &[])),
        WasSeen::Here | WasSeen::Not => one.what().to_owned(),
        WasSeen::NotAsked => format!("{}; out of reach here", one.what()),
    }
}

/// How many of each area pass, where the sheet has several.
pub(super) fn areas(comparison: &Comparison<'_>, sheet: &RigSheet) -> Option<Table> {
    let all = comparison.by_area(sheet);
    if all.len() < 2 {
        return None;
    }
    let mut table = Table::new(&["area", "pass", "look", "fail"]).unbroken(&["area"]);
    let number = |number: usize, tone| Cell::new(number.to_string(), if number > 0 { tone } else { Tone::Faint });
    for (area, tally) in all {
        let name = Cell::new(area.unwrap_or("(none)"), Tone::Strong);
        let [pass, look, fail] = [(tally.pass, Tone::Good), (tally.look, Tone::Doubtful), (tally.fail, Tone::Bad)]
            .map(|(n, tone)| number(n, tone));
        table.row(vec![name, pass, look, fail]);
    }
    Some(table)
}

/// How a device that speaks no Art-Net was seen, and where it differs.
fn seen(device: &Device, differences: &[Difference]) -> String {
    // What this computer's own table says beside an answer by ARP says nothing more.
    let tells = |way: Way| way != Way::Neighbours || !device.is_seen_by(Way::Arp);
    let ways = device.seen_by.iter().map(|seen| seen.way).filter(|way| tells(*way));
    let ways: Vec<String> = ways.map(|way| way.to_string()).collect();
    let seen_by = format!("seen by {}", ways.join(", "));
    let how = if device.what.is_empty() { seen_by } else { format!("{}; {seen_by}", device.what) };
    let (mute, told): (Vec<&Difference>, Vec<_>) = differences.iter().partition(|d| d.cannot_be_told());
    let fields: Vec<String> = mute.iter().map(|difference| difference.field.to_string()).collect();
    let untellable = (!fields.is_empty()).then(|| format!("cannot tell its {}", fields.join(", ")));
    told.into_iter().map(ToString::to_string).chain([how]).chain(untellable).collect::<Vec<_>>().join("\n")
}

/// The state of those that answer.
pub(super) fn answering(differences: &[Difference]) -> (&'static str, Tone) {
    if differences.iter().any(Difference::is_told) {
        ("different", Tone::Bad)
    } else if differences.iter().any(Difference::is_untold) {
        ("not all told", Tone::Doubtful)
    } else if differences.is_empty() {
        ("as planned", Tone::Good)
    } else {
        ("as told", Tone::Doubtful)
    }
}

pub(super) fn state(row: &Row<'_>) -> (&'static str, Tone) {
    match &row.state {
        State::Mute(_, Way::ArtNet) => ("no Art-Net", Tone::Bad),
        State::Mute(..) => ("mute", Tone::Bad),
        State::Seen(_, differences) => answering(differences),
        State::NotAsked => ("not asked", Tone::Faint),
        State::Missing => ("missing", Tone::Bad),
        State::Ambiguous(_) => ("ambiguous", Tone::Bad),
        State::Found(_, differences) => answering(differences),
    }
}
