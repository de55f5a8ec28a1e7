//! Alter: change one node, step by step, and believe nothing that was not read back.
//!
//! 1. *Greeting*: the node is called, and answers as the one that is meant, from where it is meant to be. What it tells
//!    now is what everything is compared with later.
//! 2. Each step is *written*, then asked for. It goes out again only when the node tells the old value still, and never
//!    more than five times. Before an address is given, it is *probed*: whether anybody holds it in this moment.
//! 3. A node that restarts is *called* where it should come up, where it was, and now and then everywhere.
//! 4. *Reading*: at the end the whole node is read again, also what was written before a restart, and what was not
//!    meant to change. What is found open is written once more. Something found wrong is believed when it was told twice.
//!
//! Every message may get lost, come twice or late.

mod identity;
mod reading;
mod writing;

use std::collections::VecDeque;
use std::net::Ipv4Addr;
use std::time::Duration;

use super::doubt::Doubt;
use super::outbox::Outbox;
use super::pace::Pace;
use super::{AskedBy, Conversation, Heard, Other, Outcome, Outgoing, Probe, Talk, TalkEvent, Vantage, sightings};
use crate::census::{FoundNode, IpSettings, Sighting, Subject, Told};
use crate::change::{Change, Step};
use crate::facts::Difference;

/// How long to wait for an answer before it is asked for again; a node may take a second (Art-Net 4, "ArtPoll").
const ANSWER_TIME: Duration = Duration::from_millis(1200);
/// How often a node that should answer is asked before everybody is, and how often in all.
const ASKS_BEFORE_EVERYBODY: u32 = 2;
const ASKS: u32 = 6;
/// How often a step is written at most, and how often where the node restarts with it.
const WRITES: u32 = 5;
const WRITES_WITH_RESTARTS: u32 = 3;
/// How long after the first write an old value says that it was lost, and not that the node is slow to tell.
const SETTLED: Duration = Duration::from_secs(1);
/// How often a restarting node is called, and how often everybody is asked for it (Art-Net 4, "ArtPoll": controllers poll
/// every 2.5 to 3 s).
const CALL_EVERY: Duration = Duration::from_millis(600);
const CALL_EVERYBODY_EVERY: Duration = Duration::from_millis(2700);
/// How long ago an old value may have been told for the node to have it still.
const LATELY: Duration = Duration::from_secs(6);
/// Later than nothing, earlier than any answer.
const FIRST_MOMENT: Duration = Duration::from_nanos(1);
/// How long a node is silent after a write when it restarts with it, and nothing was only lost.
const RESTARTING: Duration = Duration::from_secs(4);
/// How often a node that is there is asked whether it has taken a value.
const LOOK_EVERY: Duration = Duration::from_millis(1200);

/// The conversation that makes one [`Change`] of an Art-Net node.
#[derive(Debug)]
pub struct Alter {
    differences: Vec<Difference>,
    steps: Vec<Step>,
    vantage: Vantage,
    outbox: Outbox,
    events: VecDeque<TalkEvent>,
    restart_time: Duration,
    /// The node as it is told now.
    node: FoundNode,
    /// The node as it was told before the first write.
    before: Option<FoundNode>,
    /// Its settings as it told them when it was found; then it can tell them again.
    settings_told: Option<IpSettings>,
    /// Which step is under way, from 0; as many as there are when all are done.
    current: usize,
    doubt: Doubt,
    written: bool,
    /// Whether it went silent after a write, as one does that restarts with it.
    restarts: bool,
    phase: Phase,
    /// Where it was heard once, and is not expected.
    stray: Option<Ipv4Addr>,
    everybody_at: Duration,
    limited_left: u32,
    outcome: Option<Outcome>,
}

#[derive(Debug)]
enum Phase {
    Greeting(Asking),
    Probing(Probe),
    Waiting(Waiting),
    Reading(Asking),
}

/// The whole node is being asked.
#[derive(Debug, Clone, Copy)]
struct Asking {
    asked: u32,
    /// Only what was told from then on counts.
    since: Duration,
    again_at: Duration,
}

/// A step was written, and the node is to tell that it has taken it.
#[derive(Debug, Clone, Copy)]
struct Waiting {
    writes: u32,
    first_at: Duration,
    written_at: Duration,
    again_at: Duration,
    /// When the node last told that it is as it was.
    old_at: Option<Duration>,
    /// When it was last heard at all.
    heard_at: Option<Duration>,
    acknowledged: bool,
    arrived: bool,
    /// How often its settings were asked for since it arrived.
    asked: u32,
}

impl Alter {
    /// A conversation that makes `change` of this node from there, and gives it `restart_time` to take each step.
    #[must_use]
    pub fn new(node: &FoundNode, change: &Change, vantage: Vantage, restart_time: Duration) -> Self {
        let mut node = node.clone();
        node.settled = true;
        let settings_told = node.settings;
        node.forget_settings();
        // When it was heard is told by another clock: nothing of it was heard yet in this conversation.
        node.last_heard = Duration::ZERO;
        node.pages.iter_mut().for_each(|page| page.heard = Duration::ZERO);
        Self {
            differences: change.differences.clone(),
            steps: change.steps.clone(),
            outbox: Outbox::with_pace(vantage.seats.clone(), Pace::USUAL),
            vantage,
            events: VecDeque::new(),
            restart_time,
            node,
            before: None,
            settings_told,
            current: 0,
            doubt: Doubt::new(),
            written: false,
            restarts: false,
            phase: Phase::Greeting(Asking { asked: 0, since: FIRST_MOMENT, again_at: Duration::ZERO }),
            stray: None,
            everybody_at: Duration::ZERO,
            limited_left: 2,
            outcome: change.steps.is_empty().then_some(Outcome::Done),
        }
    }

    fn end(&mut self, outcome: Outcome) {
        let step = self.current.min(self.steps.len().saturating_sub(1));
        self.events.push_back(TalkEvent::Ended(step, outcome.clone()));
        self.outcome = Some(outcome);
    }

    /// What is not as wanted of these, as the node tells it now.
    fn open(&self, differences: &[Difference]) -> Vec<Difference> {
        differences.iter().filter_map(|difference| difference.against(&self.node)).collect()
    }

    fn destination(&self) -> Option<Ipv4Addr> {
        let from = self.before.as_ref().unwrap_or(&self.node);
        self.steps.get(self.current).and_then(|step| step.destination(from))
    }

    fn is_reachable(&self) -> bool {
        self.outbox.reaches(self.node.address)
    }

    fn take(&mut self, now: Duration, sighting: &Sighting) {
        if self.outcome.is_some() {
            return;
        }
        match &self.phase {
            Phase::Greeting(_) => {
                if let Some(other) = self.other_at(self.node.address, sighting) {
                    return self.end(Outcome::Stranger(other));
                }
            }
            Phase::Probing(probe) => {
                let address = probe.address;
                let own = self.is_ours(sighting);
                if let Some(other) = self.other_at(address, sighting) {
                    return self.end(Outcome::Taken(other));
                }
                // Without a MAC address to compare, whoever answers there is somebody else.
                let bare = matches!(sighting.told, Told::Echo | Told::PollReply(_)) && sighting.mac.is_none();
                if sighting.from == address && bare && !own {
                    return self.end(Outcome::Taken(Other { mac: None, name: sighting.name() }));
                }
            }
            Phase::Reading(_) => {
                if let Some(other) = self.other_at(self.node.address, sighting) {
                    return self.end(Outcome::Shared(other));
                }
            }
            Phase::Waiting(_) => {}
        }
        if !self.is_ours(sighting) {
            return;
        }
        if let Some(place) = self.strange_place(sighting) {
            // One such answer may be damaged, or another's: it is believed when it comes again.
            if self.stray.replace(place) != Some(place) {
                return;
            }
            if matches!(self.phase, Phase::Greeting(_)) {
                // It is somewhere else now, and what was shown is no longer so.
                return self.end(Outcome::Elsewhere(place));
            }
        }
        self.node.learn(sighting);
        self.follow(now, sighting);
    }

    fn follow(&mut self, now: Duration, sighting: &Sighting) {
        match self.phase {
            Phase::Greeting(asking) if self.has_told_all(asking.since) => self.greeted(now),
            Phase::Reading(asking) if self.has_told_all(asking.since) => self.judge(now, asking.since),
            Phase::Waiting(waiting) => self.heard_waiting(now, sighting, waiting),
            Phase::Greeting(_) | Phase::Reading(_) | Phase::Probing(_) => {}
        }
    }

    fn work(&mut self, now: Duration) {
        if self.outcome.is_some() {
            return;
        }
        match &mut self.phase {
            Phase::Greeting(asking) | Phase::Reading(asking) if asking.again_at > now => {}
            Phase::Greeting(asking) if asking.asked >= ASKS => {
                let since = asking.since;
                if self.has_told(since) {
                    self.greeted(now);
                } else {
                    self.end(Outcome::Silent { written: false });
                }
            }
            Phase::Greeting(asking) => {
                let asking = *asking;
                self.phase = Phase::Greeting(self.ask_all(now, asking));
            }
            Phase::Reading(asking) if asking.asked >= ASKS => {
                let since = asking.since;
                self.judge(now, since);
            }
            Phase::Reading(asking) => {
                let asking = *asking;
                self.phase = Phase::Reading(self.ask_all(now, asking));
            }
            Phase::Probing(probe) if probe.is_over(now) => self.write(now, 0, now),
            Phase::Probing(probe) => {
                probe.ask(now, &self.vantage, &mut |outgoing| self.outbox.send_in_turn(outgoing));
            }
            Phase::Waiting(waiting) if waiting.again_at.min(waiting.written_at + self.restart_time) <= now => {
                let waiting = *waiting;
                self.wait_on(now, waiting);
            }
            Phase::Waiting(_) => {}
        }
    }
}

impl Talk for Alter {
    fn outcome(&self) -> Option<&Outcome> {
        self.outcome.as_ref()
    }

    fn subject(&self) -> Subject {
        Subject::of_node(&self.node)
    }
}

impl Conversation for Alter {
    type Event = TalkEvent;

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        let (arp, seen) = sightings(&self.vantage, now, heard);
        if let Some(arp) = arp {
            self.hear_arp(&arp);
        }
        for sighting in &seen {
            self.take(now, sighting);
        }
        self.outbox.release(now);
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.outbox.next()
    }

    fn wake_at(&self) -> Option<Duration> {
        if self.outcome.is_some() {
            return None;
        }
        let own = match &self.phase {
            Phase::Greeting(asking) | Phase::Reading(asking) => asking.again_at,
            Phase::Probing(probe) => probe.next_at(),
            Phase::Waiting(waiting) => waiting.again_at.min(waiting.written_at + self.restart_time),
        };
        Some(self.outbox.release_at().map_or(own, |at| at.min(own)))
    }

    fn wake(&mut self, now: Duration) {
        self.work(now);
        self.outbox.release(now);
    }

    fn next_event(&mut self) -> Option<TalkEvent> {
        self.events.pop_front()
    }
}
