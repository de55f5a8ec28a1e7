//! What a look at the rig comes to, in one word for each device and in numbers for each area.

use std::fmt;

use serde::Serialize;

use super::{Beside, Comparison, Row, State, WasSeen};
use crate::facts::Difference;
use crate::sheet::RigSheet;

/// What became of one planned device.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Verdict {
    /// It answers, and tells everything as planned.
    Pass,
    /// What could be told is as planned; the rest is to be looked at.
    Look,
    /// It does not answer, or is otherwise than planned.
    Fail,
}

/// How many devices came to what.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize)]
pub struct Tally {
    /// How many pass.
    pub pass: usize,
    /// How many are to be looked at.
    pub look: usize,
    /// How many fail.
    pub fail: usize,
}

impl Row<'_> {
    /// What became of it.
    #[must_use]
    pub fn verdict(&self) -> Verdict {
        match &self.state {
            State::Missing | State::Mute(..) | State::Ambiguous(_) => Verdict::Fail,
            State::NotAsked => Verdict::Look,
            State::Found(_, differences) | State::Seen(_, differences) => Verdict::of(differences),
        }
    }
}

impl Verdict {
    /// Of one that answers, and differs so.
    pub(crate) fn of(differences: &[Difference]) -> Self {
        match differences {
            [] => Self::Pass,
            _ if differences.iter().any(Difference::is_told) => Self::Fail,
            _ => Self::Look,
        }
    }
}

impl Beside<'_> {
    /// What became of it.
    #[must_use]
    pub const fn verdict(&self) -> Verdict {
        match self.seen {
            WasSeen::Here | WasSeen::As(_) => Verdict::Pass,
            WasSeen::NotAsked => Verdict::Look,
            WasSeen::Not => Verdict::Fail,
        }
    }
}

impl Tally {
    fn count(&mut self, verdict: Verdict) {
        match verdict {
            Verdict::Pass => self.pass += 1,
            Verdict::Look => self.look += 1,
            Verdict::Fail => self.fail += 1,
        }
    }

    /// How many there are together.
    #[must_use]
    pub const fn all(&self) -> usize {
        self.pass + self.look + self.fail
    }
}

impl Comparison<'_> {
    /// The devices of each area, in the order of the sheet; those in none last, under no name. An area without any is left out.
    #[must_use]
    pub fn by_area<'s>(&self, sheet: &'s RigSheet) -> Vec<(Option<&'s str>, Tally)> {
        let mut tallies = vec![Tally::default(); sheet.areas.len() + 1];
        let mut count = |area: Option<usize>, verdict| {
            if let Some(tally) = tallies.get_mut(area.unwrap_or(sheet.areas.len())) {
                tally.count(verdict);
            }
        };
        for row in &self.rows {
            count(row.planned.area.as_ref().map(|area| area.value), row.verdict());
        }
        for one in &self.beside {
            count(one.member.area().map(|area| area.value), one.verdict());
        }
        let names = sheet.areas.iter().map(|area| Some(area.name.value.as_str())).chain([None]);
        names.zip(tallies).filter(|(_, tally)| tally.all() > 0).collect()
    }

    /// All of them.
    #[must_use]
    pub fn tally(&self) -> Tally {
        let mut tally = Tally::default();
        self.rows.iter().for_each(|row| tally.count(row.verdict()));
        self.beside.iter().for_each(|one| tally.count(one.verdict()));
        tally
    }
}

impl fmt::Display for Verdict {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Pass => "pass",
            Self::Look => "look",
            Self::Fail => "fail",
        })
    }
}
