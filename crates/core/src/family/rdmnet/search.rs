//! Its part in a survey: connects to every broker that is told of, and reads whoever is behind it.

use std::collections::{BTreeMap, BTreeSet, VecDeque};
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::llrp::{Content, Message as LlrpMessage};
use lantern_wire::rdm::Uid;
use lantern_wire::rdmnet::{Client, ClientKind};

use super::rdm::{Cable, Reading};
use super::{Asker, News, Place, Session, own_cid};
use crate::census::{News as CensusNews, Sighting, Told, Unit, Way};
use crate::conversation::{Deadlines, LinkId, LinkNews, Outgoing, SurveyPlan};
use crate::facts::{Facts, Field, PortField, Value};
use crate::universe::SacnUniverse;

/// How soon a broker that hung up is tried again, and how often in all.
const AGAIN: Duration = Duration::from_secs(1);
const MOST_TRIES: u32 = 3;
/// How often a watch without an end reads everybody again.
const READ_AGAIN: Duration = Duration::from_secs(30);
/// The most brokers, and the most devices.
const MOST_BROKERS: usize = 16;
const MOST_DEVICES: usize = 2048;

/// Connects and reads.
#[derive(Debug)]
pub(in crate::family) struct Search {
    plan: SurveyPlan,
    brokers: BTreeMap<SocketAddrV4, Known>,
    devices: BTreeMap<Uid, Device>,
    /// Who stands where, as LLRP tells.
    stands: BTreeMap<Uid, (Option<MacAddress>, Ipv4Addr)>,
    of_mac: BTreeMap<MacAddress, Uid>,
    /// When each device is asked on: those whose broker lets us in.
    due: Deadlines<Uid>,
    links: u32,
    sends: VecDeque<Outgoing>,
    told: VecDeque<Sighting>,
}

/// A broker.
#[derive(Debug)]
struct Known {
    place: Place,
    session: Option<Session>,
    tries: u32,
    open_at: Option<Duration>,
}

/// A device behind one.
#[derive(Debug)]
struct Device {
    broker: SocketAddrV4,
    cable: Cable,
    facts: Option<Facts>,
    again_at: Option<Duration>,
}

impl Search {
    pub(in crate::family) fn new(plan: &SurveyPlan) -> Self {
        Self {
            plan: plan.clone(),
            brokers: BTreeMap::new(),
            devices: BTreeMap::new(),
            stands: BTreeMap::new(),
            of_mac: BTreeMap::new(),
            due: Deadlines::default(),
            links: 0,
            sends: VecDeque::new(),
            told: VecDeque::new(),
        }
    }

    /// A broker is there; where it told so itself, its frame says its MAC address.
    fn consider(&mut self, now: Duration, place: &Place, told_by: Option<&Sighting>) {
        let (ip, seats) = (*place.at.ip(), &self.plan.vantage.seats);
        let mac = told_by.filter(|sighting| sighting.from == ip).and_then(|sighting| sighting.mac);
        let is_near = seats.iter().any(|seat| seat.subnet.contains(ip) && seat.own != ip);
        let is_locked = self.plan.sheet.as_ref().is_some_and(|sheet| sheet.is_locked(ip, mac));
        if is_near && !is_locked && self.brokers.len() < MOST_BROKERS {
            let known = Known { place: place.clone(), session: None, tries: 0, open_at: Some(now) };
            self.brokers.entry(place.at).or_insert(known);
        }
    }

    fn hear_llrp(&mut self, now: Duration, sighting: &Sighting, bytes: &[u8]) {
        let Ok(message) = LlrpMessage::parse(bytes) else { return };
        let Content::Reply(reply) = message.content else { return };
        let holder = sighting.holder();
        if self.stands.len() < MOST_DEVICES || self.stands.contains_key(&reply.uid) {
            self.of_mac.extend(holder.0.map(|mac| (mac, reply.uid)));
            let before = self.stands.insert(reply.uid, holder);
            if before != Some(holder) && self.devices.contains_key(&reply.uid) {
                if before.is_none() {
                    self.read(now, reply.uid);
                }
                self.tell(now, reply.uid);
            }
        }
    }

    /// Whoever was found once by LLRP answers no further search: where it stands now, its frames tell.
    fn note_move(&mut self, sighting: &Sighting) {
        let (Some(mac), address) = (sighting.mac, sighting.from) else { return };
        let stands = self.of_mac.get(&mac).and_then(|uid| self.stands.get_mut(uid));
        if let Some((_, there)) = stands.filter(|_| !address.is_unspecified()) {
            *there = address;
        }
    }

    /// What is known of a device.
    fn tell(&mut self, now: Duration, uid: Uid) {
        let Some(device) = self.devices.get(&uid) else { return };
        let Some(place) = self.brokers.get(&device.broker).map(|broker| &broker.place) else { return };
        let (mac, address) = self.stands.get(&uid).copied().unwrap_or((None, Ipv4Addr::UNSPECIFIED));
        // What is read anew counts once all of it is.
        let read = device.facts.as_ref().or_else(|| device.cable.present().map(Reading::facts));
        let facts = read.cloned().unwrap_or_default();
        let unit = Unit {
            family: Way::Rdmnet,
            identity: uid.to_string().as_str().into(),
            handle: place.to_string(),
            what: in_words(uid, &facts).as_str().into(),
            address,
            mac,
            facts,
        };
        self.told.push_back(Sighting::of_unit(now, unit));
    }

    /// Whether a device may be asked. Where anything is locked, not before it is known where it stands.
    fn may_ask(&self, uid: Uid) -> bool {
        let Some(sheet) = &self.plan.sheet else { return true };
        match self.stands.get(&uid) {
            Some((mac, address)) => !sheet.is_locked(*address, *mac),
            None => !sheet.has_locks(),
        }
    }

    /// Those are behind a broker.
    fn found(&mut self, now: Duration, broker: SocketAddrV4, clients: &[Client]) {
        for client in clients.iter().filter(|client| client.kind == ClientKind::DEVICE) {
            let uid = client.uid;
            if self.devices.len() >= MOST_DEVICES {
                return;
            }
            let fresh = || Device { broker, cable: Cable::default(), facts: None, again_at: None };
            let device = self.devices.entry(uid).or_insert_with(fresh);
            device.broker = broker;
            self.read(now, uid);
            self.tell(now, uid);
        }
    }

    fn take_news(&mut self, now: Duration, at: SocketAddrV4) {
        let next = |known: &mut Known| known.session.as_mut().and_then(Session::next_news);
        while let Some(news) = self.brokers.get_mut(&at).and_then(next) {
            match news {
                News::Clients(clients) => self.found(now, at, &clients),
                News::Gone(clients) => {
                    // Who has left is not asked any more; what it told stays told.
                    for client in clients {
                        self.devices.remove(&client.uid);
                        self.set_due(client.uid);
                    }
                }
                News::Answer(answer) => {
                    if let Some(device) = self.devices.get_mut(&answer.from) {
                        device.cable.hear(now, &answer);
                    }
                    self.take_over(now, answer.from);
                    self.tell(now, answer.from);
                }
                News::OtherSet(_, whom, _) => self.read(now, whom),
                News::Redirected(to) => {
                    let there = if to.ip().is_unspecified() { SocketAddrV4::new(*at.ip(), to.port()) } else { to };
                    let scope = self.brokers.get(&at).map(|known| known.place.scope.clone()).unwrap_or_default();
                    self.consider(now, &Place { at: there, scope }, None);
                }
                News::Over(_) => self.lost(now, at),
                News::Up => self.set_all_due(at),
                News::NoAnswer(..) => {}
            }
        }
    }

    fn lost(&mut self, now: Duration, at: SocketAddrV4) {
        let Some(known) = self.brokers.get_mut(&at) else { return };
        known.session = None;
        let may_try = known.tries < MOST_TRIES || self.plan.is_endless();
        known.open_at = may_try.then_some(now + AGAIN * known.tries);
        self.set_all_due(at);
    }

    /// Reads a device, unless it is being read.
    fn read(&mut self, now: Duration, uid: Uid) {
        let may_ask = self.may_ask(uid);
        let device = self.devices.get_mut(&uid).filter(|device| device.cable.next_at().is_none() && may_ask);
        device.into_iter().for_each(|device| device.cable.add(now, Reading::of_gateway(uid)));
        self.set_due(uid);
    }

    /// A device was read to its end.
    fn take_over(&mut self, now: Duration, uid: Uid) {
        let Some(device) = self.devices.get_mut(&uid) else { return };
        while let Some(reading) = device.cable.next_over() {
            if reading.is_heard() {
                device.facts = Some(reading.facts().clone());
            }
            device.again_at = self.plan.is_endless().then_some(now + READ_AGAIN);
        }
        self.set_due(uid);
    }

    fn open_due(&mut self, now: Duration) {
        let vantage = &self.plan.vantage;
        for known in self.brokers.values_mut().filter(|known| known.open_at.is_some_and(|at| at <= now)) {
            (known.open_at, known.tries) = (None, known.tries.saturating_add(1));
            self.links += 1;
            let link = LinkId { family: Way::Rdmnet, number: self.links };
            let cid = own_cid(vantage, Uid([0, 0, 0, 0, 0, 0]));
            known.session = Some(Session::open(now, link, &known.place, cid, &mut self.sends));
        }
    }

    fn is_up(&self, broker: SocketAddrV4) -> bool {
        let session = self.brokers.get(&broker).and_then(|known| known.session.as_ref());
        session.is_some_and(|session| session.own().is_some())
    }

    /// Notes when a device is asked on.
    fn set_due(&mut self, uid: Uid) {
        let device = self.devices.get(&uid).filter(|device| self.is_up(device.broker));
        self.due.set(uid, device.and_then(|device| device.cable.next_at().or(device.again_at)));
    }

    /// The same of all behind a broker that lets us in, or no longer does.
    fn set_all_due(&mut self, broker: SocketAddrV4) {
        let all = self.devices.iter().filter(|(_, device)| device.broker == broker);
        let all: Vec<Uid> = all.map(|(uid, _)| *uid).collect();
        all.into_iter().for_each(|uid| self.set_due(uid));
    }

    fn flush(&mut self, out: &mut Vec<Outgoing>) {
        out.extend(self.sends.drain(..));
    }
}

impl Asker for Search {
    fn hear(&mut self, now: Duration, sighting: &Sighting, _: &CensusNews, _: &mut Vec<Outgoing>) {
        if !matches!(sighting.told, Told::Unit(_)) {
            self.note_move(sighting);
        }
        match &sighting.told {
            Told::Services(answers) => {
                Place::of(sighting.from, answers)
                    .iter()
                    .for_each(|place| self.consider(now, place, Some(sighting)));
            }
            Told::Spoke { family: Way::Llrp, bytes, .. } => self.hear_llrp(now, sighting, bytes),
            // A device that was told its broker says where that is, also where no broker is told of.
            Told::Unit(unit) if unit.family == Way::Llrp => {
                Place::of_unit(unit).iter().for_each(|place| self.consider(now, place, None));
            }
            _ => {}
        }
    }

    fn hear_link(&mut self, now: Duration, link: LinkId, news: LinkNews<'_>, out: &mut Vec<Outgoing>) {
        let is_it = |known: &Known| known.session.as_ref().is_some_and(|session| session.link() == link);
        let Some((at, known)) = self.brokers.iter_mut().find(|(_, known)| is_it(known)) else { return };
        let at = *at;
        if let Some(session) = &mut known.session {
            session.hear(now, news, &mut self.sends);
        }
        self.take_news(now, at);
        self.flush(out);
    }

    fn next_at(&self) -> Option<Duration> {
        let of_broker = |known: &Known| known.session.as_ref().and_then(Session::next_at).or(known.open_at);
        self.brokers.values().filter_map(of_broker).min()
    }

    fn ask(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        self.open_due(now);
        let all: Vec<SocketAddrV4> = self.brokers.keys().copied().collect();
        for at in all {
            let session = self.brokers.get_mut(&at).and_then(|known| known.session.as_mut());
            if let Some(session) = session.filter(|session| session.next_at().is_some_and(|due| due <= now)) {
                session.wake(now, &mut self.sends);
            }
            self.take_news(now, at);
        }
        self.flush(out);
    }

    fn next_single(&self) -> Option<Duration> {
        self.due.first().map(|(at, _)| at)
    }

    fn ask_single(&mut self, now: Duration) -> Option<Outgoing> {
        let (_, uid) = self.due.first().filter(|(at, _)| *at <= now)?;
        let device = self.devices.get_mut(&uid)?;
        if device.cable.next_at().is_none() {
            device.again_at = None;
            self.read(now, uid);
        }
        let device = self.devices.get_mut(&uid)?;
        let session = self.brokers.get_mut(&device.broker)?.session.as_mut()?;
        let request = device.cable.ask(now, session.own()?);
        let asking = request.and_then(|request| session.asking(request));
        self.take_over(now, uid);
        asking
    }

    fn waits(&self) -> bool {
        let begins = |known: &Known| {
            known.open_at.is_some() || known.session.as_ref().is_some_and(|session| session.own().is_none())
        };
        self.brokers.values().any(begins) || self.devices.values().any(|device| device.cable.next_at().is_some())
    }

    fn next_sighting(&mut self) -> Option<Sighting> {
        self.told.pop_front()
    }
}

/// What a device is, in words: `RDMnet Marrowbright Octet, 8 ports: sacn 1 to 8`.
fn in_words(uid: Uid, facts: &Facts) -> String {
    let told = |field: Field| facts.get(field).map(|value| field.in_words(value)).filter(|text| !text.is_empty());
    let model: Vec<String> = [Field::Maker, Field::Model].into_iter().filter_map(told).collect();
    let title = if model.is_empty() { format!("RDMnet {uid}") } else { format!("RDMnet {}", model.join(" ")) };
    let ports: BTreeSet<u32> = facts.told().filter_map(|(field, _)| field.port()).collect();
    let patched: Vec<u16> = ports
        .iter()
        .filter_map(|port| match facts.get(Field::Port(*port, PortField::Universe))? {
            Value::Universe(universe) => universe.sacn().map(SacnUniverse::number),
            _ => None,
        })
        .collect();
    match (ports.len(), patched.len()) {
        (0, _) => title,
        (count, 0) => format!("{title}, {count} ports"),
        (count, _) => format!("{title}, {count} ports: sacn {}", rows(&patched)),
    }
}

/// Numbers, rows of three and more by their ends: `9 101 to 107`.
fn rows(numbers: &[u16]) -> String {
    let follow = |one: &u16, next: &u16| one.checked_add(1) == Some(*next);
    let each = numbers.chunk_by(follow).flat_map(|row| match row {
        [first, .., last] if row.len() > 2 => vec![format!("{first} to {last}")],
        few => few.iter().map(ToString::to_string).collect(),
    });
    each.collect::<Vec<_>>().join(" ")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_of_universes_are_told_by_their_ends() {
        assert_eq!(rows(&[101, 102, 103, 104, 9, 9, 10, 63999]), "101 to 104 9 9 10 63999");
        assert_eq!(rows(&[u16::MAX, 1]), "65535 1");
        assert_eq!(rows(&[]), "");
    }
}
