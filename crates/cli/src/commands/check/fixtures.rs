//! What `check --fixtures` shows: a line for each fixture that is not as planned, and one sentence for all.

use lantern_core::census::Health;
use lantern_core::compare::{FixtureComparison, FixtureRow, FixtureState, Hanging, Verdict};
use lantern_core::facts::Difference;
use serde::Serialize;

use super::show::{answering, verdict};
use crate::output::{Cell, Table, Tone, counted};

/// The state of one in two words.
fn state(row: &FixtureRow<'_>) -> (&'static str, Tone) {
    match &row.state {
        FixtureState::NotAsked => ("not asked", Tone::Faint),
        FixtureState::Untold(_) => ("not told", Tone::Doubtful),
        FixtureState::Missing => ("missing", Tone::Bad),
        FixtureState::Mute(_) => ("mute", Tone::Bad),
        FixtureState::Found(_, differences) => answering(differences),
    }
}

fn what(row: &FixtureRow<'_>) -> String {
    match &row.state {
        FixtureState::NotAsked => String::new(),
        FixtureState::Untold(why) => why.what().to_owned(),
        FixtureState::Missing => "in no gateway's table".to_owned(),
        FixtureState::Mute(_) => "in the gateway's table, and answers nothing".to_owned(),
        FixtureState::Found(_, differences) => {
            let troubles = row.troubles().into_iter().map(|trouble| trouble.what);
            differences.iter().map(ToString::to_string).chain(troubles).collect::<Vec<_>>().join("\n")
        }
    }
}

/// Those that are not as planned. Whose gateway is silent, or tells nothing of them, is only counted: that is the gateway's trouble.
pub(super) fn table(compared: &FixtureComparison<'_>) -> Table {
    let mut table = Table::new(&["verdict", "fixture", "state", "cable", "what", "UID"])
        .unbroken(&["verdict", "fixture", "state", "cable", "UID"])
        .on_request(&["UID"]);
    let is_of_gateway =
        |row: &FixtureRow<'_>| matches!(row.state, FixtureState::NotAsked | FixtureState::Untold(_));
    let is_shown = |row: &&FixtureRow<'_>| row.verdict() != Verdict::Pass && !is_of_gateway(row);
    for row in compared.rows.iter().filter(is_shown) {
        let (words, tone) = state(row);
        table.row(vec![
            verdict(row.verdict()),
            Cell::new(row.name.clone(), Tone::Strong),
            Cell::new(words, tone),
            row.cable.clone().into(),
            what(row).into(),
            row.found().map_or_else(String::new, |found| found.uid.to_string()).into(),
        ]);
    }
    for Hanging { cable, fixture: found, .. } in &compared.unexpected {
        table.row(vec![
            verdict(Verdict::Look),
            Cell::new(found.uid.to_string(), Tone::Strong),
            Cell::new("unexpected", Tone::Doubtful),
            cable.clone().into(),
            "not on the sheet".into(),
            found.uid.to_string().into(),
        ]);
    }
    table
}

/// All of them in a sentence, and how bad that is.
pub(super) fn summary(compared: &FixtureComparison<'_>) -> (Tone, String) {
    let count = |wanted: Verdict| compared.rows.iter().filter(|row| row.verdict() == wanted).count();
    let (all, pass, fail) = (compared.rows.len(), count(Verdict::Pass), count(Verdict::Fail));
    let not_asked = compared.rows.iter().filter(|row| matches!(row.state, FixtureState::NotAsked)).count();
    let mut text = if pass == all {
        format!("all {} as planned", counted(all, "fixture"))
    } else {
        format!("{pass} of {} as planned", counted(all, "fixture"))
    };
    if not_asked > 0 {
        text += &format!("; {not_asked} behind gateways that do not answer");
    }
    let untold = compared.rows.iter().filter(|row| matches!(row.state, FixtureState::Untold(_))).count();
    if untold > 0 {
        text += &format!("; {untold} of which their gateway told nothing");
    }
    if !compared.unexpected.is_empty() {
        text += &format!("; {} not on the sheet", compared.unexpected.len());
    }
    let tone = match (fail, pass == all) {
        (0, true) => Tone::Good,
        (0, false) => Tone::Doubtful,
        _ => Tone::Bad,
    };
    (tone, text)
}

/// A planned fixture and what became of it, as JSON.
#[derive(Debug, Serialize)]
pub(super) struct Line<'a> {
    name: &'a str,
    verdict: Verdict,
    state: &'static str,
    cable: &'a str,
    uid: Option<String>,
    differences: &'a [Difference],
    troubles: Vec<String>,
    health: Option<&'a Health>,
}

pub(super) fn lines<'a>(compared: &'a FixtureComparison<'_>) -> Vec<Line<'a>> {
    let line = |row: &'a FixtureRow<'_>| Line {
        name: &row.name,
        verdict: row.verdict(),
        state: state(row).0,
        cable: &row.cable,
        uid: row.found().map(|found| found.uid.to_string()),
        differences: match &row.state {
            FixtureState::Found(_, differences) => differences,
            _ => &[],
        },
        troubles: row.troubles().into_iter().map(|trouble| trouble.what).collect(),
        health: row.found().map(|found| &found.health),
    };
    compared.rows.iter().map(line).collect()
}
