//! Its part in a survey: asks gateways for their tables, and reads the units on the cables where it is told to.

use std::collections::{BTreeMap, VecDeque};
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::art_net::{Message, PORT, PollReply, Rdm, TodData};
use lantern_wire::rdm::Uid;

use super::tables::{Asks, News, Tables};
use super::{Asker, Cable, FIELDS, Reading, own_uid};
use crate::census::{self, Behind, FoundFixture, Health, Sighting, Told, Way};
use crate::conversation::{Deadlines, OnCables, Outgoing, Seat, SurveyPlan};
use crate::facts::Facts;
use crate::sheet::RigSheet;
use crate::universe::PortAddress;

/// A cable, as requests reach it: a gateway puts a message for a universe on every port that has it.
type At = (Ipv4Addr, PortAddress);

/// A unit that a gateway has told.
#[derive(Debug, Default)]
struct Unit {
    /// On which ports of the cable.
    places: Vec<Behind>,
    /// Whether it is read, or to be.
    is_read: bool,
    /// What it told, once it was read.
    told: Option<(Facts, Health)>,
}

/// Asks for tables, and reads who is in them.
#[derive(Debug)]
pub(in crate::family) struct Search {
    seats: Vec<Seat>,
    own: Uid,
    /// Whether anybody is asked anything.
    asks: bool,
    on_cables: OnCables,
    sheet: Option<RigSheet>,
    /// Whether those that are read are asked for their further settings.
    reads_settings: bool,
    tables: Tables,
    cables: BTreeMap<At, Cable>,
    /// When each cable goes on.
    due: Deadlines<At>,
    /// When each unit is read again, where that goes on.
    again: Deadlines<(At, Uid)>,
    units: BTreeMap<(At, Uid), Unit>,
    /// How many of them were read, each as often as it was told.
    done: usize,
    /// Whether any cable has answered.
    is_heard: bool,
    told: VecDeque<Sighting>,
}

impl Search {
    pub(in crate::family) fn new(plan: &SurveyPlan) -> Self {
        Self {
            seats: plan.vantage.seats.clone(),
            own: own_uid(&plan.vantage),
            asks: !plan.is_passive(),
            on_cables: if plan.is_passive() { OnCables::Count } else { plan.on_cables.clone() },
            sheet: plan.sheet.clone(),
            reads_settings: plan.on_cables.reads_settings()
                || plan.sheet.iter().flat_map(|sheet| &sheet.fixtures).any(|one| !one.settings.is_empty()),
            tables: Tables::new(plan.rediscovers.clone()),
            cables: BTreeMap::new(),
            due: Deadlines::default(),
            again: Deadlines::default(),
            units: BTreeMap::new(),
            done: 0,
            is_heard: false,
            told: VecDeque::new(),
        }
    }

    /// Whoever says that it can do RDM is asked; whoever is locked is not.
    fn hear_page(&mut self, now: Duration, sighting: &Sighting, reply: &PollReply) {
        let (mac, address) = sighting.standing();
        let is_locked = self.sheet.as_ref().is_some_and(|sheet| sheet.is_locked(address, mac));
        let is_near = !self.asks || Seat::beside(&self.seats, address).is_some();
        if reply.status1.rdm() && is_near && !is_locked {
            self.tables.want(now, (address, mac), reply);
        }
    }

    fn hear_table(&mut self, now: Duration, from: Ipv4Addr, told: &TodData) {
        let Some(News { behind, fresh, is_whole_now }) = self.tables.hear(from, told) else { return };
        if is_whole_now {
            self.told.push_back(Sighting::of_cable(now, behind));
        }
        let at = (behind.address, behind.universe);
        let mut to_read = Vec::new();
        for uid in fresh {
            let unit = self.units.entry((at, uid)).or_default();
            unit.places.push(behind);
            let told = unit.told.clone();
            self.done += usize::from(told.is_some());
            let (facts, health) = told.unwrap_or_else(|| (Facts::able(&FIELDS), Health::default()));
            self.tell(now, FoundFixture { uid, behind, facts, health });
            to_read.push(uid);
        }
        match &self.on_cables {
            OnCables::Read | OnCables::Examine | OnCables::Watch(_) => {}
            OnCables::Nothing | OnCables::Count => return,
            OnCables::ReadSome { uids, beside, .. } => {
                let on_cable =
                    || self.units.range((at, Uid::LOWEST)..=(at, Uid::EVERYBODY)).map(|((_, uid), _)| *uid);
                if *beside && on_cable().any(|uid| uids.contains(&uid)) {
                    to_read = on_cable().collect();
                } else {
                    to_read.retain(|uid| uids.contains(uid));
                }
            }
        }
        to_read.into_iter().for_each(|uid| self.read(now, at, uid));
    }

    fn read(&mut self, now: Duration, at: At, uid: Uid) {
        let Some(unit) = self.units.get_mut(&(at, uid)).filter(|unit| !unit.is_read) else { return };
        unit.is_read = true;
        let cable = self.cables.entry(at).or_default();
        let reading = Reading::new(uid);
        let reading = if self.reads_settings { reading.with_settings() } else { reading };
        let reading = if self.on_cables.reads_own() { reading.with_own() } else { reading };
        let examines = self.on_cables.examines();
        cable.add(now, if examines { reading.examining() } else { reading });
        if self.is_heard {
            cable.hurry();
        }
        self.due.set(at, cable.next_at());
    }

    fn hear_answer(&mut self, now: Duration, from: Ipv4Addr, answer: &Rdm) {
        let Ok(universe) = PortAddress::new(u64::from(answer.port_address())) else { return };
        if let Some(cable) = self.cables.get_mut(&(from, universe)).filter(|_| answer.message.to == self.own) {
            cable.hear(now, &answer.message);
            self.take_over(now, (from, universe));
            if !std::mem::replace(&mut self.is_heard, true) {
                for (at, cable) in &mut self.cables {
                    cable.hurry();
                    self.due.set(*at, cable.next_at());
                }
            }
        }
    }

    /// Tells whoever was read to the end on a cable, and notes when that goes on.
    fn take_over(&mut self, now: Duration, at: At) {
        while let Some(reading) = self.cables.get_mut(&at).and_then(Cable::next_over) {
            let Some(unit) = self.units.get_mut(&(at, reading.uid())) else { continue };
            unit.told = Some((reading.facts().clone(), reading.health().clone()));
            self.done += unit.places.len();
            if let OnCables::Watch(every) = self.on_cables {
                self.again.set((at, reading.uid()), Some(now + every));
            }
            for behind in unit.places.clone() {
                let (facts, health) = (reading.facts().clone(), reading.health().clone());
                self.tell(now, FoundFixture { uid: reading.uid(), behind, facts, health });
            }
        }
        self.due.set(at, self.cables.get(&at).and_then(Cable::next_at));
    }

    fn tell(&mut self, now: Duration, fixture: FoundFixture) {
        self.told.push_back(Sighting::of_fixture(now, fixture));
    }

    fn ask_table(&mut self, now: Duration) -> Option<Outgoing> {
        let (gateway, asks) = self.tables.ask(now)?;
        let seat = Seat::beside(&self.seats, gateway)?;
        Some(match asks {
            Asks::Search(control) => datagram(seat, gateway, control.to_bytes()),
            Asks::Tables(nth, request) => {
                // Some take it only as it went to everybody, as the standard had it first.
                let to = if nth == 2 { self.seats[seat].subnet.broadcast() } else { gateway };
                datagram(seat, to, request.to_bytes())
            }
        })
    }

    /// Whoever was read so long ago is read again.
    fn read_again(&mut self, now: Duration) {
        while let Some((_, (at, uid))) = self.again.first().filter(|(due, _)| *due <= now) {
            self.again.set((at, uid), None);
            if let Some(unit) = self.units.get_mut(&(at, uid)) {
                unit.is_read = false;
            }
            self.read(now, at, uid);
        }
    }

    fn ask_unit(&mut self, now: Duration) -> Option<Outgoing> {
        self.read_again(now);
        while let Some((_, at)) = self.due.first().filter(|(at, _)| *at <= now) {
            let (gateway, universe) = at;
            let request = self.cables.get_mut(&at).and_then(|cable| cable.ask(now, self.own));
            self.take_over(now, at);
            if let Some(request) = request {
                let seat = Seat::beside(&self.seats, gateway)?;
                return Some(datagram(seat, gateway, Rdm::new(universe.flat(), request).to_bytes()));
            }
        }
        None
    }
}

fn datagram(seat: usize, to: Ipv4Addr, bytes: Vec<u8>) -> Outgoing {
    Outgoing::Datagram { seat, to: SocketAddrV4::new(to, PORT), bytes }
}

impl Asker for Search {
    fn hear(&mut self, now: Duration, sighting: &Sighting, _: &census::News, _: &mut Vec<Outgoing>) {
        match &sighting.told {
            Told::PollReply(reply) => self.hear_page(now, sighting, reply),
            Told::Spoke { family: Way::Rdm, bytes, .. } => match Message::parse(bytes) {
                Ok(Message::TodData(told)) => self.hear_table(now, sighting.from, &told),
                Ok(Message::Rdm(answer)) => self.hear_answer(now, sighting.from, &answer),
                _ => {}
            },
            _ => {}
        }
    }

    fn next_single(&self) -> Option<Duration> {
        let cables = self.due.first().map(|(at, _)| at).into_iter().chain(self.again.first().map(|(at, _)| at));
        cables.chain(self.tables.next_at()).min().filter(|_| self.asks)
    }

    fn ask_single(&mut self, now: Duration) -> Option<Outgoing> {
        self.ask_table(now).or_else(|| self.ask_unit(now))
    }

    fn busy_until(&self) -> Option<Duration> {
        // Counting takes no longer than looking.
        self.due.last_at().into_iter().chain(self.tables.waits_until().filter(|_| self.on_cables.reads())).max()
    }

    fn read_of(&self) -> (usize, usize) {
        match &self.on_cables {
            OnCables::Read | OnCables::Examine | OnCables::Watch(_) => (self.done, self.tables.units()),
            OnCables::ReadSome { .. } => {
                (self.done, self.units.values().filter(|unit| unit.is_read).map(|unit| unit.places.len()).sum())
            }
            OnCables::Nothing | OnCables::Count => (0, 0),
        }
    }

    fn next_sighting(&mut self) -> Option<Sighting> {
        self.told.pop_front()
    }
}
