//! Everybody who is watched.

use std::collections::{HashMap, HashSet, VecDeque};
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;

use super::clocks::Clocks;
use super::curve::Patience;
use super::fixtures::Fixtures;
use super::{Happening, News, State, Traffic, Watched, WatchedFixture};
use crate::Said;
use crate::census::{Census, Device, Sighting, Told, Way};
use crate::conversation::shifts;
use crate::sheet::{Member, RigSheet};

/// How long an answer to an echo is waited for.
const ECHO_PATIENCE: Patience = Patience {
    first: Duration::from_millis(600),
    again: Duration::from_millis(600),
    end: Duration::from_millis(1800),
};
/// And to a poll: a node may take a second before it answers one (Art-Net 4, "ArtPoll").
const POLL_PATIENCE: Patience = Patience {
    first: Duration::from_millis(1300),
    again: Duration::from_millis(400),
    end: Duration::from_millis(2200),
};
/// Levels that do not change are sent again at least so often (Art-Net 4, "ArtDmx").
const LEVELS_EVERY: Duration = Duration::from_secs(4);
/// Fewer devices than this say nothing about the network.
const FEW: usize = 4;

/// By then every answer to a poll has come, also the late ones.
const ANSWERED_BY: Duration = Duration::from_secs(3);

/// When everybody was polled last, and when by the address of all.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Polls {
    pub(super) last: Duration,
    limited: Duration,
}

impl Polls {
    /// Whether what is answered now was the last poll, and that one went to the subnet's broadcast address: only long after one to
    /// all is that clear.
    pub(super) fn is_of_directed(self, now: Duration) -> bool {
        self.last >= self.limited + ANSWERED_BY && now <= self.last + POLL_PATIENCE.first
    }
}

/// What a device is asked by itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Question {
    /// An echo of this number.
    Echo(u16),
    /// Whether it has its address.
    Arp,
    /// A poll for it alone.
    Poll,
}

/// Whom to ask, and what.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Ask {
    pub(crate) to: Ipv4Addr,
    pub(crate) mac: Option<MacAddress>,
    pub(crate) question: Question,
}

/// Everybody who is watched, what is sent, and what happened.
#[derive(Debug, Clone, Default)]
pub struct Board {
    watched: Vec<Watched>,
    by_mac: HashMap<MacAddress, usize>,
    by_address: HashMap<Ipv4Addr, usize>,
    /// Those the sheet knows only by their names, in small letters.
    by_name: HashMap<String, usize>,
    desks: HashMap<Ipv4Addr, String>,
    traffic: Traffic,
    clocks: Clocks,
    fixtures: Fixtures,
    polls: Polls,
    /// Until when it is only looked who is there.
    baseline: Duration,
    fresh: Vec<Happening>,
    past: VecDeque<Happening>,
    happened: u64,
    overlooked: u64,
}

impl Board {
    /// The most devices watched.
    pub const MOST: usize = 16_384;
    /// The most happenings that are kept.
    pub const MOST_PAST: usize = 2000;

    /// A board with everybody the sheet names; who is there until `baseline` was there before.
    #[must_use]
    pub fn new(sheet: Option<&RigSheet>, baseline: Duration) -> Self {
        let mut board = Self { baseline, ..Self::default() };
        for member in sheet.iter().flat_map(|sheet| sheet.members()) {
            let name = member.name().value.clone();
            let (mac, is_node) = match member {
                Member::Node(node) => (node.mac.as_ref().map(|mac| mac.value), true),
                Member::Source(_) | Member::Switch(_) => (None, false),
            };
            let address = member.fixed_address().unwrap_or(Ipv4Addr::UNSPECIFIED);
            if let Member::Source(_) = member {
                board.desks.insert(address, name.clone());
            }
            if mac.is_none() && address.is_unspecified() && !is_node {
                continue;
            }
            let place = board.watched.len();
            board.watched.push(Watched { planned: Some(name.clone()), ..Watched::new(mac, address) });
            match mac {
                Some(mac) => _ = board.by_mac.insert(mac, place),
                None if is_node => _ = board.by_name.insert(name.to_lowercase(), place),
                None => {}
            }
            if !address.is_unspecified() {
                board.by_address.entry(address).or_insert(place);
            }
        }
        board
    }

    /// The same, which takes a fixture for silent when it has answered nothing for so long.
    #[must_use]
    pub(crate) fn with_fixtures(mut self, patience: Duration) -> Self {
        self.fixtures = Fixtures::new(patience);
        self
    }

    /// Everybody, in the order of the sheet and then of their coming.
    pub fn watched(&self) -> impl Iterator<Item = &Watched> {
        self.watched.iter().filter(|one| !one.is_gone)
    }

    /// What is sent.
    #[must_use]
    pub const fn traffic(&self) -> &Traffic {
        &self.traffic
    }

    /// Every fixture behind a gateway, in the order of gateways and ports; none where they are not asked.
    pub fn fixtures(&self) -> impl Iterator<Item = &WatchedFixture> {
        self.fixtures.all()
    }

    /// What the sheet calls the desk or server at an address.
    #[must_use]
    pub fn desk_at(&self, address: Ipv4Addr) -> Option<&str> {
        self.desks.get(&address).map(String::as_str)
    }

    /// What happened last, the oldest first.
    pub fn past(&self) -> impl DoubleEndedIterator<Item = &Happening> + ExactSizeIterator {
        self.past.iter()
    }

    /// How much has happened in all.
    #[must_use]
    pub const fn happened(&self) -> u64 {
        self.happened
    }

    /// How often somebody was heard who is not watched, because there are too many.
    #[must_use]
    pub const fn overlooked(&self) -> u64 {
        self.overlooked + self.traffic.overlooked()
    }

    pub(crate) fn take_news(&mut self) -> Vec<Happening> {
        std::mem::take(&mut self.fresh)
    }

    pub(crate) fn tell(&mut self, at: Duration, who: String, news: News) {
        let happening = Happening { at, who, news };
        if self.past.len() == Self::MOST_PAST {
            self.past.pop_front();
        }
        self.past.push_back(happening.clone());
        self.happened += 1;
        self.fresh.push(happening);
    }

    /// Takes in what was heard; gives whether it tells nothing that anybody else need look at.
    pub(crate) fn take(&mut self, now: Duration, sighting: &Sighting) -> bool {
        let (mac, address) = sighting.standing();
        let mut is_known = false;
        if let Told::Levels(levels) = &sighting.told {
            let mut news = Vec::new();
            is_known = self.traffic.take(now, sighting.from, levels, &mut news);
            self.tell_traffic(now, news);
        }
        if let Told::Clock(announce) = &sighting.told {
            self.clocks.take(now, announce);
        }
        let name = match &sighting.told {
            Told::PollReply(reply) => Some(reply.short_name.to_lossy()),
            _ => None,
        };
        let Some(place) = self.place(now, mac, address, name.as_deref()) else {
            self.overlooked += 1;
            return false;
        };
        self.note_address(now, place, mac, address);
        let one = &mut self.watched[place];
        let rhythm = match sighting.told {
            Told::Levels(_) => Some(LEVELS_EVERY),
            _ => sighting.told.way().rhythm(),
        };
        one.rhythm = one.rhythm.into_iter().chain(rhythm).min();
        if let Told::PollReply(reply) = &sighting.told {
            one.answered_poll(now, self.polls);
            // Pages may have names of their own: the census knows which is the device's.
            if one.name.is_empty() {
                one.name = reply.short_name.to_lossy().into();
            }
            let report: Said = reply.report.to_lossy().into();
            for news in one.reports(now, reply.bind_index, &report) {
                self.tell_of(now, place, news);
            }
        }
        is_known
    }

    /// An answer to an echo, or by ARP, which has no number.
    pub(crate) fn answered(
        &mut self,
        now: Duration,
        mac: Option<MacAddress>,
        from: Ipv4Addr,
        number: Option<u16>,
    ) {
        if let Some(place) = self.known(mac, Some(from)) {
            self.watched[place].contact.answer(now, number);
        }
    }

    /// Who has this MAC address, or else stands at this address.
    fn known(&self, mac: Option<MacAddress>, address: Option<Ipv4Addr>) -> Option<usize> {
        let by_mac = mac.and_then(|mac| self.by_mac.get(&mac));
        by_mac.or_else(|| self.by_address.get(&address?)).copied()
    }

    /// Whose news these are; a new one where nobody was here.
    fn place(
        &mut self,
        now: Duration,
        mac: Option<MacAddress>,
        address: Ipv4Addr,
        name: Option<&str>,
    ) -> Option<usize> {
        let known = mac.and_then(|mac| self.by_mac.get(&mac).copied());
        let named = name.and_then(|name| self.by_name.get(&name.to_lowercase()).copied());
        // The sheet knew it by its name only.
        if let Some(planned) = named.filter(|place| self.watched[*place].state == State::NotSeen) {
            if let Some(known) = known.filter(|known| *known != planned && self.watched[*known].planned.is_none())
            {
                let away = &mut self.watched[planned];
                away.is_gone = true;
                self.watched[known].planned = self.watched[planned].planned.clone();
                return Some(known);
            }
            if known.is_none() {
                return Some(self.adopt(planned, mac));
            }
        }
        if let Some(known) = known {
            return Some(known);
        }
        // By its address alone, where nothing speaks against its being the one that is known there.
        let there = self.by_address.get(&address).copied().filter(|_| !address.is_unspecified());
        if let Some(there) = there
            && (mac.is_none() || self.watched[there].mac.is_none())
        {
            return Some(self.adopt(there, mac));
        }
        if (mac.is_none() && address.is_unspecified()) || self.watched.len() >= Self::MOST {
            return None;
        }
        self.watched.push(Watched::new(mac, address));
        let place = self.watched.len() - 1;
        self.watched[place].state = State::Heard;
        self.watched[place].since = now;
        self.adopt(place, mac);
        if now >= self.baseline {
            self.tell_of(now, place, News::Came(address));
        }
        Some(place)
    }

    fn adopt(&mut self, place: usize, mac: Option<MacAddress>) -> usize {
        if let Some(mac) = mac {
            self.watched[place].mac = Some(mac);
            self.by_mac.insert(mac, place);
        }
        place
    }

    fn note_address(&mut self, now: Duration, place: usize, mac: Option<MacAddress>, address: Ipv4Addr) {
        let is_new = self.watched[place].state == State::NotSeen;
        let before = self.watched[place].heard_at(now, address);
        if let Some(before) = before.filter(|_| !is_new) {
            self.tell_of(now, place, News::Moved(before, address));
        }
        if address.is_unspecified() {
            return;
        }
        let other = self.by_address.get(&address).copied().filter(|other| *other != place);
        match other.filter(|other| self.watched[*other].holds(now, address)) {
            // Two have it: who it belonged to keeps it here.
            Some(other) => {
                let (mine, theirs) = (mac.or(self.watched[place].mac), self.watched[other].mac);
                if let (Some(mine), Some(_)) = (mine, theirs)
                    && self.watched[other].contested != Some((address, mine))
                {
                    self.watched[other].contested = Some((address, mine));
                    self.tell_of(now, other, News::Contested(address, mine));
                }
            }
            None => _ = self.by_address.insert(address, place),
        }
    }

    fn tell_of(&mut self, now: Duration, place: usize, news: News) {
        let who = self.watched[place].title();
        self.tell(now, who, news);
    }

    fn tell_traffic(&mut self, now: Duration, news: Vec<Happening>) {
        // Who sends when the watch begins has always sent.
        let has_begun = now >= self.baseline;
        for one in news.into_iter().filter(|one| has_begun || one.news.is_bad()) {
            self.tell(one.at, one.who, one.news);
        }
    }

    /// Everybody was polled, by the subnet's broadcast address or by the one of all.
    pub(crate) fn polled(&mut self, now: Duration, limited: bool) {
        self.polls.last = now;
        if limited {
            self.polls.limited = now;
        }
        self.watched.iter_mut().for_each(|one| one.polled(now, limited));
    }

    /// Where this one is, to be asked by itself.
    pub(crate) fn address(&self, place: usize) -> Option<Ipv4Addr> {
        self.watched.get(place).map(|one| one.address).filter(|address| !address.is_unspecified())
    }

    /// Notes whether this one can be asked by itself.
    pub(crate) fn note_far(&mut self, place: usize, is_far: bool) {
        if let Some(one) = self.watched.get_mut(place) {
            one.is_far = is_far;
        }
    }

    /// How many may be asked by themselves, those among them that are gone included.
    pub(crate) const fn len(&self) -> usize {
        self.watched.len()
    }

    /// Whom to ask by itself, and what: an echo, or where it never answers one and can be asked so, whether it has its address.
    pub(crate) fn ask(&mut self, now: Duration, place: usize, number: u16, by_arp: bool) -> Option<Ask> {
        let one = self.watched.get_mut(place).filter(|one| !one.is_gone && !one.address.is_unspecified())?;
        if !one.contact.ever_answered() {
            one.by_arp = by_arp && one.contact.asked() % 2 == 1;
        }
        one.contact.ask(now, number);
        Some(one.asked_by_itself(number))
    }

    /// Looks at everybody anew. Gives whom to ask again, and the part of the last answers that is lost, in percent; 0 where those are
    /// too few to speak of the network.
    pub(crate) fn look(&mut self, now: Duration) -> (Vec<Ask>, u32) {
        let (mut all, mut hit, mut sent, mut answered, mut again) = (0, 0, 0, 0, Vec::new());
        for place in 0..self.watched.len() {
            let one = &mut self.watched[place];
            if let Some(number) = one.contact.look(now, ECHO_PATIENCE) {
                again.push(one.asked_by_itself(number));
            }
            if one.polls.look(now, POLL_PATIENCE).is_some() {
                again.push(Ask { to: one.address, mac: one.mac, question: Question::Poll });
            }
            if let Some(news) = one.judge(now)
                && (now >= self.baseline || !matches!(news, News::Seen(_)))
            {
                self.tell_of(now, place, news);
            }
            let one = &self.watched[place];
            // Who is silent is away, which says nothing about the way there.
            if one.curve().ever_answered() && one.curve().missed() <= 1 {
                let (more_sent, more_answered) = one.curve().lately();
                (all, sent, answered) = (all + 1, sent + more_sent, answered + more_answered);
                hit += usize::from(more_answered < more_sent);
            }
        }
        let lost = (sent - answered) * 100 / sent.max(1);
        // What befalls a few is theirs.
        let is_network = all >= FEW && hit * 2 > all;
        (again, if is_network { u32::try_from(lost).unwrap_or(100) } else { 0 })
    }

    /// A second has passed.
    pub(crate) fn roll(&mut self, now: Duration) {
        let mut news = Vec::new();
        self.traffic.roll(now, &mut news);
        self.clocks.roll(now, &mut news);
        self.tell_traffic(now, news);
    }

    /// Takes over what the census has made of everybody: names, what they are, what they are set to.
    pub(crate) fn learn(&mut self, now: Duration, devices: &[Device], census: &Census) {
        for device in devices {
            let Some(place) = self.known(device.mac, device.address) else { continue };
            let one = &mut self.watched[place];
            (one.name, one.what, one.node) = (device.name.clone(), device.what.clone(), device.node);
            let Some(node) = device.node.and_then(|index| census.nodes().get(index)) else { continue };
            let told = node.told();
            let changed = shifts(&one.told, &told, &[]);
            one.told = told;
            let is_told = |shift: &crate::conversation::Shift| shift.field != crate::facts::Field::Address;
            for shift in changed.into_iter().filter(is_told) {
                self.tell_of(now, place, News::Changed(shift));
            }
        }
        for unit in census.units().iter().filter(|unit| unit.family == Way::Snmp) {
            let Some(place) = self.known(unit.mac, Some(unit.address)) else { continue };
            for news in self.watched[place].counts.take(now, &unit.facts) {
                self.tell_of(now, place, news);
            }
        }
        let silent: HashSet<Ipv4Addr> =
            self.watched.iter().filter(|one| one.state.is_bad()).map(|one| one.address).collect();
        let told = census.fixtures();
        let news = self.fixtures.learn(now, &told, |gateway| silent.contains(&gateway));
        news.into_iter().for_each(|one| self.tell(one.at, one.who, one.news));
    }
}
