//! Asking single addresses: whether anybody has one, and whether whoever was seen can be talked to.

use std::net::Ipv4Addr;
use std::time::Duration;

use super::Survey;
use crate::census::{Sighting, Told};
use crate::conversation::Outgoing;

impl Survey {
    pub(super) fn consider_echo(&mut self, now: Duration, sighting: &Sighting) {
        if !self.plan.can_ask_echo() {
            return;
        }
        let is_meant =
            self.plan.concern.has(sighting.from, sighting.mac) || self.concerned.contains(&sighting.from);
        if !is_meant {
            return;
        }
        let whom = (sighting.from, sighting.mac.filter(|_| self.plan.vantage.means.frames));
        if self.outbox.reaches(sighting.from) && self.echoes.ask(now, whom) && self.plan.vantage.means.frames {
            // Everybody is asked who has the address: whoever shares it answers too.
            self.knock(sighting.from);
        }
        // Who is to be timed is asked though it was heard already.
        if sighting.to_us && (!self.plan.times_echoes || matches!(sighting.told, Told::Echo)) {
            self.echoes.answered(whom);
        }
    }

    pub(super) fn sweep(&mut self, now: Duration) {
        while !self.sweep.is_over() && self.outbox.has_room(now) {
            // Without frames and echo only the system can tell a MAC address, once it was made to look for it.
            let (census, means) = (&self.census, self.plan.vantage.means);
            let is_settled = |address| (means.frames || means.echo) && census.is_seen(address);
            let Some(address) = self.sweep.next(now, is_settled) else { break };
            let outgoing = self.knocking(address);
            self.outbox.send_now(outgoing);
        }
    }

    /// Asks whether anybody has an address, in the best way there is.
    fn knock(&mut self, address: Ipv4Addr) {
        let outgoing = self.knocking(address);
        self.outbox.send_in_turn(outgoing);
    }

    fn knocking(&self, address: Ipv4Addr) -> Outgoing {
        let vantage = &self.plan.vantage;
        let asks = vantage.who_has(address).or_else(|| vantage.echo(address, None, 1));
        asks.unwrap_or_else(|| self.outbox.knocking(address))
    }

    pub(super) fn ask_echoes(&mut self, now: Duration) {
        while let Some(((address, mac), nth)) = self.echoes.next(now) {
            // Its MAC address comes with the answer to the question who has it.
            let number = u16::try_from(nth).unwrap_or(u16::MAX);
            match self.plan.vantage.echo(address, mac, number) {
                Some(asks) => self.outbox.send_in_turn(asks),
                None => self.knock(address),
            }
        }
    }

    /// When a family has a question to a single device whose turn it is.
    pub(super) fn next_single(&self) -> Option<Duration> {
        let wanted = self.askers.iter().filter_map(|asker| asker.next_single()).min();
        wanted.map(|at| at.max(self.outbox.pace().next()))
    }

    pub(super) fn ask_single(&mut self, now: Duration) {
        while self.next_single().is_some_and(|at| at <= now) && self.outbox.has_room(now) {
            let mut due = self.askers.iter_mut().filter(|asker| asker.next_single().is_some_and(|at| at <= now));
            let question = due.next().and_then(|asker| asker.ask_single(now));
            if let Some(question) = question {
                self.outbox.send_now(question);
            }
            self.take_made_out(now);
        }
    }
}
