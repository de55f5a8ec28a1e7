//! Who asks, and for which device it is taken.

use std::collections::{HashMap, HashSet, VecDeque};
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::dhcp::{Dhcp, DhcpKind};

use super::news::circuit_in_words;
use super::{ANSWER_EVERY, Asked};
use crate::lease::LeasePlan;

/// The most strangers that are remembered; those that come after are counted.
const MOST_STRANGERS: usize = 1024;
/// Whoever was taken for the next device and then does not go on, is not it.
const PATIENCE: Duration = Duration::from_secs(20);
/// How often it is looked for those.
const SWEEP_EVERY: Duration = Duration::from_secs(1);

/// For whom somebody is taken: a device by its place in the plan, or a stranger with a place in the pool.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(super) enum Whom {
    Place(usize),
    Pool(usize),
}

/// What somebody has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Given {
    pub(super) until: Duration,
    /// Whether it was told to keep it.
    pub(super) is_kept: bool,
}

#[derive(Debug, Default)]
struct Client {
    whom: Option<Whom>,
    given: Option<Given>,
    waiting: Option<Asked>,
    heard: Duration,
    /// What it asked last, and when it was answered.
    asked: Option<(DhcpKind, Duration)>,
    /// Whether it ever took what it was offered: then it stays what it was taken for.
    is_sure: bool,
}

#[derive(Debug)]
pub(super) struct Clients {
    clients: HashMap<MacAddress, Client>,
    /// Who has which place.
    holders: HashMap<Whom, MacAddress>,
    next: VecDeque<usize>,
    /// Those of them for which somebody is taken.
    taken: HashSet<usize>,
    /// When it was last looked who gave up.
    swept: Duration,
    circuits: HashMap<String, usize>,
    /// Places of the pool that nobody has; one whose address somebody holds is not among them any more.
    free: VecDeque<usize>,
    seen: HashSet<MacAddress>,
    strangers: u64,
}

impl Clients {
    pub(super) fn new(plan: &LeasePlan) -> Self {
        Self {
            clients: HashMap::new(),
            holders: HashMap::new(),
            next: plan.next.iter().copied().collect(),
            taken: HashSet::new(),
            swept: Duration::ZERO,
            circuits: plan.circuits.iter().cloned().collect(),
            free: (0..plan.pool.len()).collect(),
            seen: HashSet::new(),
            strangers: 0,
        }
    }

    /// Knows for whom this one was taken before, and what it has still.
    pub(super) fn remember(&mut self, mac: MacAddress, whom: Whom, given: Option<Given>) {
        self.bind(mac, whom);
        let client = self.clients.entry(mac).or_default();
        (client.given, client.is_sure) = (given, true);
    }

    fn bind(&mut self, mac: MacAddress, whom: Whom) {
        if self.holders.get(&whom) == Some(&mac) {
            return;
        }
        match whom {
            Whom::Place(at) if self.next.contains(&at) => {
                self.next.retain(|next| *next != at);
                self.taken.insert(at);
            }
            Whom::Place(_) => {}
            Whom::Pool(at) if self.free.front() == Some(&at) => drop(self.free.pop_front()),
            Whom::Pool(at) => self.free.retain(|free| *free != at),
        }
        self.holders.insert(whom, mac);
        self.clients.entry(mac).or_default().whom = Some(whom);
    }

    /// For whom one is taken of whom it is known already.
    pub(super) fn known(&self, plan: &LeasePlan, mac: MacAddress) -> Option<Whom> {
        let planned = plan.by_mac.get(&mac).map(|at| Whom::Place(*at));
        planned.or_else(|| self.clients.get(&mac)?.whom)
    }

    /// For whom one is taken that asks now: whom the sheet knows, else by the port it hangs on, else as the next one, else as
    /// a stranger with a place in the pool.
    pub(super) fn whose(&mut self, now: Duration, plan: &LeasePlan, message: &Dhcp) -> Option<Whom> {
        let mac = message.client;
        let known = self.known(plan, mac);
        let whom = known.or_else(|| {
            let circuit = circuit_in_words(message.circuit()?);
            let whom = Whom::Place(*self.circuits.get(&circuit)?);
            (!self.holders.contains_key(&whom)).then_some(whom)
        });
        if whom.is_none() {
            self.sweep(now);
        }
        let next = || self.next.front().copied().map(Whom::Place);
        let of_pool = || self.free.front().copied().map(Whom::Pool);
        let whom = whom.or_else(next).or_else(of_pool)?;
        let client = self.clients.entry(mac).or_default();
        client.heard = now;
        if client.whom != Some(whom) {
            self.bind(mac, whom);
        }
        Some(whom)
    }

    /// Those who gave up make room.
    fn sweep(&mut self, now: Duration) {
        if now < self.swept + SWEEP_EVERY {
            return;
        }
        self.swept = now;
        let gave_up = |client: &Client| !client.is_sure && client.heard + PATIENCE <= now;
        let gone = self.clients.iter().filter(|(_, client)| gave_up(client));
        let gone: Vec<MacAddress> = gone.map(|(mac, _)| *mac).collect();
        for mac in gone {
            let Some(Client { whom: Some(whom), .. }) = self.clients.remove(&mac) else { continue };
            self.holders.remove(&whom);
            match whom {
                Whom::Place(at) if self.taken.remove(&at) => self.next.push_front(at),
                Whom::Place(_) => {}
                Whom::Pool(at) => self.free.push_back(at),
            }
        }
    }

    /// Somebody holds that address of the pool: the stranger gets another one when it asks again.
    pub(super) fn pass_over(&mut self, mac: MacAddress, at: usize) {
        self.holders.remove(&Whom::Pool(at));
        self.clients.remove(&mac);
    }

    /// Whether it is the first time that this one is told of.
    pub(super) fn is_first_of(&mut self, mac: MacAddress) -> bool {
        if self.seen.contains(&mac) {
            return false;
        }
        self.strangers += 1;
        self.seen.len() < MOST_STRANGERS && self.seen.insert(mac)
    }

    #[cfg(test)]
    pub(super) fn len(&self) -> usize {
        self.clients.len()
    }

    #[cfg(test)]
    pub(super) fn strangers_kept(&self) -> usize {
        self.seen.len()
    }

    pub(super) const fn strangers(&self) -> u64 {
        self.strangers
    }

    pub(super) fn next(&self) -> Option<usize> {
        self.next.front().copied()
    }

    /// Whether it is time to answer this question of this one again; strangers are not answered anyway.
    pub(super) fn may_be_answered(&mut self, now: Duration, mac: MacAddress, kind: DhcpKind) -> bool {
        let Some(client) = self.clients.get_mut(&mac) else { return true };
        let may = client.asked.is_none_or(|(before, at)| before != kind || now >= at + ANSWER_EVERY);
        if may {
            client.asked = Some((kind, now));
        }
        may
    }

    pub(super) fn let_wait(&mut self, asked: Asked) {
        let client = self.clients.entry(asked.message.client).or_default();
        client.waiting = Some(asked);
    }

    /// What somebody asked whose address has been checked.
    pub(super) fn waiting(&mut self, mac: MacAddress) -> Option<Asked> {
        self.clients.get_mut(&mac)?.waiting.take()
    }

    /// Notes that it has this; whether it had nothing before.
    pub(super) fn give(&mut self, mac: MacAddress, whom: Whom, given: Given) -> bool {
        self.bind(mac, whom);
        let client = self.clients.entry(mac).or_default();
        client.is_sure = true;
        client.given.replace(given).is_none()
    }

    pub(super) fn forget_given(&mut self, mac: MacAddress) {
        if let Some(client) = self.clients.get_mut(&mac) {
            client.given = None;
        }
    }

    /// Who has a place, and what.
    pub(super) fn given_to(&self, whom: Whom) -> Option<(MacAddress, Given)> {
        let mac = self.holders.get(&whom)?;
        Some((*mac, self.clients.get(mac)?.given?))
    }

    pub(super) fn has_given(&self) -> bool {
        self.clients.values().any(|client| client.given.is_some())
    }

    pub(super) fn is_bound(&self, whom: Whom) -> bool {
        self.holders.contains_key(&whom)
    }

    /// Whether anybody has something that it was not told to keep.
    pub(super) fn has_short(&self, now: Duration) -> bool {
        self.short().any(|until| now < until)
    }

    /// When the next of those loses it.
    pub(super) fn first_end(&self, now: Duration) -> Option<Duration> {
        self.short().filter(|until| now < *until).min()
    }

    fn short(&self) -> impl Iterator<Item = Duration> {
        let given = self.clients.values().filter_map(|client| client.given);
        given.filter(|given| !given.is_kept).map(|given| given.until)
    }
}
