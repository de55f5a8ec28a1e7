//! Alter: change one node, step by step, and believe nothing that was not read back.
//!
//! Names, universes and port behaviour are confirmed by the node's own poll reply. A new address makes the node
//! restart: it is looked for by its MAC address until it shows up where it should be, then asked for its mask and
//! gateway. Every message may get lost, so each is repeated; all of them can be repeated without harm.

use std::collections::VecDeque;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::art_net::{IpCommand, IpProg};

use super::outbox::Outbox;
use super::{Conversation, Heard, Outgoing, Seat};
use crate::census::{FoundNode, Sighting, Told};
use crate::change::{Change, Step, StepMessage};
use crate::compare::Difference;

/// How long to wait for an answer before a message is repeated; a node may take a second (Art-Net 4, "ArtPoll").
const ANSWER_TIME: Duration = Duration::from_millis(1200);
const TRIES: u32 = 4;
/// How often a restarting node is called.
const CALL_EVERY: Duration = Duration::from_millis(500);
/// Each n-th call goes to everybody, in case the node came up elsewhere; the others spare the rest of the rig.
const CALL_EVERYBODY: u32 = 5;
/// A node heard at its old address this long after it should have restarted did not take the new one.
const STILL_THERE: Duration = Duration::from_secs(5);

/// What happened to a change.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Outcome {
    /// Everything was read back as wanted.
    Done,
    /// The node moved out of this computer's reach; its address was heard there, the rest could not be read back.
    HeardOnly,
    /// The node answers, but keeps (some of) its old settings.
    Refused,
    /// The node does not answer any more, and was not seen with a new address.
    Silent,
}

/// What the conversation tells while it runs.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum AlterEvent {
    /// A step was sent for the first time.
    Sent(usize),
    /// A step was read back as wanted.
    Confirmed(usize),
    /// The node says that it will take the address, and restarts.
    Restarting,
    /// The node is back, at this address.
    Back(Ipv4Addr),
    /// It ended with this step.
    Ended(usize, Outcome),
}

/// The conversation that makes one [`Change`].
#[derive(Debug)]
pub struct Alter {
    steps: Vec<Step>,
    node: FoundNode,
    outbox: Outbox,
    events: VecDeque<AlterEvent>,
    restart_time: Duration,
    current: usize,
    phase: Phase,
    calls: u32,
    heard: bool,
    outcome: Option<Outcome>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Phase {
    /// A step has been sent `tries` times; the next try is due at `again_at`.
    Writing { tries: u32, again_at: Duration },
    /// The node has restarted at `since`, or might have; it is called again at `again_at`.
    Restarting { since: Duration, again_at: Duration },
    /// The node is back where it should be; mask and gateway are asked for again at `again_at`, until `until`.
    ReadingBack { again_at: Duration, until: Duration },
}

impl Alter {
    /// A conversation that makes `change`, and gives the node `restart_time` to come back with a new address.
    #[must_use]
    pub fn new(change: &Change, seats: Vec<Seat>, restart_time: Duration) -> Self {
        Self {
            steps: change.steps.clone(),
            node: change.node.clone(),
            outbox: Outbox::new(seats),
            events: VecDeque::new(),
            restart_time,
            current: 0,
            phase: Phase::Writing { tries: 0, again_at: Duration::ZERO },
            calls: 0,
            heard: false,
            outcome: change.steps.is_empty().then_some(Outcome::Done),
        }
    }

    /// How it ended; `None` while it runs.
    #[must_use]
    pub const fn outcome(&self) -> Option<&Outcome> {
        self.outcome.as_ref()
    }

    /// The node as it was last heard.
    #[must_use]
    pub const fn node(&self) -> &FoundNode {
        &self.node
    }

    fn step(&self) -> &Step {
        &self.steps[self.current]
    }

    fn write(&mut self, now: Duration, tries: u32) {
        if tries == TRIES {
            return self.unanswered(now);
        }
        if tries == 0 {
            self.events.push_back(AlterEvent::Sent(self.current));
            self.heard = false;
            // Only what the node tells from now on counts as read back.
            if self.step().moves_node() {
                self.node.settings = None;
            }
        }
        let bytes = self.step().to_bytes();
        self.outbox.send(self.node.seat, self.node.address, bytes);
        if tries > 0 {
            // Perhaps only the answer was lost: then the poll brings it.
            self.outbox.poll(self.node.seat, self.node.address);
        }
        self.phase = Phase::Writing { tries: tries + 1, again_at: now + ANSWER_TIME };
    }

    /// Every try went by without the right answer. A node that was to move may be on its way all the same.
    fn unanswered(&mut self, now: Duration) {
        if self.step().moves_node() {
            self.wait_for_restart(now);
        } else {
            self.end(self.failure());
        }
    }

    const fn failure(&self) -> Outcome {
        if self.heard { Outcome::Refused } else { Outcome::Silent }
    }

    fn wait_for_restart(&mut self, now: Duration) {
        self.events.push_back(AlterEvent::Restarting);
        // What an acknowledgement states is what the node means to do, not what it has become.
        self.node.settings = None;
        self.heard = false;
        self.calls = 0;
        self.phase = Phase::Restarting { since: now, again_at: now + CALL_EVERY };
    }

    /// Calls the restarting node where it should come up, and now and then everywhere.
    fn call(&mut self) {
        self.calls += 1;
        let there = self.destination().filter(|wanted| self.outbox.reaches(*wanted));
        match there {
            Some(wanted) if !self.calls.is_multiple_of(CALL_EVERYBODY) => self.outbox.poll(self.node.seat, wanted),
            _ => self.outbox.poll_everybody(),
        }
    }

    fn end(&mut self, outcome: Outcome) {
        self.events.push_back(AlterEvent::Ended(self.current, outcome.clone()));
        self.outcome = Some(outcome);
    }

    /// The current step is read back: on to the next, or done.
    fn confirm(&mut self, now: Duration, outcome: Outcome) {
        self.events.push_back(AlterEvent::Confirmed(self.current));
        if self.current + 1 == self.steps.len() {
            return self.end(outcome);
        }
        self.current += 1;
        self.write(now, 0);
    }

    fn is_ours(&self, sighting: &Sighting) -> bool {
        match &sighting.told {
            Told::PollReply(reply) if self.node.mac.is_some() => Some(reply.mac) == self.node.mac,
            Told::PollReply(reply) => !reply.mac.is_known() && reply.address == self.node.address,
            Told::IpSettings(reply) => {
                let expected = [Some(self.node.address), self.destination()];
                expected.contains(&Some(sighting.from)) || expected.contains(&Some(reply.address))
            }
            _ => false,
        }
    }

    /// Where the current step sends the node; `None` when it stays or a DHCP server decides.
    fn destination(&self) -> Option<Ipv4Addr> {
        match &self.step().message {
            StepMessage::Ip(message) if message.command.has(IpCommand::ADDRESS) => Some(message.address),
            _ => None,
        }
    }

    /// Whether everything the current step is about is now as wanted, as far as the node tells.
    fn is_met(&self) -> bool {
        self.step().differences.iter().all(|difference| difference.is_gone_from(&self.node))
    }

    /// Whether the address part of the current step is as wanted.
    fn has_arrived(&self) -> bool {
        let about_place = |d: &&Difference| matches!(d, Difference::Address { .. } | Difference::Dhcp { .. });
        self.step().differences.iter().filter(about_place).all(|d| d.is_gone_from(&self.node))
    }

    fn heard_while_writing(&mut self, now: Duration, told: &Told, tries: u32) {
        if !self.step().moves_node() {
            if self.is_met() {
                self.confirm(now, Outcome::Done);
            }
            return;
        }
        let takes_it = match told {
            Told::IpSettings(reply) => {
                self.destination().is_none_or(|wanted| reply.address == wanted) && self.accepts(reply.dhcp())
            }
            // The acknowledgement was lost, but the node is there already.
            Told::PollReply(_) => self.has_arrived() && self.destination().is_some(),
            _ => false,
        };
        if takes_it {
            self.wait_for_restart(now);
        } else if matches!(told, Told::IpSettings(_)) && tries > 1 {
            // The first such answer may have been to an earlier question, still under way.
            self.end(Outcome::Refused);
        }
    }

    fn accepts(&self, dhcp: bool) -> bool {
        let wants = self.step().differences.iter().find_map(|difference| match difference {
            Difference::Dhcp { planned } => Some(*planned),
            _ => None,
        });
        wants.is_none_or(|wanted| wanted == dhcp)
    }

    fn heard_while_restarting(&mut self, now: Duration, told: &Told, since: Duration) {
        if !matches!(told, Told::PollReply(_)) {
            return;
        }
        if !self.has_arrived() {
            if now >= since + STILL_THERE {
                self.end(Outcome::Refused);
            }
            return;
        }
        self.events.push_back(AlterEvent::Back(self.node.address));
        if self.outbox.reaches(self.node.address) {
            self.ask_back(now, now + self.restart_time);
        } else {
            self.confirm(now, Outcome::HeardOnly);
        }
    }

    fn ask_back(&mut self, now: Duration, until: Duration) {
        self.outbox.send(self.node.seat, self.node.address, IpProg::ASK.to_bytes());
        self.phase = Phase::ReadingBack { again_at: now + CALL_EVERY, until };
    }
}

impl Conversation for Alter {
    type Event = AlterEvent;

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        let Heard::Datagram(heard) = heard else { return };
        let read = Sighting::read(now, heard.seat, heard.from, heard.port, heard.bytes);
        let Ok(Some(sighting)) = read else { return };
        if self.outcome.is_some() || !self.is_ours(&sighting) {
            return;
        }
        self.node.learn(&sighting);
        self.heard = true;
        match self.phase {
            Phase::Writing { tries, .. } => self.heard_while_writing(now, &sighting.told, tries),
            Phase::Restarting { since, .. } => self.heard_while_restarting(now, &sighting.told, since),
            Phase::ReadingBack { .. } => {
                if matches!(sighting.told, Told::IpSettings(_)) && self.is_met() {
                    self.confirm(now, Outcome::Done);
                }
            }
        }
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.outbox.next()
    }

    fn wake_at(&self) -> Option<Duration> {
        if self.outcome.is_some() {
            return None;
        }
        Some(match self.phase {
            Phase::Writing { again_at, .. } => again_at,
            Phase::Restarting { since, again_at } => again_at.min(since + self.restart_time),
            Phase::ReadingBack { again_at, until } => again_at.min(until),
        })
    }

    fn wake(&mut self, now: Duration) {
        if self.outcome.is_some() {
            return;
        }
        match self.phase {
            Phase::Writing { tries, again_at } if again_at <= now => self.write(now, tries),
            Phase::Restarting { since, .. } if since + self.restart_time <= now => self.end(self.failure()),
            Phase::Restarting { since, again_at } if again_at <= now => {
                self.call();
                self.phase = Phase::Restarting { since, again_at: now + CALL_EVERY };
            }
            Phase::ReadingBack { until, .. } if until <= now => self.end(Outcome::Refused),
            Phase::ReadingBack { again_at, until } if again_at <= now => self.ask_back(now, until),
            Phase::Writing { .. } | Phase::Restarting { .. } | Phase::ReadingBack { .. } => {}
        }
    }

    fn next_event(&mut self) -> Option<AlterEvent> {
        self.events.pop_front()
    }
}
