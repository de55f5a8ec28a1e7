//! What proves that a step was taken, and the whole change: following the target, and the last reading.

use std::time::Duration;

use lantern_wire::Arp;

use super::{FOLLOW_EVERY, Follow, Phase, SETTLED, Talk, WRITES, Write};
use crate::census::Unit;
use crate::conversation::{Outcome, Outgoing, Ruling, TalkEvent, shifts, verdict};
use crate::facts::{Difference, Field, Value};

impl Talk {
    /// Reads it again and again until it is as wanted.
    pub(super) fn follow_on(&mut self, now: Duration) {
        let Phase::Following(mut follow) = self.phase else { return };
        self.reading.ask(now, &mut self.line, &mut self.ready);
        if self.reading.next_at().is_none() && follow.again_at <= now {
            if self.reading.is_heard() {
                self.unit.facts = self.reading.facts.clone();
                if self.open_step().is_empty() {
                    return self.confirm(now);
                }
                if self.is_as_before() {
                    follow.old_at = Some(now);
                }
            } else {
                self.search();
            }
            let still_old = follow.old_at.is_some_and(|at| at >= follow.since + SETTLED);
            if still_old && follow.write.nth < WRITES && now < follow.write.first_at + self.restart_time {
                return self.order(now, Write { nth: follow.write.nth + 1, ..follow.write });
            }
            follow.again_at = now + FOLLOW_EVERY;
            self.reading = self.reading.again(follow.again_at);
        }
        if now >= follow.since + self.restart_time {
            return self.give_up(follow);
        }
        self.phase = Phase::Following(follow);
    }

    /// Whether it stands where it stood, addressed as it was.
    fn is_as_before(&self) -> bool {
        let addressing = |unit: &Unit| unit.facts.get(Field::Addressing).cloned();
        self.before.as_ref().is_some_and(|before| {
            before.address == self.unit.address && addressing(before) == addressing(&self.unit)
        })
    }

    fn confirm(&mut self, now: Duration) {
        let before = self.before.as_ref().map(|unit| unit.address);
        if Some(self.unit.address) != before {
            self.events.push_back(TalkEvent::Back(self.unit.address));
        }
        self.events.push_back(TalkEvent::Confirmed(self.current));
        self.current += 1;
        self.begin(now);
    }

    fn give_up(&mut self, follow: Follow) {
        let open = self.open_step();
        let there = self.unit.address;
        let before = self.before.as_ref().map(|unit| unit.address);
        let is_expected = [self.destination(), before].contains(&Some(there));
        let is_misplaced = |difference: &Difference| {
            matches!(difference.field, Field::Address | Field::Addressing) && difference.is_told()
        };
        let lately = |at: Duration| at + self.restart_time / 2 >= follow.since + self.restart_time;
        let outcome = if !follow.heard_at.is_some_and(lately) {
            Outcome::Silent { written: self.written }
        } else if !is_expected && open.iter().any(is_misplaced) {
            Outcome::Elsewhere(there)
        } else if !open.iter().any(Difference::is_told) {
            Outcome::Unverified(open)
        } else if follow.acknowledged && self.destination().is_some_and(|to| to != there) {
            Outcome::Acknowledged(open)
        } else {
            Outcome::Refused(open)
        };
        self.end(outcome);
    }

    /// Reads it whole for the last time; whoever else has its address answers too.
    pub(super) fn read_all(&mut self, now: Duration) {
        self.doubt.read();
        self.reading = self.reading.again(now);
        self.phase = Phase::Reading;
        let (own, address) = (self.vantage.frames_from(), self.unit.address);
        if let Some(own) = own.filter(|_| !address.is_unspecified()) {
            self.ready.push(Outgoing::Frame(Arp::probe(own, address).to_bytes()));
        }
        self.work(now);
    }

    /// Everything was told again, or is not going to be.
    pub(super) fn judge(&mut self, now: Duration) {
        if !self.reading.is_heard() {
            if self.doubt.may_read() {
                self.search();
                return self.read_all(now);
            }
            return self.end(Outcome::Silent { written: self.written });
        }
        let open = self.open(&self.differences);
        let (told, untold): (Vec<_>, Vec<_>) = open.into_iter().partition(Difference::is_told);
        let before = self.before.as_ref().unwrap_or(&self.unit);
        let shifted = shifts(&told_by(before), &told_by(&self.unit), &self.differences);
        let verdict = verdict(told, untold, shifted);
        match self.doubt.weigh(verdict) {
            Ruling::End(outcome) => self.end(outcome),
            Ruling::ReadAgain => self.read_all(now),
            Ruling::BeginAgain => {
                self.current = 0;
                self.begin(now);
            }
        }
    }
}

/// Everything it tells of its settings.
fn told_by(unit: &Unit) -> Vec<(Field, Value)> {
    // Somebody else may be looking for it meanwhile; that is no change of its settings.
    let is_setting = |field: &Field| !matches!(field, Field::Address | Field::Indicators);
    let told = unit.facts.told().filter(|(field, _)| is_setting(field));
    let address = (Field::Address, Value::Address(unit.address));
    std::iter::once(address).chain(told.map(|(field, value)| (field, value.clone()))).collect()
}
