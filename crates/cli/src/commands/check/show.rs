//! What `check` shows: a line for each device, a count for each area, and one sentence for all.

use lantern_core::census::{Device, Way};
use lantern_core::compare::{Beside, Comparison, Row, State, Verdict, WasSeen};
use lantern_core::facts::Difference;
use lantern_core::finding::Finding;
use lantern_core::sheet::RigSheet;

use crate::exit::Exit;
use crate::output::{Cell, Table, Tone, counted};

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

/// The columns of the table.
pub(super) const HEADINGS: [&str; 5] = ["verdict", "node", "state", "address", "what"];

pub(super) fn table(comparison: &Comparison<'_>) -> Table {
    let columns = ["verdict", "node", "state", "address"];
    let mut table = Table::new(&HEADINGS).unbroken(&columns);
    for row in &comparison.rows {
        let (word, tone) = state(row);
        let (address, what) = match &row.state {
            State::NotAsked => {
                (row.planned.address.value.to_string(), "speaks no Art-Net; out of reach here".to_owned())
            }
            State::Mute(device, way) => (address_of(device), format!("answers no {way}; {}", device.standing)),
            State::Seen(device, differences) => {
                // Of several addresses, the planned one is the one that matters.
                let planned = row.planned.fixed_address().filter(|planned| device.addresses.contains(planned));
                let address = planned.map_or_else(|| address_of(device), |address| address.to_string());
                (address, seen(device, differences))
            }
            State::Missing => (String::new(), format!("planned at {}", row.planned.address.value)),
            State::Ambiguous(several) => (String::new(), format!("{} units could be it", several.len())),
            State::Found(node, differences) => {
                let list: Vec<String> = differences.iter().map(ToString::to_string).collect();
                (node.address.to_string(), list.join("\n"))
            }
        };
        let name = Cell::new(row.planned.name.value.clone(), Tone::Strong);
        table.row(vec![verdict(row.verdict()), name, Cell::new(word, tone), address.into(), what.into()]);
    }
    for one in &comparison.beside {
        let ((word, tone), what) = (beside_state(one), of_beside(one));
        let name = Cell::new(one.member.name().value.clone(), Tone::Strong);
        let address = one.address.to_string();
        table.row(vec![verdict(one.verdict()), name, Cell::new(word, tone), address.into(), what.into()]);
    }
    for node in &comparison.unexpected {
        table.row(vec![
            verdict(Verdict::Look),
            Cell::new(node.title(), Tone::Strong),
            Cell::new("unexpected", Tone::Doubtful),
            node.address.to_string().into(),
            "not on the sheet".into(),
        ]);
    }
    table
}

fn verdict(verdict: Verdict) -> Cell {
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

fn address_of(device: &Device) -> String {
    device.address.map_or_else(String::new, |address| address.to_string())
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
fn answering(differences: &[Difference]) -> (&'static str, Tone) {
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
