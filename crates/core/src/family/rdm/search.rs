//! Its part in a survey: asks gateways for their tables, and reads the units on the cables where it is told to.

use std::collections::{BTreeMap, VecDeque};
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::art_net::{Message, PORT, PollReply, Rdm, TodData};
use lantern_wire::rdm::Uid;

use super::tables::Tables;
use super::{Asker, Cable, FIELDS, own_uid};
use crate::census::{Behind, FoundFixture, News, Sighting, Told, Way};
use crate::conversation::{OnCables, Outgoing, Seat, SurveyPlan};
use crate::facts::Facts;
use crate::sheet::RigSheet;
use crate::universe::PortAddress;

/// A cable, as requests reach it: a gateway puts a message for a universe on every port that has it.
type At = (Ipv4Addr, PortAddress);

/// Asks for tables, and reads who is in them.
#[derive(Debug)]
pub(in crate::family) struct Search {
    seats: Vec<Seat>,
    own: Uid,
    /// Whether anybody is asked anything.
    asks: bool,
    reads: bool,
    sheet: Option<RigSheet>,
    tables: Tables,
    cables: BTreeMap<At, Cable>,
    /// On which port of the cable each unit was told to be.
    places: BTreeMap<(At, Uid), Vec<Behind>>,
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
            reads: !plan.is_passive() && plan.on_cables == OnCables::Read,
            sheet: plan.sheet.clone(),
            tables: Tables::default(),
            cables: BTreeMap::new(),
            places: BTreeMap::new(),
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
        let Some((behind, fresh)) = self.tables.hear(from, told) else { return };
        let at = (behind.address, behind.universe);
        for uid in fresh {
            let places = self.places.entry((at, uid)).or_default();
            places.push(behind);
            let is_first = places.len() == 1;
            self.tell(now, behind, uid, &Facts::able(&FIELDS));
            if self.reads && is_first {
                let cable = self.cables.entry(at).or_default();
                cable.add(now, uid);
                if self.is_heard {
                    cable.hurry();
                }
            }
        }
    }

    fn hear_answer(&mut self, now: Duration, from: Ipv4Addr, answer: &Rdm) {
        let Ok(universe) = PortAddress::new(u64::from(answer.port_address())) else { return };
        if let Some(cable) = self.cables.get_mut(&(from, universe)).filter(|_| answer.message.to == self.own) {
            cable.hear(now, &answer.message);
            if !std::mem::replace(&mut self.is_heard, true) {
                self.cables.values_mut().for_each(Cable::hurry);
            }
            self.take_over(now, (from, universe));
        }
    }

    /// Tells whoever was read to the end.
    fn take_over(&mut self, now: Duration, at: At) {
        while let Some(reading) = self.cables.get_mut(&at).and_then(Cable::next_over) {
            for behind in self.places.get(&(at, reading.uid())).cloned().unwrap_or_default() {
                self.tell(now, behind, reading.uid(), reading.facts());
            }
        }
    }

    fn tell(&mut self, now: Duration, behind: Behind, uid: Uid, facts: &Facts) {
        let fixture = FoundFixture { uid, behind, facts: facts.clone() };
        self.told.push_back(Sighting::of_fixture(now, fixture));
    }

    fn ask_table(&mut self, now: Duration) -> Option<Outgoing> {
        let (gateway, nth, request) = self.tables.ask(now)?;
        // Some take it only as it went to everybody, as the standard had it first.
        let seat = Seat::beside(&self.seats, gateway)?;
        let to = if nth == 2 { self.seats[seat].subnet.broadcast() } else { gateway };
        Some(datagram(seat, to, request.to_bytes()))
    }

    fn ask_unit(&mut self, now: Duration) -> Option<Outgoing> {
        let is_due = |cable: &Cable| cable.next_at().is_some_and(|at| at <= now);
        while let Some((at, cable)) = self.cables.iter_mut().find(|(_, cable)| is_due(cable)) {
            let (gateway, universe) = *at;
            let request = cable.ask(now, self.own);
            self.take_over(now, (gateway, universe));
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
    fn hear(&mut self, now: Duration, sighting: &Sighting, _: &News, _: &mut Vec<Outgoing>) {
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
        let cables = self.cables.values().filter_map(Cable::next_at);
        cables.chain(self.tables.next_at()).min().filter(|_| self.asks)
    }

    fn ask_single(&mut self, now: Duration) -> Option<Outgoing> {
        self.ask_table(now).or_else(|| self.ask_unit(now))
    }

    fn busy_until(&self) -> Option<Duration> {
        let cables = self.cables.values().filter_map(Cable::next_at);
        // Counting takes no longer than looking.
        cables.chain(self.tables.waits_until().filter(|_| self.reads)).max()
    }

    fn read_of(&self) -> (usize, usize) {
        if !self.reads {
            return (0, 0);
        }
        let left: usize = self.cables.values().map(Cable::left).sum();
        let all = self.tables.units();
        (all.saturating_sub(left), all)
    }

    fn next_sighting(&mut self) -> Option<Sighting> {
        self.told.pop_front()
    }
}
