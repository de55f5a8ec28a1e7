//! What `check` shows of streams and channel maps: a line for each end that is not as planned, and one sentence for all.

use lantern_core::compare::{PatchComparison, PatchRow, PatchState, Verdict};
use lantern_core::facts::Difference;
use serde::Serialize;

use super::show::{answering, verdict};
use crate::output::{Cell, Table, Tone, counted};

/// The state of one in two words.
fn state(row: &PatchRow<'_>) -> (&'static str, Tone) {
    match &row.state {
        PatchState::NotAsked => ("not seen", Tone::Faint),
        PatchState::Silent => ("not told", Tone::Faint),
        PatchState::NoSuch(_) => ("no such", Tone::Bad),
        PatchState::Several(_) | PatchState::Claimed(_) => ("ambiguous", Tone::Bad),
        PatchState::Found(_, differences) => answering(differences),
    }
}

fn what(row: &PatchRow<'_>) -> String {
    match &row.state {
        PatchState::NotAsked | PatchState::Silent => String::new(),
        PatchState::NoSuch(there) if there.is_empty() => {
            format!("the device has no {}", row.planned.sort().word())
        }
        PatchState::NoSuch(there) => format!("the device has {}", there.join(", ")),
        PatchState::Claimed(streams) => format!("is meant for {}", streams.join(" and ")),
        PatchState::Several(there) => format!("could be {}", there.join(", ")),
        PatchState::Found(_, differences) => {
            differences.iter().map(ToString::to_string).collect::<Vec<_>>().join("\n")
        }
    }
}

/// Those that are not as planned. Whose device is silent is only counted: that is the device's trouble.
pub(super) fn table(compared: &PatchComparison<'_>) -> Table {
    let mut table = Table::new(&["verdict", "stream", "sort", "end", "state", "what"])
        .unbroken(&["verdict", "stream", "sort", "state"]);
    let open = compared.rows.iter().filter_map(|row| Some((row, row.verdict()?)));
    for (row, of_row) in open.filter(|(_, of_row)| *of_row != Verdict::Pass) {
        let (words, tone) = state(row);
        table.row(vec![
            verdict(of_row),
            row.planned.stream().unwrap_or("(channels)").into(),
            row.planned.sort().word().into(),
            Cell::new(row.name.clone(), Tone::Strong),
            Cell::new(words, tone),
            what(row).into(),
        ]);
    }
    table
}

/// All of them in a sentence, and how bad that is; `None` where nothing is planned that anybody tells.
pub(super) fn summary(compared: &PatchComparison<'_>) -> Option<(Tone, String)> {
    let (all, pass) = compared.tally();
    if all == 0 {
        return None;
    }
    let what = counted(all, "stream end and channel map");
    let what = what.replace("stream end and channel maps", "stream ends and channel maps");
    let failed = compared.rows.iter().any(|row| row.verdict() == Some(Verdict::Fail));
    let tone = match (failed, pass == all) {
        (true, _) => Tone::Bad,
        (false, true) => Tone::Good,
        (false, false) => Tone::Doubtful,
    };
    let text = if pass == all { format!("all {what} as planned") } else { format!("{pass} of {what} as planned") };
    Some((tone, text))
}

/// A planned end or map and what became of it, as JSON.
#[derive(Debug, Serialize)]
pub(super) struct Line<'a> {
    /// Null for a channel map.
    stream: Option<&'a str>,
    sort: &'static str,
    name: &'a str,
    /// Null where nobody could look.
    verdict: Option<Verdict>,
    state: &'static str,
    differences: &'a [Difference],
}

pub(super) fn lines<'a>(compared: &'a PatchComparison<'_>) -> Vec<Line<'a>> {
    let line = |row: &'a PatchRow<'_>| Line {
        stream: row.planned.stream(),
        sort: row.planned.sort().word(),
        name: &row.name,
        verdict: row.verdict(),
        state: state(row).0,
        differences: row.differences(),
    };
    compared.rows.iter().map(line).collect()
}
