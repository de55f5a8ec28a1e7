//! Questions to one device, and how long each answer took.

use std::collections::VecDeque;
use std::time::Duration;

/// The last questions, and how many there were in all. A question may be repeated before it counts as lost: one datagram that
/// goes astray says little.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Curve {
    points: VecDeque<Point>,
    open: Option<Open>,
    asked: u64,
    answered: u64,
    /// How many in a row went unanswered.
    missed: u32,
}

/// A question that is over.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Point {
    took: Option<Duration>,
    repeats: u32,
}

/// A question that is open.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Open {
    at: Duration,
    number: u16,
    repeats: u32,
}

/// How long an answer is waited for.
#[derive(Debug, Clone, Copy)]
pub(super) struct Patience {
    /// When a question is repeated for the first time.
    pub(super) first: Duration,
    /// How long after that again.
    pub(super) again: Duration,
    /// When it is given up.
    pub(super) end: Duration,
}

/// So many questions are the last few.
const LATELY: usize = 4;
/// How often a question is repeated.
const REPEATS: u32 = 2;

impl Curve {
    /// How many points are kept.
    pub const KEPT: usize = 60;

    /// A question is asked; the one before it can no longer be answered.
    pub(super) fn ask(&mut self, now: Duration, number: u16) {
        self.close();
        self.open = Some(Open { at: now, number, repeats: 0 });
        self.asked += 1;
    }

    /// An answer came, to the question of this number where that is known. A second one says nothing more.
    pub(super) fn answer(&mut self, now: Duration, number: Option<u16>) {
        match self.open {
            Some(Open { at, number: asked, repeats }) if number.is_none_or(|number| number == asked) => {
                self.open = None;
                if self.answered == 0 {
                    // Which question it understands was not known before.
                    self.points.clear();
                    self.asked = 1;
                }
                self.answered += 1;
                self.missed = 0;
                self.push(Point { took: Some(now.saturating_sub(at)), repeats });
            }
            _ => {}
        }
    }

    fn close(&mut self) {
        if let Some(open) = self.open.take() {
            self.missed += 1;
            self.push(Point { took: None, repeats: open.repeats });
        }
    }

    /// Time has passed: a question that was asked too long ago is lost. Gives the number of one that is to be repeated now; who
    /// never answered is not worth it.
    pub(super) fn look(&mut self, now: Duration, patience: Patience) -> Option<u16> {
        let open = self.open.as_mut()?;
        if open.at + patience.end <= now {
            self.close();
            return None;
        }
        let due = open.at + patience.first + patience.again * open.repeats;
        if self.answered == 0 || open.repeats >= REPEATS || due > now {
            return None;
        }
        open.repeats += 1;
        Some(open.number)
    }

    fn push(&mut self, point: Point) {
        if self.points.len() == Self::KEPT {
            self.points.pop_front();
        }
        self.points.push_back(point);
    }

    /// Whether a question is open.
    pub(super) const fn is_open(&self) -> bool {
        self.open.is_some()
    }

    /// Whether it was ever answered.
    #[must_use]
    pub const fn ever_answered(&self) -> bool {
        self.answered > 0
    }

    /// How many questions in a row went unanswered until now.
    #[must_use]
    pub const fn missed(&self) -> u32 {
        self.missed
    }

    /// How many questions were asked, and are over.
    #[must_use]
    pub const fn asked(&self) -> u64 {
        self.asked - if self.open.is_some() { 1 } else { 0 }
    }

    /// How many were answered.
    #[must_use]
    pub const fn answered(&self) -> u64 {
        self.answered
    }

    /// How long each of the last answers took, the oldest first; `None` for one that did not come.
    pub fn points(&self) -> impl DoubleEndedIterator<Item = Option<Duration>> + ExactSizeIterator + '_ {
        self.points.iter().map(|point| point.took)
    }

    /// How long the last answer took.
    #[must_use]
    pub fn last(&self) -> Option<Duration> {
        self.points().rev().flatten().next()
    }

    /// Of the last few questions, repeated ones counted each, how many were sent and how many answered.
    pub(super) fn lately(&self) -> (usize, usize) {
        let last = self.points.iter().rev().take(LATELY);
        last.fold((0, 0), |(sent, answered), point| {
            let repeats = usize::try_from(point.repeats).unwrap_or(usize::MAX);
            (sent + 1 + repeats, answered + usize::from(point.took.is_some()))
        })
    }

    /// The part of the last questions that nobody answered, repeated ones counted each, in percent; `None` before the first.
    #[must_use]
    pub fn loss_percent(&self) -> Option<usize> {
        let answered = self.points.iter().filter(|point| point.took.is_some()).count();
        let repeats: u32 = self.points.iter().map(|point| point.repeats).sum();
        let sent = self.points.len() + usize::try_from(repeats).unwrap_or(usize::MAX);
        (!self.points.is_empty()).then(|| (sent - answered) * 100 / sent)
    }
}
