//! Handing out addresses by DHCP as the sheet plans them (RFC 2131, section 4.3). By frames: whoever asks has no address yet.
//!
//! Nothing is given before it was looked whether another server is there, nor after one was heard. What is given was asked for
//! by ARP first. Leases are short as long as it runs, so that every unit follows within half a minute; at the end everybody
//! is told, the next time it asks, to keep its address for long.

mod checks;
mod clients;
mod news;
mod reply;
mod rivals;
mod serving;

use std::collections::{HashMap, VecDeque};
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::dhcp::{CLIENT_PORT, Dhcp, DhcpKind, SERVER_PORT};
use lantern_wire::{Arp, MacAddress, UdpFrame};

use super::{Conversation, Heard, Outgoing, Vantage};
use crate::address::Seat;
use crate::lease::{LeasePlan, Place, Terms};

use checks::Checks;
use clients::{Clients, Given, Whom};
use reply::Times;
use rivals::Rivals;

pub use news::{LeaseNews, LeasingStage, Stranger};

/// The most frames that wait to leave; who gets no answer asks again.
const MOST_WAITING: usize = 1024;
/// How often one client is answered the same question at most: nobody asks faster who waits for an answer (RFC 2131, section
/// 4.1).
const ANSWER_EVERY: Duration = Duration::from_millis(20);
/// No unit says that it heard what it was told: at the end that is said so often, so far apart.
const LAST_WORDS: u32 = 3;
const LAST_EVERY: Duration = Duration::from_secs(1);

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Phase {
    /// It is looked whether another server is there, until then.
    Looking(Duration),
    Giving,
    /// Everybody is told to keep what it has, until then at the latest.
    Ending(Duration),
    Over,
}

/// A message of a client, and the MAC address of the frame it came in: the client's, or its relay's.
#[derive(Debug, Clone)]
struct Asked {
    message: Dhcp,
    from: MacAddress,
}

/// The conversation: it goes on until it is ended, or another server is heard.
#[derive(Debug)]
pub struct Leasing {
    plan: LeasePlan,
    seats: Vec<Seat>,
    own: MacAddress,
    keep: u32,
    until_all: bool,
    /// How long nobody new may have been given an address before it ends.
    quiet: Option<Duration>,
    /// When somebody was given one for the first time.
    last_new: Duration,
    phase: Phase,
    rivals: Rivals,
    checks: Checks,
    clients: Clients,
    /// Who asked before anything was given: the last message of each that something is planned for.
    early: HashMap<MacAddress, Asked>,
    outbox: VecDeque<Vec<u8>>,
    /// What is said again, and when: the earliest first.
    again: VecDeque<(Duration, Vec<u8>)>,
    events: VecDeque<LeaseNews>,
    /// What has passed at the last call, since it was begun.
    now: Duration,
    /// What had passed when the driver began to count anew.
    base: Duration,
}

impl Leasing {
    /// How long the first leases are, in seconds: a unit asks again after a third of that.
    pub const SHORT: u32 = Times::SHORT.lease;

    /// Gives by this plan. At the end every unit is told to keep its address for `keep` seconds; `until_all` ends it once every
    /// device that is awaited has one. `None` where the adapter has no MAC address.
    #[must_use]
    pub fn new(plan: LeasePlan, vantage: &Vantage, keep: u32, until_all: bool) -> Option<Self> {
        let own = vantage.own_mac?;
        let terms = plan.places.iter().map(|place| &place.terms).chain(&plan.pool);
        let watched = terms.map(|terms| terms.address).collect();
        Some(Self {
            seats: vantage.seats.clone(),
            own,
            keep,
            until_all,
            quiet: None,
            last_new: Duration::ZERO,
            phase: Phase::Looking(Rivals::LOOK),
            rivals: Rivals::new(own, vantage.mark),
            checks: Checks::new(own, watched),
            clients: Clients::new(&plan),
            plan,
            early: HashMap::new(),
            outbox: VecDeque::new(),
            again: VecDeque::new(),
            events: VecDeque::new(),
            now: Duration::ZERO,
            base: Duration::ZERO,
        })
    }

    /// The same, and ends once nobody new was given an address for so long.
    #[must_use]
    pub const fn until_quiet_for(mut self, quiet: Option<Duration>) -> Self {
        self.quiet = quiet;
        self
    }

    /// When it ends by itself, since nobody new asks.
    fn quiet_at(&self) -> Option<Duration> {
        self.quiet.filter(|_| self.phase == Phase::Giving).map(|quiet| self.last_new + quiet)
    }

    /// Knows that this one was taken for that device before, or has that address of the pool; `left` is what it has of its
    /// lease still.
    pub fn remember(&mut self, mac: MacAddress, node: Option<&str>, address: Ipv4Addr, left: Option<Duration>) {
        let place = node.and_then(|name| self.plan.places.iter().position(|place| place.name == name));
        let whom = match place {
            Some(at) if self.plan.by_mac.values().all(|planned| *planned != at) => Some(Whom::Place(at)),
            Some(_) => self.plan.by_mac.get(&mac).map(|at| Whom::Place(*at)),
            None => self.plan.pool.iter().position(|terms| terms.address == address).map(Whom::Pool),
        };
        let Some(whom) = whom else { return };
        let is_same = self.terms(whom).is_some_and(|terms| terms.address == address);
        let given = left.filter(|_| is_same).map(|left| Given { until: left, is_kept: false });
        self.clients.remember(mac, whom, given);
    }

    /// Ends it: from now on everybody is told to keep what it has. The driver counts its time anew.
    pub fn turn_to_end(&mut self) {
        self.base = self.now;
        self.end();
    }

    /// For how long it has been running, however often the driver began anew.
    #[must_use]
    pub const fn elapsed(&self) -> Duration {
        self.now
    }

    /// How far every device is that is awaited.
    pub fn stages(&self) -> impl Iterator<Item = (&Place, LeasingStage)> {
        let stage = |at: usize| match self.clients.given_to(Whom::Place(at)) {
            Some((_, Given { is_kept: true, .. })) => LeasingStage::Kept,
            Some(_) => LeasingStage::Short,
            None if self.checks.is_held(self.plan.places[at].terms.address) => LeasingStage::Held,
            None => LeasingStage::Awaited,
        };
        self.awaited().map(move |at| (&self.plan.places[at], stage(at)))
    }

    /// Who was taken for a device of which the sheet does not say its MAC address.
    pub fn bound(&self) -> impl Iterator<Item = (&Place, MacAddress)> {
        let places = self.plan.places.iter().enumerate().filter(|(_, place)| place.mac.is_none());
        places.filter_map(|(at, place)| Some((place, self.clients.given_to(Whom::Place(at))?.0)))
    }

    /// Who has the address of a device, where somebody has it from here.
    #[must_use]
    pub fn holder(&self, place: &Place) -> Option<MacAddress> {
        let at = self.plan.places.iter().position(|one| one == place)?;
        Some(self.clients.given_to(Whom::Place(at))?.0)
    }

    /// Whether anything was given so far.
    #[must_use]
    pub fn has_given(&self) -> bool {
        self.clients.has_given()
    }

    /// How many strangers asked for whom nothing is planned.
    #[must_use]
    pub const fn strangers(&self) -> u64 {
        self.clients.strangers()
    }

    /// The device that the next stranger is taken for.
    #[must_use]
    pub fn next(&self) -> Option<&str> {
        self.clients.next().map(|at| self.plan.places[at].name.as_str())
    }

    /// Whether it is still looked for other servers.
    #[must_use]
    pub const fn is_looking(&self) -> bool {
        matches!(self.phase, Phase::Looking(_))
    }

    /// Whether everybody is told to keep what it has.
    #[must_use]
    pub const fn is_ending(&self) -> bool {
        matches!(self.phase, Phase::Ending(_))
    }

    /// The other server, where one was heard.
    #[must_use]
    pub const fn rival(&self) -> Option<(Ipv4Addr, Option<MacAddress>)> {
        self.rivals.heard()
    }

    fn awaited(&self) -> impl Iterator<Item = usize> {
        let bound = |at: usize| self.plan.places[at].mac.is_none() && self.clients.is_bound(Whom::Place(at));
        let awaited: Vec<usize> = self.plan.awaited(&self.seats).collect();
        (0..self.plan.places.len()).filter(move |at| awaited.binary_search(at).is_ok() || bound(*at))
    }

    fn terms(&self, whom: Whom) -> Option<&Terms> {
        match whom {
            Whom::Place(at) => self.plan.places.get(at).map(|place| &place.terms),
            Whom::Pool(at) => self.plan.pool.get(at),
        }
    }

    fn node(&self, whom: Whom) -> Option<String> {
        match whom {
            Whom::Place(at) => self.plan.places.get(at).map(|place| place.name.clone()),
            Whom::Pool(_) => None,
        }
    }

    fn end(&mut self) {
        if self.phase == Phase::Over {
            return;
        }
        let longest = Duration::from_secs(Self::SHORT.into());
        self.phase = Phase::Ending(self.now + longest);
        self.events.push_back(LeaseNews::Ending);
        self.look_whether_over();
    }

    /// It is over when everybody was told, and whoever was not has lost what it had.
    fn look_whether_over(&mut self) {
        if let Phase::Ending(until) = self.phase
            && (until <= self.now || !self.clients.has_short(self.now))
            && self.again.is_empty()
        {
            self.phase = Phase::Over;
        }
    }

    fn stop(&mut self, server: Ipv4Addr, mac: Option<MacAddress>) {
        self.rivals.note(server, mac);
        self.events.push_back(LeaseNews::Rival { server, mac });
        self.phase = Phase::Over;
        self.outbox.clear();
        self.again.clear();
    }

    fn is_own(&self, address: Ipv4Addr) -> bool {
        self.seats.iter().any(|seat| seat.own == address)
    }

    fn hear_datagram(&mut self, frame: &UdpFrame<'_>) {
        if frame.from_mac == self.own || ![SERVER_PORT, CLIENT_PORT].contains(&frame.to.port()) {
            return;
        }
        let Ok(message) = Dhcp::parse(frame.payload) else { return };
        if message.to_client {
            let server = message.server.unwrap_or(*frame.from.ip());
            // A relay carries our own answers on.
            if !self.is_own(server) {
                self.stop(server, Some(frame.from_mac));
            }
            return;
        }
        if message.client == self.own {
            return;
        }
        let chosen = message.server.filter(|_| message.kind == DhcpKind::REQUEST && message.has.is_unspecified());
        if let Some(other) = chosen.filter(|server| !self.is_own(*server)) {
            return self.stop(other, None);
        }
        let asked = Asked { message, from: frame.from_mac };
        if self.is_looking() {
            let mac = asked.message.client;
            if self.early.len() < MOST_WAITING || self.plan.by_mac.contains_key(&mac) {
                self.early.insert(mac, asked);
            }
            return;
        }
        if self.clients.may_be_answered(self.now, asked.message.client, asked.message.kind) {
            self.answer(asked);
        }
    }

    fn say_again(&mut self) {
        let due = self.again.partition_point(|(at, _)| *at <= self.now);
        self.outbox.extend(self.again.drain(..due).map(|(_, frame)| frame));
    }

    fn send(&mut self, frame: Option<Vec<u8>>) {
        if self.outbox.len() < MOST_WAITING {
            self.outbox.extend(frame);
        }
    }

    /// Those whose address was asked for go on.
    fn work_checks(&mut self) {
        let probes = self.checks.work(self.now, &self.seats);
        self.outbox.extend(probes);
        for mac in self.checks.concluded() {
            if let Some(asked) = self.clients.waiting(mac) {
                self.answer(asked);
            }
        }
    }

    /// How much waits, how many clients and how many strangers are remembered.
    #[cfg(test)]
    fn sizes(&self) -> (usize, usize, usize) {
        (
            self.outbox.len() + self.again.len() + self.early.len(),
            self.clients.len(),
            self.clients.strangers_kept(),
        )
    }

    fn begin_giving(&mut self) {
        (self.phase, self.last_new) = (Phase::Giving, self.now);
        self.events.push_back(LeaseNews::Giving);
        let mut early: Vec<Asked> = std::mem::take(&mut self.early).into_values().collect();
        early.sort_by_key(|asked| asked.message.client);
        early.into_iter().for_each(|asked| self.answer(asked));
    }
}

impl Conversation for Leasing {
    type Event = LeaseNews;

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        self.now = self.base + now;
        let Heard::Frame(frame) = heard else { return };
        if self.phase == Phase::Over {
            return;
        }
        if let Ok(arp) = Arp::parse(frame) {
            self.checks.hear(self.now, &arp);
            self.work_checks();
        } else if let Ok(frame) = UdpFrame::parse(frame) {
            self.hear_datagram(&frame);
        }
        self.look_whether_over();
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.outbox.pop_front().map(Outgoing::Frame)
    }

    fn wake_at(&self) -> Option<Duration> {
        let own = match self.phase {
            Phase::Over => return None,
            Phase::Looking(until) => Some(until),
            Phase::Giving => self.quiet_at(),
            Phase::Ending(until) => self.clients.first_end(self.now).map(|end| end.min(until)),
        };
        let again = self.again.front().map(|(at, _)| *at);
        let all = [own, again, Some(self.rivals.ask_at()), self.checks.wake_at()];
        all.into_iter().flatten().min().map(|at| at.saturating_sub(self.base))
    }

    fn wake(&mut self, now: Duration) {
        self.now = self.base + now;
        if self.phase == Phase::Over {
            return;
        }
        let asks = self.rivals.ask(self.now);
        self.outbox.extend(asks);
        if matches!(self.phase, Phase::Looking(until) if until <= self.now) {
            self.begin_giving();
        }
        self.work_checks();
        self.say_again();
        let is_done = || {
            let mut awaited = self.awaited().peekable();
            awaited.peek().is_some() && awaited.all(|at| self.clients.given_to(Whom::Place(at)).is_some())
        };
        let is_quiet = self.quiet_at().is_some_and(|at| at <= self.now);
        if is_quiet || (self.until_all && self.phase == Phase::Giving && is_done()) {
            self.end();
        }
        self.look_whether_over();
    }

    fn next_event(&mut self) -> Option<LeaseNews> {
        self.events.pop_front()
    }
}

#[cfg(test)]
mod tests;
