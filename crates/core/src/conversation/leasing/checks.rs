//! Whether somebody holds an address, asked by ARP before it is given (RFC 2131, section 2.2; RFC 5227).

use std::collections::{BTreeMap, HashMap, HashSet};
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::{Arp, MacAddress};

use crate::address::Seat;

/// How often is asked, how far apart, and how long is waited after the last. The unit asks the wire too before it takes the address.
const ROUNDS: u32 = 3;
const EVERY: Duration = Duration::from_millis(250);
const SILENCE: Duration = Duration::from_millis(300);
/// For how long nobody having answered counts.
const FREE_FOR: Duration = Duration::from_secs(30);
/// For how long somebody having been heard counts without being asked again.
const HELD_FOR: Duration = Duration::from_secs(5);
/// For how long an address is not offered again that a unit found held.
const DECLINED_FOR: Duration = Duration::from_secs(60);
/// How many holders of one address are told apart.
const MOST_HOLDERS: usize = 4;

/// What is known of an address.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Standing {
    /// It was asked for, and nobody answered but the one it is for.
    Free,
    /// Somebody holds it, or wants it; nobody knows who where a unit found that out.
    Held(Option<MacAddress>),
    /// It is to be asked for.
    Unknown,
}

/// A check under way.
#[derive(Debug)]
struct Running {
    client: MacAddress,
    rounds: u32,
    next: Duration,
}

#[derive(Debug)]
pub(super) struct Checks {
    own: MacAddress,
    watched: HashSet<Ipv4Addr>,
    running: BTreeMap<Ipv4Addr, Running>,
    free: HashMap<Ipv4Addr, Duration>,
    /// Who was heard with it, the last one first, and when.
    holders: HashMap<Ipv4Addr, Vec<(MacAddress, Duration)>>,
    declined: HashMap<Ipv4Addr, Duration>,
    /// Which holder of which address was told of last.
    told: HashMap<Ipv4Addr, Option<MacAddress>>,
    concluded: Vec<MacAddress>,
}

impl Checks {
    /// For these addresses; of others nothing is kept.
    pub(super) fn new(own: MacAddress, watched: HashSet<Ipv4Addr>) -> Self {
        Self {
            own,
            watched,
            running: BTreeMap::new(),
            free: HashMap::new(),
            holders: HashMap::new(),
            declined: HashMap::new(),
            told: HashMap::new(),
            concluded: Vec::new(),
        }
    }

    /// Takes in who has an address, or asks whether it may have it.
    pub(super) fn hear(&mut self, now: Duration, arp: &Arp) {
        let meant = if arp.sender.is_unspecified() { arp.target } else { arp.sender };
        if arp.sender_mac == self.own || !self.watched.contains(&meant) {
            return;
        }
        let holders = self.holders.entry(meant).or_default();
        holders.retain(|(mac, _)| *mac != arp.sender_mac);
        holders.truncate(MOST_HOLDERS - 1);
        holders.insert(0, (arp.sender_mac, now));
        // Nobody need be waited for any more.
        if self.running.get(&meant).is_some_and(|running| running.client != arp.sender_mac)
            && let Some(running) = self.running.remove(&meant)
        {
            self.concluded.push(running.client);
        }
    }

    pub(super) fn standing(&self, now: Duration, address: Ipv4Addr, client: MacAddress) -> Standing {
        let last = self.other(address, client);
        if let Some((mac, _)) = last.filter(|(_, at)| now < *at + HELD_FOR) {
            return Standing::Held(Some(*mac));
        }
        if self.declined.get(&address).is_some_and(|at| now < *at + DECLINED_FOR) {
            return Standing::Held(None);
        }
        let free_since = self.free.get(&address).filter(|at| now < **at + FREE_FOR);
        if free_since.is_some_and(|free| last.is_none_or(|(_, at)| at < free)) {
            Standing::Free
        } else {
            Standing::Unknown
        }
    }

    /// Asks for it, on behalf of this client; nothing where that is under way.
    pub(super) fn begin(&mut self, now: Duration, address: Ipv4Addr, client: MacAddress) {
        self.running.entry(address).or_insert(Running { client, rounds: 0, next: now });
    }

    /// What is to be sent by now.
    pub(super) fn work(&mut self, now: Duration, seats: &[Seat]) -> Vec<Vec<u8>> {
        let mut probes = Vec::new();
        let mut over = Vec::new();
        for (address, running) in self.running.iter_mut().filter(|(_, running)| running.next <= now) {
            if running.rounds == ROUNDS {
                over.push(*address);
                continue;
            }
            // Some stacks answer no probe that comes from no address: the later ones come from ours.
            let beside = Seat::beside(seats, *address).filter(|_| running.rounds > 0);
            let sender = beside.map_or(Ipv4Addr::UNSPECIFIED, |seat| seats[seat].own);
            probes.push(Arp { sender, ..Arp::probe(self.own, *address) }.to_bytes());
            running.rounds += 1;
            running.next = now + if running.rounds == ROUNDS { SILENCE } else { EVERY };
        }
        for address in over {
            if let Some(running) = self.running.remove(&address) {
                self.free.insert(address, now);
                self.told.remove(&address);
                self.concluded.push(running.client);
            }
        }
        probes
    }

    /// The clients whose address is known of now.
    pub(super) fn concluded(&mut self) -> Vec<MacAddress> {
        std::mem::take(&mut self.concluded)
    }

    pub(super) fn wake_at(&self) -> Option<Duration> {
        self.running.values().map(|running| running.next).min()
    }

    /// A unit found that somebody holds it.
    pub(super) fn decline(&mut self, now: Duration, address: Ipv4Addr) {
        self.free.remove(&address);
        self.declined.insert(address, now);
    }

    /// Who else was heard with an address last.
    pub(super) fn holder(&self, address: Ipv4Addr, client: MacAddress) -> Option<MacAddress> {
        self.other(address, client).map(|(mac, _)| *mac)
    }

    fn other(&self, address: Ipv4Addr, client: MacAddress) -> Option<&(MacAddress, Duration)> {
        self.holders.get(&address)?.iter().find(|(mac, _)| *mac != client)
    }

    /// Whether this holder of this address was not told of before; it is from now on.
    pub(super) fn is_first_of(&mut self, address: Ipv4Addr, by: Option<MacAddress>) -> bool {
        self.told.insert(address, by) != Some(by)
    }

    /// Whether the last that was found of an address is that somebody holds it.
    pub(super) fn is_held(&self, address: Ipv4Addr) -> bool {
        self.told.contains_key(&address)
    }
}
