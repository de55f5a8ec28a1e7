//! One cable: the requests to the units on it, one at a time.
//!
//! How long an answer is waited for follows from how long answers took there: a gateway holds some for long, and a lost one
//! must not cost as much as a slow one.

use std::collections::VecDeque;
use std::time::Duration;

use lantern_wire::rdm::{Message, Uid};

use super::Reading;
use super::reading::Heard;

/// How long any answer may take.
const LONGEST: Duration = Duration::from_secs(2);
/// How long the first answer of a cable is waited for, once others have answered.
const FIRST: Duration = Duration::from_millis(400);
/// The shortest that any answer is waited for.
const SHORTEST: Duration = Duration::from_millis(30);
/// How often the same is asked; each time it is waited four times as long.
const ASKS: u32 = 5;
/// After so many in a row that answered nothing it is the cable, and the next ones are given up sooner.
const MANY_SILENT: u32 = 3;
const ASKS_AFTER_MANY: u32 = 2;

/// The units of a cable that are to be read, and the one that is.
#[derive(Debug, Default)]
pub(in crate::family) struct Cable {
    waiting: VecDeque<Reading>,
    present: Option<Reading>,
    over: Vec<Reading>,
    transaction: u8,
    /// When the present question was asked last; nothing where it is to be asked.
    asked: Option<Duration>,
    tries: u32,
    /// How long its answer is waited for.
    patience: Duration,
    /// How long was waited when one that had to be asked again answered: until another answers at once, that is waited.
    stretched: Option<Duration>,
    /// When to go on: to ask, or to give the answer up.
    at: Duration,
    /// How long answers take here, and how far they are from that.
    usual: Option<(Duration, Duration)>,
    /// How many in a row answered nothing.
    silent: u32,
    /// Whether other cables have answered.
    is_hurried: bool,
}

impl Cable {
    /// One more is to be read.
    pub(in crate::family) fn add(&mut self, now: Duration, reading: Reading) {
        if self.present.is_none() {
            self.at = now;
        }
        self.waiting.push_back(reading);
        self.take_next();
    }

    /// When to go on; `None` when everybody was read.
    pub(in crate::family) fn next_at(&self) -> Option<Duration> {
        self.present.is_some().then_some(self.at)
    }

    /// The one that is being read.
    pub(in crate::family) const fn present(&self) -> Option<&Reading> {
        self.present.as_ref()
    }

    /// One that was read to its end, or given up.
    pub(in crate::family) fn next_over(&mut self) -> Option<Reading> {
        self.over.pop()
    }

    /// Other cables answer: what is not answered here was lost, more likely than that all of it is slow.
    pub(in crate::family) fn hurry(&mut self) {
        self.is_hurried = true;
        if let (Some(asked), None) = (self.asked, self.usual) {
            self.at = self.at.min(asked + FIRST);
        }
    }

    /// Others on it answered nothing, in talks of their own.
    pub(in crate::family) const fn doubt(&mut self) {
        self.silent = MANY_SILENT;
    }

    /// The request to send now. An answer that is overdue for the last time is given up before.
    pub(in crate::family) fn ask(&mut self, now: Duration, own: Uid) -> Option<Message> {
        if self.tries >= if self.is_dead() { ASKS_AFTER_MANY } else { ASKS } {
            self.silent += u32::from(self.present.as_ref().is_some_and(|reading| !reading.is_heard()));
            self.present.iter_mut().for_each(Reading::give_up);
            self.go_on(now);
        }
        let reading = self.present.as_ref()?;
        let (class, parameter, data) = reading.asks()?;
        self.transaction = self.transaction.wrapping_add(1);
        self.asked = Some(now);
        self.patience = match self.tries {
            _ if self.is_dead() => FIRST,
            0 => self.first_patience(),
            _ => (self.patience * 4).min(LONGEST),
        };
        self.at = now + self.patience;
        self.tries += 1;
        Some(Message::request(reading.uid(), own, self.transaction, class, parameter, data))
    }

    const fn is_dead(&self) -> bool {
        self.silent >= MANY_SILENT
    }

    fn first_patience(&self) -> Duration {
        if let Some(stretched) = self.stretched {
            return stretched;
        }
        let first = if self.is_hurried { FIRST } else { LONGEST };
        self.usual.map_or(first, |(usual, off)| (usual + (off * 4).max(usual / 2)).max(SHORTEST))
    }

    /// Takes in an answer.
    pub(in crate::family) fn hear(&mut self, now: Duration, answer: &Message) {
        let (Some(reading), Some(asked)) = (self.present.as_mut(), self.asked) else { return };
        let heard = reading.hear(answer);
        if heard != Heard::Nothing {
            self.silent = 0;
        }
        match heard {
            Heard::Nothing => {}
            Heard::On => {
                // Of one that was asked twice it is not known which time it answers (as in RFC 6298, section 3).
                self.stretched = (self.tries > 1).then_some(self.patience);
                let took = now.saturating_sub(asked);
                self.usual = match self.usual {
                    known if self.tries > 1 => known,
                    Some((usual, off)) => Some(((usual * 7 + took) / 8, (off * 3 + usual.abs_diff(took)) / 4)),
                    None => Some((took, took / 2)),
                };
                self.go_on(now);
            }
            Heard::Later(wait) => {
                self.go_on(now);
                self.at = now + wait;
            }
        }
    }

    /// On with the next question, of this unit or the next.
    fn go_on(&mut self, now: Duration) {
        (self.asked, self.tries, self.at) = (None, 0, now);
        if let Some(over) = self.present.take_if(|reading| reading.is_over()) {
            self.over.push(over);
            self.take_next();
        }
    }

    fn take_next(&mut self) {
        if self.present.is_none() {
            self.present = self.waiting.pop_front();
        }
    }
}
