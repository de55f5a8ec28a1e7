//! Its part in a survey: searches, and reads whoever answers; whoever was seen otherwise is asked whether it listens.

use std::collections::{BTreeMap, BTreeSet, VecDeque};
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::pjlink::{PORT, SEARCH};

use super::Asker;
use super::reading::{Next, Reading};
use crate::census::{News, Sighting, Told, Unit, Way};
use crate::conversation::{LinkId, LinkNews, Outgoing, SurveyPlan};
use crate::facts::{Facts, Field};

/// When everybody is asked.
const SEARCH_AT: [Duration; 2] = [Duration::from_millis(20), Duration::from_millis(900)];
/// How often a watch without an end looks again.
const AGAIN: Duration = Duration::from_secs(30);
/// The most connections at a time, and how far apart they are begun.
const AT_ONCE: usize = 16;
const OPEN_EVERY: Duration = Duration::from_millis(5);
/// How long a device may take to take a connection and to greet, and how long for each answer.
const GREETING_TIME: Duration = Duration::from_millis(1500);
const ANSWER_TIME: Duration = Duration::from_millis(1000);
/// The most devices asked.
const MOST: usize = 4096;

/// Searches and reads.
#[derive(Debug)]
pub(in crate::family) struct Search {
    plan: SurveyPlan,
    searches: VecDeque<Duration>,
    open_at: Duration,
    /// Who is still to be asked: those who answered a search first.
    eager: VecDeque<Ipv4Addr>,
    queue: VecDeque<Ipv4Addr>,
    known: BTreeSet<Ipv4Addr>,
    /// Who listens to no PJLink: not asked again, unless it says that it does.
    foreign: BTreeSet<Ipv4Addr>,
    macs: BTreeMap<Ipv4Addr, MacAddress>,
    links: BTreeMap<u32, Link>,
    numbers: u32,
    told: VecDeque<Sighting>,
}

#[derive(Debug)]
struct Link {
    to: Ipv4Addr,
    reading: Reading,
    /// When to give up waiting.
    until: Duration,
    /// Whether it is known to speak PJLink: then it is worth waiting for.
    eager: bool,
}

impl Search {
    pub(in crate::family) fn new(plan: &SurveyPlan) -> Self {
        // Where it is about some devices only, they are asked one by one; on loopback there is no other way to find them.
        let asks_everybody = plan.concern.is_everybody() || plan.vantage.is_on_loopback();
        let searches = if asks_everybody { SEARCH_AT.into() } else { VecDeque::new() };
        Self {
            plan: plan.clone(),
            searches,
            open_at: Duration::ZERO,
            eager: VecDeque::new(),
            queue: VecDeque::new(),
            known: BTreeSet::new(),
            foreign: BTreeSet::new(),
            macs: BTreeMap::new(),
            links: BTreeMap::new(),
            numbers: 0,
            told: VecDeque::new(),
        }
    }

    /// Somebody is at this address; `eager` says that it speaks PJLink.
    fn consider(&mut self, address: Ipv4Addr, mac: Option<MacAddress>, eager: bool) {
        if let Some(mac) = mac {
            self.macs.insert(address, mac);
        }
        let is_foreign = !eager && self.foreign.contains(&address);
        if is_foreign || self.known.len() >= MOST || !self.plan.may_connect(address, mac) {
            return;
        }
        if self.known.insert(address) {
            let queue = if eager { &mut self.eager } else { &mut self.queue };
            queue.push_back(address);
        } else if eager && self.queue.contains(&address) {
            self.queue.retain(|waiting| *waiting != address);
            self.eager.push_back(address);
        }
    }

    fn open(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        if self.links.len() >= AT_ONCE || self.open_at > now {
            return;
        }
        let eager = self.eager.pop_front();
        let Some(to) = eager.or_else(|| self.queue.pop_front()) else { return };
        self.open_at = now + OPEN_EVERY;
        self.numbers += 1;
        let secret = self.plan.vantage.secrets.of(Way::Pjlink, self.macs.get(&to).copied(), to);
        let secret = secret.map(|login| login.password.clone());
        let until = now + GREETING_TIME;
        let link = Link { to, reading: Reading::new(secret), until, eager: eager.is_some() };
        self.links.insert(self.numbers, link);
        out.push(Outgoing::Open { link: id(self.numbers), to: SocketAddrV4::new(to, PORT) });
    }

    /// Does on a link what is to be done next.
    fn go_on(&mut self, now: Duration, number: u32, next: Next, out: &mut Vec<Outgoing>) {
        let Some(link) = self.links.get_mut(&number) else { return };
        match next {
            Next::Wait => {}
            Next::Write(bytes) => {
                link.until = now + ANSWER_TIME;
                out.push(Outgoing::Write { link: id(number), bytes });
            }
            Next::Close | Next::Foreign => {
                out.push(Outgoing::Close { link: id(number) });
                self.over(now, number);
            }
        }
    }

    /// A link is over: what was told on it is made out.
    fn over(&mut self, now: Duration, number: u32) {
        let Some(link) = self.links.remove(&number) else { return };
        if !link.reading.is_greeted() {
            self.foreign.insert(link.to);
            return;
        }
        let mac = self.macs.get(&link.to).copied();
        let facts = link.reading.facts;
        let unit = Unit::of_address(Way::Pjlink, link.to, mac, &in_words(&facts), facts);
        self.told.push_back(Sighting::of_unit(now, unit));
    }

    fn next_open(&self) -> Option<Duration> {
        let waits = !self.eager.is_empty() || !self.queue.is_empty();
        (waits && self.links.len() < AT_ONCE).then_some(self.open_at)
    }
}

impl Asker for Search {
    fn hear(&mut self, _: Duration, sighting: &Sighting, _: &News, _: &mut Vec<Outgoing>) {
        match &sighting.told {
            Told::Spoke { family: Way::Pjlink, stated, .. } => {
                self.consider(sighting.from, sighting.mac.or(*stated), true);
            }
            // Whoever speaks another trade's protocol is none of these.
            Told::Arp | Told::Echo | Told::Neighbour | Told::Services(_) => {
                self.consider(sighting.from, sighting.mac, false);
            }
            _ => {}
        }
    }

    fn hear_link(&mut self, now: Duration, link: LinkId, news: LinkNews<'_>, out: &mut Vec<Outgoing>) {
        let number = link.number;
        let Some(open) = self.links.get_mut(&number).filter(|_| link.family == Way::Pjlink) else { return };
        match news {
            LinkNews::Opened => {}
            LinkNews::Bytes(bytes) => {
                let next = open.reading.hear(bytes);
                self.go_on(now, number, next, out);
            }
            LinkNews::Closed(_) => self.over(now, number),
        }
    }

    fn next_at(&self) -> Option<Duration> {
        let waiting = self.links.values().map(|link| link.until).min();
        [self.searches.front().copied(), self.next_open(), waiting].into_iter().flatten().min()
    }

    fn ask(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        if self.searches.front().is_some_and(|at| *at <= now) {
            self.searches.pop_front();
            if self.searches.is_empty() {
                self.searches.push_back(now + AGAIN);
                // Who was read long ago is read again.
                self.known.clear();
            }
            out.extend(self.plan.vantage.seats.iter().enumerate().map(|(seat, place)| {
                let to = SocketAddrV4::new(place.subnet.broadcast(), PORT);
                Outgoing::Datagram { seat, to, bytes: SEARCH.to_vec() }
            }));
        }
        let late: Vec<u32> =
            self.links.iter().filter(|(_, link)| link.until <= now).map(|(number, _)| *number).collect();
        for number in late {
            let next = self.links.get_mut(&number).map_or(Next::Close, |link| link.reading.pass());
            self.go_on(now, number, next, out);
        }
        self.open(now, out);
    }

    fn waits(&self) -> bool {
        let is_worth_it = |link: &Link| link.eager || link.reading.is_greeted();
        !self.eager.is_empty() || self.links.values().any(is_worth_it)
    }

    fn next_sighting(&mut self) -> Option<Sighting> {
        self.told.pop_front()
    }
}

const fn id(number: u32) -> LinkId {
    LinkId { family: Way::Pjlink, number }
}

/// What a device is and how it is, in words: `PJLink Tessaquill Wall, on, lamp 1200 h, lamp: warning`.
fn in_words(facts: &Facts) -> String {
    let told = |field: Field| facts.get(field).map(|value| field.in_words(value)).filter(|text| !text.is_empty());
    let model: Vec<String> = [Field::Maker, Field::Model].into_iter().filter_map(told).collect();
    let lamp = told(Field::LampHours).map(|hours| format!("lamp {hours} h"));
    let faults = told(Field::Faults).filter(|faults| faults != "none");
    let access = told(Field::Access).filter(|access| access != "open");
    let title = format!("PJLink {}", model.join(" ")).trim_end().to_owned();
    let rest = [told(Field::Power), told(Field::Input), lamp, faults, access];
    std::iter::once(title).chain(rest.into_iter().flatten()).collect::<Vec<_>>().join(", ")
}

#[cfg(test)]
mod tests {
    use super::super::FIELDS;
    use super::*;
    use crate::Access;
    use crate::facts::Value;

    #[test]
    fn a_device_is_told_in_a_line() {
        let mut facts = Facts::able(&FIELDS);
        facts.learn(Field::Access, Value::Access(Access::Locked));
        assert_eq!(in_words(&facts), "PJLink, wants a password");
        facts.learn(Field::Access, Value::Access(Access::Open));
        facts.learn(Field::Model, Value::Text("Wall".into()));
        facts.learn(Field::LampHours, Value::Count(1200));
        facts.learn(Field::Faults, Value::Text("lamp: warning".into()));
        assert_eq!(in_words(&facts), "PJLink Wall, lamp 1200 h, lamp: warning");
    }
}
