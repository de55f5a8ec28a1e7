//! Asking the whole node, before the first write and after the last, and what is made of its answers.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::Arp;
use lantern_wire::art_net::IpProg;

use super::{ANSWER_TIME, ASKS_BEFORE_EVERYBODY, CALL_EVERYBODY_EVERY};
use super::{Alter, Asking, Outcome, Phase, TalkEvent};
use crate::census::FoundNode;
use crate::conversation::{Outgoing, Ruling, shifts, verdict};
use crate::facts::{Difference, Field, Known, Value};

impl Alter {
    /// Asks the node for everything it tells.
    pub(super) fn ask_all(&mut self, now: Duration, asking: Asking) -> Asking {
        let asked = asking.asked + 1;
        if let Some(own) = self.vantage.frames_from() {
            // Whoever else has its address answers too.
            self.outbox.send_in_turn(Outgoing::Frame(Arp::probe(own, self.node.address).to_bytes()));
        }
        if asked > ASKS_BEFORE_EVERYBODY && !self.has_told(asking.since) {
            // Some answer only what goes to everybody.
            self.ask_everybody(now);
        } else if self.is_reachable() {
            self.outbox.poll(self.node.seat, self.node.address);
        } else {
            self.ask_everybody(now);
        }
        if self.wants_settings() && self.node.settings.is_none() && self.is_reachable() {
            self.ask_settings(self.node.address);
        }
        Asking { asked, again_at: now + ANSWER_TIME, ..asking }
    }

    pub(super) fn wants_settings(&self) -> bool {
        self.settings_told.is_some() || self.differences.iter().any(|difference| difference.field.is_ip())
    }

    pub(super) fn ask_settings(&mut self, at: Ipv4Addr) {
        self.outbox.send(self.node.seat, at, IpProg::ASK.to_bytes());
    }

    /// Asks everybody for it: where everybody is asked seldom, and by the limited broadcast only where nothing else
    /// reaches it, or once or twice.
    pub(super) fn ask_everybody(&mut self, now: Duration) {
        if self.everybody_at > now {
            return;
        }
        self.everybody_at = now + CALL_EVERYBODY_EVERY;
        let places = [Some(self.node.address), self.destination()];
        let mut seats: Vec<usize> =
            places.into_iter().flatten().filter_map(|place| self.vantage.seat_beside(place)).collect();
        seats.dedup();
        let away = places.into_iter().flatten().any(|place| self.vantage.seat_beside(place).is_none());
        if seats.is_empty() {
            seats.push(self.node.seat.min(self.vantage.seats.len().saturating_sub(1)));
        }
        for seat in seats {
            self.outbox.poll_seat(seat);
            if away || self.limited_left > 0 {
                self.limited_left = self.limited_left.saturating_sub(1);
                self.outbox.poll_limited(seat);
            }
        }
    }

    /// Whether the root page was told since.
    pub(super) fn has_told(&self, since: Duration) -> bool {
        self.pages_heard().next().is_some_and(|page| page >= since) && self.node.last_heard >= since
    }

    /// When each page was last heard.
    pub(super) fn pages_heard(&self) -> impl Iterator<Item = Duration> + '_ {
        self.node.pages.iter().map(|page| page.heard)
    }

    pub(super) fn has_told_all(&self, since: Duration) -> bool {
        let pages = self.pages_heard().all(|heard| heard >= since);
        pages && self.has_told(since) && (!self.wants_settings() || self.node.settings.is_some())
    }

    pub(super) fn greeted(&mut self, now: Duration) {
        let differences = self.differences.clone();
        // Where its answer was lost, it had what it told when it was found.
        let settings = self.node.settings.or(self.settings_told);
        self.before = Some(FoundNode { settings, ..self.node.clone() });
        if self.open(&differences).is_empty() {
            // Somebody else did it meanwhile.
            for step in 0..self.steps.len() {
                self.events.push_back(TalkEvent::Confirmed(step));
            }
            return self.end(Outcome::Done);
        }
        self.begin(now);
    }

    /// Reads the whole node anew.
    pub(super) fn read_all(&mut self, now: Duration) {
        self.doubt.read();
        self.node.forget_settings();
        let asking = Asking { asked: 0, since: now, again_at: now };
        let asking = self.ask_all(now, asking);
        self.phase = Phase::Reading(asking);
    }

    /// Everything was told again, or is not going to be.
    pub(super) fn judge(&mut self, now: Duration, since: Duration) {
        if !self.has_told(since) {
            return self.end(Outcome::Silent { written: self.written });
        }
        let open = self.open(&self.differences);
        if !self.is_reachable() {
            return self.end(Outcome::HeardOnly(open));
        }
        let (told, mut untold): (Vec<_>, Vec<_>) = open.into_iter().partition(Difference::is_told);
        if untold.is_empty() {
            untold.extend(self.unread(since));
        }
        let before = self.before.as_ref().unwrap_or(&self.node);
        let shifted = shifts(&before.told(), &self.node.told(), &self.differences);
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

    /// What was not read again although it told it before: a page, or its settings.
    pub(super) fn unread(&self, since: Duration) -> Option<Difference> {
        let heard = self.node.pages.iter().filter(|page| page.heard >= since).count();
        if heard < self.node.pages.len() {
            let heard = Value::Count(heard.try_into().unwrap_or(u32::MAX));
            return Some(Difference { field: Field::Pages, planned: Value::All, found: Known::Told(heard) });
        }
        let told = self.before.as_ref().and_then(|node| node.settings);
        let mask = told.filter(|_| self.node.settings.is_none()).map(|settings| Value::Address(settings.mask));
        mask.map(|planned| Difference { field: Field::Mask, planned, found: Known::Untold })
    }
}
