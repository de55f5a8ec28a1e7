//! One step after the other: probed where it gives an address, written, and waited for until the node tells it.

use std::time::Duration;

use lantern_wire::art_net::IpProgReply;

use super::{
    ANSWER_TIME, ASKS, CALL_EVERY, CALL_EVERYBODY_EVERY, LATELY, LOOK_EVERY, RESTARTING, SETTLED, WRITES,
    WRITES_WITH_RESTARTS,
};
use super::{Alter, AskedBy, Outcome, Phase, Probe, TalkEvent, Waiting};
use crate::census::{Sighting, Told};
use crate::facts::{Difference, Field, Value};

impl Alter {
    /// Begins the current step, passing over those that are as wanted already.
    pub(super) fn begin(&mut self, now: Duration) {
        while let Some(step) = self.steps.get(self.current) {
            if self.open(&step.differences).is_empty() {
                if self.doubt.is_first_round() {
                    self.events.push_back(TalkEvent::Confirmed(self.current));
                }
                self.current += 1;
                continue;
            }
            return match self.destination() {
                Some(to) if to != self.node.address => {
                    self.events.push_back(TalkEvent::Probing(to, AskedBy::from(&self.vantage)));
                    self.phase = Phase::Probing(Probe::new(now, to));
                    self.work(now);
                }
                _ => self.write(now, 0, now),
            };
        }
        self.read_all(now);
    }

    pub(super) fn write(&mut self, now: Duration, writes: u32, first_at: Duration) {
        let event = if writes == 0 { TalkEvent::Sent } else { TalkEvent::Repeated };
        self.events.push_back(event(self.current));
        let step = &self.steps[self.current];
        let sends = step.sends();
        if step.moves_node() {
            // Only what the node tells from now on counts as read back.
            self.node.forget_settings();
        }
        for (index, bytes) in sends {
            let page = self.node.pages.iter().find(|page| Some(page.index) == index);
            let own = page.and_then(|page| page.address).filter(|at| self.outbox.reaches(*at));
            self.outbox.send(self.node.seat, own.unwrap_or(self.node.address), bytes);
        }
        self.written = true;
        self.everybody_at = now + CALL_EVERYBODY_EVERY;
        self.phase = Phase::Waiting(Waiting {
            writes: writes + 1,
            first_at,
            written_at: now,
            again_at: now + ANSWER_TIME,
            old_at: None,
            heard_at: None,
            acknowledged: false,
            arrived: false,
            asked: 0,
        });
    }

    /// The current step is read back: on to the next.
    pub(super) fn confirm(&mut self, now: Duration) {
        self.events.push_back(TalkEvent::Confirmed(self.current));
        self.current += 1;
        self.begin(now);
    }

    /// Whether all the current step is about is as wanted, as far as the node tells it.
    pub(super) fn open_step(&self) -> Vec<Difference> {
        self.steps.get(self.current).map_or_else(Vec::new, |step| self.open(&step.differences))
    }

    /// Time to ask again, to write again, or to give up.
    pub(super) fn wait_on(&mut self, now: Duration, mut waiting: Waiting) {
        if waiting.written_at + self.restart_time <= now {
            return self.give_up(now, waiting);
        }
        let moves = self.steps[self.current].moves_node();
        if waiting.arrived {
            return self.ask_arrived(now, waiting);
        }
        // Each repeat waits longer, so that one that is slow to obey is not told anew before it has begun.
        let settled = waiting.written_at + SETTLED * waiting.writes * waiting.writes;
        let tells_old =
            waiting.old_at.is_some_and(|at| at >= settled) && now < waiting.first_at + self.restart_time;
        let is_mute = waiting.heard_at.is_none() && now >= waiting.written_at + RESTARTING;
        self.restarts |= is_mute;
        let most = if self.restarts { WRITES_WITH_RESTARTS } else { WRITES };
        if tells_old && !waiting.acknowledged && waiting.writes < most {
            return self.write(now, waiting.writes, waiting.first_at);
        }
        let is_heard = waiting.heard_at.is_some_and(|at| at + CALL_EVERYBODY_EVERY > now);
        waiting.again_at = now + if is_heard { LOOK_EVERY } else { CALL_EVERY };
        self.phase = Phase::Waiting(waiting);
        let destination = self.destination();
        if let Some(there) = destination.filter(|there| self.outbox.reaches(*there)) {
            self.outbox.poll(self.node.seat, there);
        }
        if self.outbox.reaches(self.node.address) && destination != Some(self.node.address) {
            self.outbox.poll(self.node.seat, self.node.address);
            if moves && destination.is_none() {
                self.ask_settings(self.node.address);
            }
        }
        if !is_heard {
            self.ask_everybody(now);
        }
    }

    /// It is where it should be; its settings are still to be told.
    pub(super) fn ask_arrived(&mut self, now: Duration, mut waiting: Waiting) {
        let open = self.open_step();
        if waiting.asked >= ASKS && !open.iter().any(Difference::is_told) {
            // It moved, and does not say what it has become otherwise.
            return self.confirm(now);
        }
        waiting.asked += 1;
        waiting.again_at = now + CALL_EVERY;
        self.phase = Phase::Waiting(waiting);
        self.ask_settings(self.node.address);
        if waiting.asked > 1 {
            self.outbox.poll(self.node.seat, self.node.address);
        }
    }

    pub(super) fn give_up(&mut self, now: Duration, waiting: Waiting) {
        let open = self.open_step();
        // What it told before it restarted says nothing, nor does an answer that was long under way.
        let is_as_it_was = waiting.old_at.is_some_and(|at| at >= waiting.written_at && at + LATELY >= now);
        let there = self.node.address;
        let is_expected =
            [self.destination(), self.before.as_ref().map(|node| node.address)].contains(&Some(there));
        let outcome = match is_expected {
            false if open.iter().any(is_misplaced) => Outcome::Elsewhere(there),
            _ if is_as_it_was && waiting.acknowledged && self.destination() != Some(there) => {
                Outcome::Acknowledged(open)
            }
            _ if is_as_it_was => Outcome::Refused(open),
            _ if waiting.arrived => Outcome::Unverified(open),
            _ => Outcome::Silent { written: self.written },
        };
        self.end(outcome);
    }

    pub(super) fn heard_waiting(&mut self, now: Duration, sighting: &Sighting, mut waiting: Waiting) {
        waiting.heard_at = Some(now);
        let moves = self.steps[self.current].moves_node();
        if let Told::IpSettings(reply) = &sighting.told
            && moves
            && !waiting.arrived
            && now < waiting.written_at + ANSWER_TIME
        {
            // What an acknowledgement states is what the node means to do, not what it has become.
            let takes = self.destination().is_none_or(|to| reply.address == to)
                && self.steps[self.current].differences.iter().all(|difference| takes(difference, reply));
            self.node.forget_settings();
            if takes && !waiting.acknowledged {
                waiting.acknowledged = true;
                // It restarts now, and has no ear for a while.
                waiting.again_at = waiting.again_at.max(now + LOOK_EVERY);
                self.events.push_back(TalkEvent::Restarting);
            }
            self.phase = Phase::Waiting(waiting);
            return;
        }
        let open = self.open_step();
        if open.is_empty() {
            if moves && !waiting.arrived {
                self.events.push_back(TalkEvent::Back(self.node.address));
            }
            return self.confirm(now);
        }
        if moves {
            return self.heard_moving(now, sighting, waiting, &open);
        }
        if open.iter().any(Difference::is_told) {
            waiting.old_at = Some(now);
        } else if matches!(sighting.told, Told::PollReply(_)) && now >= waiting.written_at + SETTLED {
            // It answers, and does not tell what was written.
            return self.confirm(now);
        }
        self.phase = Phase::Waiting(waiting);
    }

    pub(super) fn heard_moving(
        &mut self,
        now: Duration,
        sighting: &Sighting,
        mut waiting: Waiting,
        open: &[Difference],
    ) {
        let before = self.before.as_ref().map(|node| node.address);
        let by_lease = |d: &Difference| matches!(d.field, Field::Addressing | Field::FactoryNetwork);
        if open.iter().any(is_misplaced) {
            // It is not where it should be, or not addressed as it should be: at its new place it may be on DHCP still.
            if [before, self.destination()].contains(&Some(self.node.address)) {
                waiting.old_at = Some(now);
            }
            self.phase = Phase::Waiting(waiting);
            return;
        }
        if open.iter().any(Difference::is_told) && matches!(sighting.told, Told::IpSettings(_)) {
            // It tells mask or gateway as they were.
            waiting.old_at = Some(now);
            self.phase = Phase::Waiting(waiting);
            return;
        }
        if !matches!(sighting.told, Told::PollReply(_)) || waiting.arrived {
            self.phase = Phase::Waiting(waiting);
            return;
        }
        if !self.is_reachable() {
            self.events.push_back(TalkEvent::Back(self.node.address));
            let open = self.open(&self.differences.clone());
            return self.end(Outcome::HeardOnly(open));
        }
        let changes_place = self.destination().is_some() || open.iter().any(by_lease);
        if changes_place && Some(self.node.address) != before {
            self.events.push_back(TalkEvent::Back(self.node.address));
        }
        if Some(self.node.address) == before && !waiting.acknowledged && now < waiting.written_at + SETTLED {
            self.phase = Phase::Waiting(waiting);
            return;
        }
        waiting.arrived = true;
        waiting.asked = 0;
        self.ask_arrived(now, waiting);
    }
}

/// Whether the node tells that it is not where it should be, or not addressed as it should be.
const fn is_misplaced(difference: &Difference) -> bool {
    matches!(difference.field, Field::Address | Field::Addressing) && difference.is_told()
}

/// Whether an acknowledgement says that this will be so.
fn takes(difference: &Difference, reply: &IpProgReply) -> bool {
    match (difference.field, &difference.planned) {
        (Field::Addressing, Value::Flag(dhcp)) => *dhcp == reply.dhcp(),
        (Field::Mask, Value::Address(mask)) => *mask == reply.mask,
        (Field::Gateway, Value::Address(gateway)) => *gateway == reply.gateway,
        _ => true,
    }
}
