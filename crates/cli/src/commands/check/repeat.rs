//! Looking again and again, and saying what changes.

use std::collections::BTreeMap;
use std::str::FromStr;
use std::time::{Duration, Instant};

use lantern_core::compare::{Comparison, Tally, Verdict};
use serde::Serialize;

use super::Check;
use crate::commands::survey::time;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::{Out, Tone, wrapped};
use crate::session::Look;

/// How long it is looked again and again.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Until {
    /// Until every device passes, and nothing else is wrong.
    All,
    /// So many times.
    Times(u32),
    /// For so long.
    Over(Duration),
}

/// One look.
#[derive(Debug, Serialize)]
pub(super) struct Round {
    /// When it was over, since the first began.
    pub(super) after_ms: u64,
    #[serde(flatten)]
    pub(super) tally: Tally,
    /// Whether nothing at all was wrong.
    pub(super) fine: bool,
    /// Who came to something else than before.
    pub(super) changed: Vec<Turn>,
}

/// A device that came to something else than before.
#[derive(Debug, Serialize)]
pub(super) struct Turn {
    pub(super) name: String,
    pub(super) from: Option<Verdict>,
    pub(super) to: Verdict,
}

impl FromStr for Until {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let wrong = || "until-all, a number of times as 10, or a time as 30s or 5m".to_owned();
        match (text, text.parse::<u32>()) {
            ("until-all", _) => Ok(Self::All),
            (_, Ok(times @ 1..)) => Ok(Self::Times(times)),
            _ => time(text).map(Self::Over).map_err(|_| wrong()),
        }
    }
}

/// Looks until it is enough; gives the last look, and what each came to.
pub(super) fn rounds(check: &Check<'_>, until: Until, out: &mut Out) -> Result<(Look, Vec<Round>), Failure> {
    let began = Instant::now();
    let mut before: Option<BTreeMap<String, Verdict>> = None;
    let mut rounds: Vec<Round> = Vec::new();
    let mut looked = 0;
    loop {
        let look = check.look(out)?;
        let judged = check.judged(&look);
        let (found, comparison) = (judged.findings(&check.file.sheet), &judged.comparison);
        looked += 1;
        let now = verdicts(comparison);
        let round = Round {
            after_ms: u64::try_from(began.elapsed().as_millis()).unwrap_or(u64::MAX),
            tally: comparison.tally(),
            fine: Exit::of(&found) == Exit::Fine,
            changed: before.as_ref().map(|before| turns(before, &now)).unwrap_or_default(),
        };
        if !out.is_json() {
            show(&round, &now, before.is_none(), out)?;
        }
        before = Some(now);
        let enough = match until {
            Until::All => round.fine && round.tally.fail == 0,
            Until::Times(times) => looked >= times,
            Until::Over(time) => began.elapsed() >= time,
        };
        rounds.push(round);
        if enough {
            if !out.is_json() {
                out.line("")?;
            }
            return Ok((look, rounds));
        }
        // Of a long night only what changed is worth keeping.
        if rounds.len() > MOST_QUIET {
            rounds.retain(|round| !round.changed.is_empty() || !round.fine);
            rounds.truncate(MOST);
        }
    }
}

/// From so many looks on, those in which nothing happened are let go of; and the most that are kept.
const MOST_QUIET: usize = 4096;
const MOST: usize = 65_536;

fn verdicts(comparison: &Comparison<'_>) -> BTreeMap<String, Verdict> {
    let nodes = comparison.rows.iter().map(|row| (row.planned.name.value.clone(), row.verdict()));
    let beside = comparison.beside.iter().map(|one| (one.member.name().value.clone(), one.verdict()));
    nodes.chain(beside).collect()
}

fn turns(before: &BTreeMap<String, Verdict>, now: &BTreeMap<String, Verdict>) -> Vec<Turn> {
    let turned = now.iter().filter(|(name, to)| before.get(*name) != Some(*to));
    turned.map(|(name, to)| Turn { name: name.clone(), from: before.get(name).copied(), to: *to }).collect()
}

/// A line for each look: how many, and who changed; the first time, who fails.
fn show(round: &Round, now: &BTreeMap<String, Verdict>, is_first: bool, out: &mut Out) -> Result<(), Failure> {
    let Tally { pass, look, fail } = round.tally;
    let seconds = Duration::from_millis(round.after_ms).as_secs();
    let (minutes, seconds) = (seconds / 60, seconds % 60);
    let mut text = format!("{minutes:>3}:{seconds:02}  {pass} pass, {look} look, {fail} fail");
    let named = |wanted: &str, names: Vec<&str>| {
        if names.is_empty() { String::new() } else { format!("; {wanted}: {}", names.join(", ")) }
    };
    if is_first {
        let failing = now.iter().filter(|(_, verdict)| **verdict == Verdict::Fail).map(|(name, _)| name.as_str());
        text += &named("failing", failing.collect());
    }
    for (what, is_meant) in [
        ("fails now", (|to| to == Verdict::Fail) as fn(Verdict) -> bool),
        ("to be looked at now", |to| to == Verdict::Look),
        ("passes now", |to| to == Verdict::Pass),
    ] {
        let names = round.changed.iter().filter(|turn| is_meant(turn.to)).map(|turn| turn.name.as_str());
        text += &named(what, names.collect());
    }
    let tone = if fail > 0 {
        Tone::Bad
    } else if look > 0 || !round.fine {
        Tone::Doubtful
    } else {
        Tone::Good
    };
    let text = wrapped(&text, out.width(), 8);
    let line = out.paint().dye(tone, &text);
    out.line(&line)?;
    Ok(())
}
