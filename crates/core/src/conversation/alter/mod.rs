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

mod outcome;
mod probe;

use std::collections::VecDeque;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::art_net::IpProg;
use lantern_wire::{Arp, MacAddress, Packet};

use super::outbox::Outbox;
use super::pace::Pace;
use super::{Conversation, Heard, Outgoing, Vantage, listen};
use crate::Said;
use crate::address::Mask;
use crate::census::{FoundNode, Sighting, Told};
use crate::change::{Change, Step};
use crate::compare::{Difference, Known};

pub use outcome::{Other, Outcome, Shift};
pub use probe::AskedBy;

use outcome::shifts;
use probe::Probe;

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
/// How often all steps are gone through at most: once more where a restart undid one.
const ROUNDS: u32 = 2;
/// How often the whole node is read at the end before what it tells is believed.
const READINGS: u32 = 3;

/// What the conversation tells while it runs.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum AlterEvent {
    /// It is being asked who holds this address, in this way.
    Probing(Ipv4Addr, AskedBy),
    /// A step is sent for the first time.
    Sent(usize),
    /// A step is sent once more, since the node tells the old value still.
    Repeated(usize),
    /// A step was read back as wanted.
    Confirmed(usize),
    /// The node says that it takes the address, and restarts.
    Restarting,
    /// The node is back, at this address.
    Back(Ipv4Addr),
    /// It ended, at this step.
    Ended(usize, Outcome),
}

/// The conversation that makes one [`Change`].
#[derive(Debug)]
pub struct Alter {
    differences: Vec<Difference>,
    steps: Vec<Step>,
    vantage: Vantage,
    outbox: Outbox,
    events: VecDeque<AlterEvent>,
    restart_time: Duration,
    /// The node as it is told now.
    node: FoundNode,
    /// The node as it was told before the first write.
    before: Option<FoundNode>,
    /// Whether it told its settings when it was found, so that it can tell them again.
    tells_settings: bool,
    /// Which step is under way, from 0; as many as there are when all are done.
    current: usize,
    round: u32,
    written: bool,
    /// Whether it went silent after a write, as one does that restarts with it.
    restarts: bool,
    phase: Phase,
    everybody_at: Duration,
    limited_left: u32,
    /// What the last whole reading found wrong: it is believed when the next finds the same.
    suspicion: Option<Outcome>,
    readings: u32,
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
    arrived_at: Option<Duration>,
    /// How often its settings were asked for since it arrived.
    asked: u32,
    elsewhere: Option<Ipv4Addr>,
}

impl Alter {
    /// A conversation that makes `change` from there, and gives the node `restart_time` to take each step.
    #[must_use]
    pub fn new(change: &Change, vantage: Vantage, restart_time: Duration) -> Self {
        let mut node = change.node.clone();
        node.settled = true;
        let tells_settings = node.settings.is_some();
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
            tells_settings,
            current: 0,
            round: 1,
            written: false,
            restarts: false,
            phase: Phase::Greeting(Asking { asked: 0, since: FIRST_MOMENT, again_at: Duration::ZERO }),
            everybody_at: Duration::ZERO,
            limited_left: 2,
            suspicion: None,
            readings: 0,
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

    fn end(&mut self, outcome: Outcome) {
        let step = self.current.min(self.steps.len().saturating_sub(1));
        self.events.push_back(AlterEvent::Ended(step, outcome.clone()));
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

    // Asking.

    /// Asks the node for everything it tells.
    fn ask_all(&mut self, now: Duration, asking: Asking) -> Asking {
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

    fn wants_settings(&self) -> bool {
        self.tells_settings || self.differences.iter().any(Difference::is_ip)
    }

    fn ask_settings(&mut self, at: Ipv4Addr) {
        self.outbox.send(self.node.seat, at, IpProg::ASK.to_bytes());
    }

    /// Asks everybody for it: where everybody is asked seldom, and by the limited broadcast only where nothing else
    /// reaches it, or once or twice.
    fn ask_everybody(&mut self, now: Duration) {
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
    fn has_told(&self, since: Duration) -> bool {
        self.written_pages().next().is_some_and(|page| page >= since) && self.node.last_heard >= since
    }

    /// When each page was last heard.
    fn written_pages(&self) -> impl Iterator<Item = Duration> + '_ {
        self.node.pages.iter().map(|page| page.heard)
    }

    fn has_told_all(&self, since: Duration) -> bool {
        let pages = self.written_pages().all(|heard| heard >= since);
        pages && self.has_told(since) && (!self.wants_settings() || self.node.settings.is_some())
    }

    // Greeting.

    fn greeted(&mut self, now: Duration) {
        let differences = self.differences.clone();
        self.before = Some(self.node.clone());
        if self.open(&differences).is_empty() {
            // Somebody else did it meanwhile.
            for step in 0..self.steps.len() {
                self.events.push_back(AlterEvent::Confirmed(step));
            }
            return self.end(Outcome::Done);
        }
        self.begin(now);
    }

    // Steps.

    /// Begins the current step, passing over those that are as wanted already.
    fn begin(&mut self, now: Duration) {
        while let Some(step) = self.steps.get(self.current) {
            if self.open(&step.differences).is_empty() {
                if self.round == 1 {
                    self.events.push_back(AlterEvent::Confirmed(self.current));
                }
                self.current += 1;
                continue;
            }
            return match self.destination() {
                Some(to) if to != self.node.address => {
                    self.events.push_back(AlterEvent::Probing(to, AskedBy::from(&self.vantage)));
                    self.phase = Phase::Probing(Probe::new(now, to));
                    self.work(now);
                }
                _ => self.write(now, 0, now),
            };
        }
        self.read_all(now);
    }

    fn write(&mut self, now: Duration, writes: u32, first_at: Duration) {
        let event = if writes == 0 { AlterEvent::Sent } else { AlterEvent::Repeated };
        self.events.push_back(event(self.current));
        let step = &self.steps[self.current];
        let (bytes, moves) = (step.to_bytes(), step.moves_node());
        let to = step.page_at.filter(|at| self.outbox.reaches(*at)).unwrap_or(self.node.address);
        if moves {
            // Only what the node tells from now on counts as read back.
            self.node.forget_settings();
        }
        self.outbox.send(self.node.seat, to, bytes);
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
            arrived_at: None,
            asked: 0,
            elsewhere: None,
        });
    }

    /// The current step is read back: on to the next.
    fn confirm(&mut self, now: Duration) {
        self.events.push_back(AlterEvent::Confirmed(self.current));
        self.current += 1;
        self.begin(now);
    }

    /// Whether all the current step is about is as wanted, as far as the node tells it.
    fn open_step(&self) -> Vec<Difference> {
        self.steps.get(self.current).map_or_else(Vec::new, |step| self.open(&step.differences))
    }

    /// Time to ask again, to write again, or to give up.
    fn wait_on(&mut self, now: Duration, mut waiting: Waiting) {
        if waiting.written_at + self.restart_time <= now {
            return self.give_up(now, waiting);
        }
        let moves = self.steps[self.current].moves_node();
        if let Some(arrived) = waiting.arrived_at {
            return self.ask_arrived(now, arrived, waiting);
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
    fn ask_arrived(&mut self, now: Duration, _arrived: Duration, mut waiting: Waiting) {
        let open = self.open_step();
        if waiting.asked >= ASKS && open.iter().all(Difference::is_untold) {
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

    fn give_up(&mut self, now: Duration, waiting: Waiting) {
        let open = self.open_step();
        // What it told before it restarted says nothing, nor does an answer that was long under way.
        let is_as_it_was = waiting.old_at.is_some_and(|at| at >= waiting.written_at && at + LATELY >= now);
        let outcome = match waiting.elsewhere {
            Some(there) if Some(there) != self.destination() => Outcome::Elsewhere(there),
            _ if is_as_it_was && waiting.acknowledged => Outcome::Acknowledged(open),
            _ if is_as_it_was => Outcome::Refused(open),
            _ if waiting.arrived_at.is_some() => Outcome::Unverified(open),
            _ => Outcome::Silent { written: self.written },
        };
        self.end(outcome);
    }

    // Hearing.

    fn heard_waiting(&mut self, now: Duration, sighting: &Sighting, mut waiting: Waiting) {
        waiting.heard_at = Some(now);
        let moves = self.steps[self.current].moves_node();
        if let Told::IpSettings(reply) = &sighting.told
            && moves
            && waiting.arrived_at.is_none()
            && now < waiting.written_at + ANSWER_TIME
        {
            // What an acknowledgement states is what the node means to do, not what it has become.
            let takes = self.destination().is_none_or(|to| reply.address == to)
                && self.steps[self.current].differences.iter().all(|difference| takes(difference, reply));
            self.node.forget_settings();
            if takes && !waiting.acknowledged {
                waiting.acknowledged = true;
                self.events.push_back(AlterEvent::Restarting);
            }
            self.phase = Phase::Waiting(waiting);
            return;
        }
        let open = self.open_step();
        if open.is_empty() {
            self.told_back(waiting, moves);
            return self.confirm(now);
        }
        let is_root = matches!(&sighting.told, Told::PollReply(reply) if reply.bind_index <= 1);
        if moves {
            self.heard_moving(now, sighting, waiting, is_root, &open);
            return;
        }
        let about_told = open.iter().any(Difference::is_told);
        if about_told {
            waiting.old_at = Some(now);
        } else if matches!(sighting.told, Told::PollReply(_)) && now >= waiting.written_at + SETTLED {
            // It answers, and does not tell what was written.
            return self.confirm(now);
        }
        self.phase = Phase::Waiting(waiting);
    }

    fn told_back(&mut self, waiting: Waiting, moves: bool) {
        if moves && waiting.arrived_at.is_none() {
            self.events.push_back(AlterEvent::Back(self.node.address));
        }
    }

    fn heard_moving(
        &mut self,
        now: Duration,
        sighting: &Sighting,
        mut waiting: Waiting,
        is_root: bool,
        open: &[Difference],
    ) {
        let before = self.before.as_ref().map(|node| node.address);
        let moved = |d: &Difference| matches!(d, Difference::Address { .. });
        let by_lease = |d: &Difference| matches!(d, Difference::Dhcp { .. });
        if open.iter().any(|d| (moved(d) || by_lease(d)) && d.is_told()) {
            // It is not where it should be, or not addressed as it should be.
            if Some(self.node.address) == before {
                waiting.old_at = Some(now);
                waiting.elsewhere = None;
            } else if is_root {
                waiting.elsewhere = Some(self.node.address);
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
        if !matches!(sighting.told, Told::PollReply(_)) || waiting.arrived_at.is_some() {
            self.phase = Phase::Waiting(waiting);
            return;
        }
        if !self.is_reachable() {
            self.events.push_back(AlterEvent::Back(self.node.address));
            let open = self.open(&self.differences.clone());
            return self.end(Outcome::HeardOnly(open));
        }
        let changes_place = self.destination().is_some() || open.iter().any(by_lease);
        if changes_place && Some(self.node.address) != before {
            self.events.push_back(AlterEvent::Back(self.node.address));
        }
        if Some(self.node.address) == before && !waiting.acknowledged && now < waiting.written_at + SETTLED {
            self.phase = Phase::Waiting(waiting);
            return;
        }
        waiting.arrived_at = Some(now);
        waiting.asked = 0;
        self.ask_arrived(now, now, waiting);
    }

    // Reading.

    /// Reads the whole node anew.
    fn read_all(&mut self, now: Duration) {
        self.readings += 1;
        self.node.forget_settings();
        let asking = Asking { asked: 0, since: now, again_at: now };
        let asking = self.ask_all(now, asking);
        self.phase = Phase::Reading(asking);
    }

    /// Everything was told again, or is not going to be.
    fn judge(&mut self, now: Duration, since: Duration) {
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
        let shifted = shifts(before, &self.node, &self.differences);
        let verdict = match (told.is_empty(), shifted.is_empty(), untold.is_empty()) {
            (true, true, true) => Outcome::Done,
            (true, true, false) => Outcome::Unverified(untold),
            (true, false, _) => Outcome::MovedAlong(shifted),
            (false, ..) => Outcome::Refused(told),
        };
        if verdict == Outcome::Done {
            return self.end(verdict);
        }
        // An answer to an older question may have come late.
        if self.suspicion.as_ref() != Some(&verdict) && self.readings < READINGS {
            self.suspicion = Some(verdict);
            return self.read_all(now);
        }
        self.suspicion = None;
        self.readings = 0;
        if matches!(verdict, Outcome::Refused(_)) && self.round < ROUNDS {
            // A restart undid what was written before it.
            self.round += 1;
            self.current = 0;
            return self.begin(now);
        }
        self.end(verdict);
    }

    /// What was not read again although it told it before: a page, or its settings.
    fn unread(&self, since: Duration) -> Option<Difference> {
        let heard = self.node.pages.iter().filter(|page| page.heard >= since).count();
        if heard < self.node.pages.len() {
            return Some(Difference::Pages { heard });
        }
        let told = self.before.as_ref().and_then(|node| node.settings);
        let mask = told.filter(|_| self.node.settings.is_none()).and_then(|s| Mask::try_from(s.mask).ok());
        mask.map(|planned| Difference::Mask { planned, found: Known::Untold })
    }

    // Who is who.

    fn is_ours(&self, sighting: &Sighting) -> bool {
        let places = [Some(self.node.address), self.destination(), self.before.as_ref().map(|n| n.address)];
        match &sighting.told {
            Told::PollReply(reply) => match reply.root_elsewhere() {
                Some(root) => places.contains(&Some(root)),
                None if self.node.mac.is_some() => Some(reply.mac) == self.node.mac,
                None => !reply.mac.is_known() && places.contains(&Some(sighting.from)),
            },
            Told::IpSettings(_) => {
                places.contains(&Some(sighting.from)) && sighting.mac.is_none_or(|mac| self.is_own_mac(mac))
            }
            _ => false,
        }
    }

    fn is_own_mac(&self, mac: MacAddress) -> bool {
        let pages = self.node.pages.iter().filter_map(|page| page.mac);
        self.node.mac.into_iter().chain(self.node.heard_mac).chain(pages).any(|own| own == mac)
            || self.node.mac.is_none() && self.node.heard_mac.is_none()
    }

    /// Somebody else at `address`, if the sighting shows one.
    fn other_at(&self, address: Ipv4Addr, sighting: &Sighting) -> Option<Other> {
        if sighting.from != address || self.vantage.is_own(address) {
            return None;
        }
        let stated = match &sighting.told {
            Told::PollReply(reply) => Some(reply.mac).filter(|mac| mac.is_known()),
            _ => None,
        };
        let strange = [sighting.mac, stated].into_iter().flatten().find(|mac| !self.is_own_mac(*mac));
        strange.map(|mac| Other { mac: Some(mac), name: sighting.name() })
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
        if let (Phase::Greeting(_), Told::PollReply(reply)) = (&self.phase, &sighting.told)
            && reply.root_elsewhere().is_none()
            && sighting.from != self.node.address
            && !sighting.from.is_loopback()
        {
            // It is somewhere else now, and what was shown is no longer so.
            return self.end(Outcome::Elsewhere(sighting.from));
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

    fn read(&mut self, now: Duration, sighting: Option<Sighting>) {
        if let Some(sighting) = sighting {
            self.take(now, &sighting);
        }
    }

    fn hear_arp(&mut self, arp: &Arp) {
        let Phase::Probing(probe) = &self.phase else { return };
        // Another's probe for the same address is a conflict too: both want it.
        let wants = arp.sender.is_unspecified() && arp.target == probe.address;
        let speaks = arp.sender == probe.address;
        if (wants || speaks) && Some(arp.sender_mac) != self.vantage.own_mac && !self.is_own_mac(arp.sender_mac) {
            self.end(Outcome::Taken(Other { mac: Some(arp.sender_mac), name: Said::default() }));
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
            Phase::Probing(probe) => probe.ask(now, &self.vantage, &mut self.outbox),
            Phase::Waiting(waiting) if waiting.again_at.min(waiting.written_at + self.restart_time) <= now => {
                let waiting = *waiting;
                self.wait_on(now, waiting);
            }
            Phase::Waiting(_) => {}
        }
    }
}

/// Whether an acknowledgement says that this will be so.
fn takes(difference: &Difference, reply: &lantern_wire::art_net::IpProgReply) -> bool {
    match difference {
        Difference::Dhcp { planned, .. } => *planned == reply.dhcp(),
        Difference::Mask { planned, .. } => planned.dotted() == reply.mask,
        Difference::Gateway { planned, .. } => *planned == reply.gateway,
        _ => true,
    }
}

impl Conversation for Alter {
    type Event = AlterEvent;

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        match heard {
            // Where frames are heard, every datagram is among them.
            Heard::Datagram(_) if self.vantage.means.frames => {}
            Heard::Datagram(heard) => {
                let read = Sighting::read(now, heard.seat, heard.from, heard.port, heard.bytes);
                self.read(now, read.unwrap_or_default());
            }
            Heard::Frame(frame) => {
                if let Ok(arp) = Arp::parse(frame) {
                    self.hear_arp(&arp);
                }
                if let Ok(packet) = Packet::parse(frame) {
                    let sighting = listen::sighting(&self.vantage, now, &packet);
                    self.read(now, sighting.unwrap_or_default());
                }
            }
            Heard::Echo(from) => self.take(now, &Sighting::plain(now, *from, Told::Echo)),
            Heard::Neighbours(table) => {
                for neighbour in table.iter().filter(|neighbour| neighbour.fresh) {
                    let told = Sighting::plain(now, neighbour.address, Told::Neighbour);
                    self.take(now, &Sighting { mac: Some(neighbour.mac), ..told });
                }
            }
            Heard::Packet(_) => {}
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

    fn next_event(&mut self) -> Option<AlterEvent> {
        self.events.pop_front()
    }
}
