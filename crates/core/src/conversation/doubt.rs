//! When what a whole reading at the end says is believed.

use super::Outcome;

/// How often the whole device is read at the end before what it tells is believed.
const READINGS: u32 = 3;
/// How often all steps are gone through at most: once more where a restart undid one.
const ROUNDS: u32 = 2;

/// What is doubted of a change that was made and read again.
#[derive(Debug)]
pub(crate) struct Doubt {
    suspicion: Option<Outcome>,
    readings: u32,
    round: u32,
}

/// What is to be done about a verdict.
#[derive(Debug, PartialEq, Eq)]
pub(crate) enum Ruling {
    End(Outcome),
    ReadAgain,
    /// All steps are gone through once more.
    BeginAgain,
}

impl Doubt {
    pub(crate) const fn new() -> Self {
        Self { suspicion: None, readings: 0, round: 1 }
    }

    /// It is being read.
    pub(crate) const fn read(&mut self) {
        self.readings += 1;
    }

    /// Whether it may be read once more.
    pub(crate) const fn may_read(&self) -> bool {
        self.readings < READINGS
    }

    /// Whether the steps are gone through for the first time.
    pub(crate) const fn is_first_round(&self) -> bool {
        self.round == 1
    }

    /// Something found wrong is believed when it was told twice.
    pub(crate) fn weigh(&mut self, verdict: Outcome) -> Ruling {
        if verdict == Outcome::Done {
            return Ruling::End(verdict);
        }
        // An answer to an older question may have come late.
        if self.suspicion.as_ref() != Some(&verdict) && self.may_read() {
            self.suspicion = Some(verdict);
            return Ruling::ReadAgain;
        }
        self.suspicion = None;
        self.readings = 0;
        if matches!(verdict, Outcome::Refused(_)) && self.round < ROUNDS {
            // A restart undid what was written before it.
            self.round += 1;
            return Ruling::BeginAgain;
        }
        Ruling::End(verdict)
    }
}
