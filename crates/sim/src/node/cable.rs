//! The cables of a gateway, one for each output, and the units on them that speak RDM.
//!
//! The gateway keeps a table of each and lets one request at a time through; what comes meanwhile waits, as far as there is
//! room. It searches a cable when it is told to.

use std::collections::VecDeque;
use std::net::SocketAddrV4;
use std::time::Duration;

use lantern_wire::art_net::{PORT, PortBlock, Rdm, TodControl, TodData, TodRequest};
use lantern_wire::rdm::Uid;

use super::{PollReply, SimNode, Speech};
use crate::fixture::{FixtureQuirk, SimFixture};
use crate::{Destination, FixtureSetup};

/// How many requests wait in a gateway; more are lost.
const ROOM: usize = 16;
/// How long a unit that is slow takes.
const SLOW: Duration = Duration::from_millis(1500);
/// How long a gateway waits for a unit that says nothing.
const GIVES_UP: Duration = Duration::from_millis(60);
/// How long a search takes, and for each unit.
const SEARCH: Duration = Duration::from_millis(200);

/// One cable: the port it hangs on is its place among the cables.
#[derive(Debug, Default)]
pub(super) struct Cable {
    units: Vec<SimFixture>,
    table: Vec<Uid>,
    waiting: VecDeque<(SocketAddrV4, Rdm)>,
    /// When the request that is through now is done.
    done_at: Option<Duration>,
    searched_at: Option<Duration>,
    was_searched: bool,
    most_waiting: usize,
    /// When the first request came, and when the last was answered.
    used: Option<(Duration, Duration)>,
}

impl Cable {
    fn search(&mut self) {
        let is_first = !std::mem::replace(&mut self.was_searched, true);
        let answers = |unit: &&SimFixture| {
            let has = |quirk| unit.setup().quirks.contains(&quirk);
            let is_late = is_first && has(FixtureQuirk::PluggedInLater);
            !is_late && !has(FixtureQuirk::Hidden)
        };
        self.table = self.units.iter().filter(answers).map(|unit| unit.truth().uid).collect();
    }

    /// How long the cable is taken by the request that is first.
    fn takes(&self, transaction: Duration) -> Duration {
        let Some((_, first)) = self.waiting.front() else { return Duration::ZERO };
        let meant = self.units.iter().find(|unit| unit.truth().uid == first.message.to);
        match meant {
            Some(unit) if unit.setup().quirks.contains(&FixtureQuirk::Slow) => SLOW,
            Some(unit) if !unit.setup().quirks.contains(&FixtureQuirk::Deaf) => transaction,
            _ => GIVES_UP,
        }
    }
}

impl Cable {
    /// Ends the request that is through, and lets the next one on. Gives its answer; two that answer at once destroy each other's.
    fn finish(&mut self, now: Duration, transaction: Duration) -> Option<Speech> {
        self.done_at.take_if(|at| *at <= now)?;
        let (to, request) = self.waiting.pop_front()?;
        self.done_at = (!self.waiting.is_empty()).then(|| now + self.takes(transaction));
        self.used.iter_mut().for_each(|(_, last)| *last = now);
        let mut answers = self.units.iter_mut().filter_map(|unit| unit.answer(&request.message));
        let (message, None) = (answers.next()?, answers.next()) else { return None };
        let bytes = Rdm { message, ..request }.to_bytes();
        Some(Speech { port: PORT, to: Destination::One(to), bytes })
    }
}

/// The cables of a node and how long a request takes on one.
#[derive(Debug, Default)]
pub(super) struct Cables {
    all: Vec<Cable>,
    transaction: Duration,
}

impl Cables {
    pub(super) fn new(ports: usize, fixtures: &[FixtureSetup], transaction: Duration) -> Self {
        let mut all: Vec<Cable> = (0..ports).map(|_| Cable::default()).collect();
        for setup in fixtures {
            let place = usize::try_from(setup.port).unwrap_or(0).wrapping_sub(1);
            if let Some(cable) = all.get_mut(place) {
                cable.units.push(SimFixture::new(setup.clone()));
            }
        }
        all.iter_mut().for_each(Cable::search);
        Self { all, transaction }
    }

    pub(super) fn is_empty(&self) -> bool {
        self.all.iter().all(|cable| cable.units.is_empty())
    }

    pub(super) fn wake_at(&self) -> Option<Duration> {
        self.all.iter().flat_map(|cable| [cable.done_at, cable.searched_at]).flatten().min()
    }
}

impl SimNode {
    /// The units on its cables, with the port each hangs on, from 1.
    pub fn fixtures(&self) -> impl Iterator<Item = (usize, &SimFixture)> {
        (1..).zip(&self.cables.all).flat_map(|(port, cable)| cable.units.iter().map(move |unit| (port, unit)))
    }

    /// Takes a unit off the cable it hangs on. That it is gone the node finds when it searches.
    pub fn unplug(&mut self, is_it: impl Fn(&SimFixture) -> bool) -> Option<SimFixture> {
        self.cables.all.iter_mut().find_map(|cable| {
            let place = cable.units.iter().position(&is_it)?;
            Some(cable.units.remove(place))
        })
    }

    /// Whether it has a port of this number, from 1, on which something can hang.
    #[must_use]
    pub fn has_cable(&self, port: usize) -> bool {
        (1..=self.cables.all.len()).contains(&port)
    }

    /// Hangs a unit on the cable of a port, from 1; where there is none, the unit is gone.
    pub fn plug(&mut self, port: usize, unit: SimFixture) {
        if let Some(cable) = port.checked_sub(1).and_then(|place| self.cables.all.get_mut(place)) {
            cable.units.push(unit);
        }
    }

    /// The most requests that one of its cables ever had at once, the one on its way included.
    #[must_use]
    pub fn most_requests_at_once(&self) -> usize {
        self.cables.all.iter().map(|cable| cable.most_waiting).max().unwrap_or(0)
    }

    /// Of each of its cables that was used, when the first request came, and when the last was answered.
    pub fn cables_used(&self) -> impl Iterator<Item = (Duration, Duration)> {
        self.cables.all.iter().filter_map(|cable| cable.used)
    }

    /// Its outputs on which RDM is on: place among the cables, page, slot, Port-Address.
    fn rdm_ports(&self) -> Vec<(usize, u8, u8, u16)> {
        let mut all = Vec::new();
        for (page, index) in self.pages.iter().zip(1..) {
            for ((slot, port), place) in (0..).zip(&page.ports).zip(usize::from(index - 1) * 4..) {
                if port.kind.is_output() && !port.output_b.rdm_off() {
                    all.push((place, index, slot, port_address(page, port)));
                }
            }
        }
        all
    }

    pub(super) fn hear_tod_request(&mut self, request: &TodRequest) {
        let ports = self.rdm_ports().into_iter();
        let meant = ports.filter(|(.., address)| {
            let [net, low] = address.to_be_bytes();
            net == request.net && request.addresses.contains(&low)
        });
        for (place, ..) in meant.collect::<Vec<_>>() {
            self.tell_table(place);
        }
    }

    pub(super) fn hear_tod_control(&mut self, now: Duration, control: &TodControl) {
        let wanted = u16::from_be_bytes([control.net, control.address]);
        if control.command != TodControl::FLUSH {
            return;
        }
        for (place, .., address) in self.rdm_ports() {
            if let Some(cable) = self.cables.all.get_mut(place).filter(|_| address == wanted) {
                cable.table.clear();
                let units = u32::try_from(cable.units.len()).unwrap_or(u32::MAX);
                cable.searched_at = Some(now + SEARCH + self.cables.transaction * units);
            }
        }
    }

    /// Tells everybody who is on a cable.
    fn tell_table(&mut self, place: usize) {
        let Some((_, bind_index, slot, address)) = self.rdm_ports().into_iter().find(|(one, ..)| *one == place)
        else {
            return;
        };
        let Some(cable) = self.cables.all.get(place) else { return };
        let [net, low] = address.to_be_bytes();
        let is_known = cable.searched_at.is_none();
        let parts = cable.table.chunks(TodData::MOST).map(<[Uid]>::to_vec);
        let parts: Vec<Vec<Uid>> = if cable.table.is_empty() { vec![Vec::new()] } else { parts.collect() };
        for (uids, block) in parts.into_iter().zip(0..) {
            let told = TodData {
                rdm_version: 1,
                port: slot + 1,
                bind_index,
                net,
                response: if is_known { TodData::FULL } else { TodData::NONE },
                address: low,
                total: u16::try_from(cable.table.len()).unwrap_or(u16::MAX),
                block,
                uids,
            };
            self.speech.push_back(Speech { port: PORT, to: Destination::Everybody, bytes: told.to_bytes() });
        }
    }

    pub(super) fn hear_rdm(&mut self, now: Duration, from: SocketAddrV4, request: &Rdm) {
        let transaction = self.cables.transaction;
        for (place, .., address) in self.rdm_ports() {
            let Some(cable) = self.cables.all.get_mut(place) else { continue };
            let is_there = address == request.port_address()
                && (request.message.to.is_broadcast() || cable.table.contains(&request.message.to));
            if is_there && cable.waiting.len() < ROOM {
                cable.waiting.push_back((from, request.clone()));
                cable.used.get_or_insert((now, now));
                cable.most_waiting = cable.most_waiting.max(cable.waiting.len());
                if cable.done_at.is_none() {
                    cable.done_at = Some(now + cable.takes(transaction));
                }
            }
        }
    }

    /// What was on its way over the cables is answered, and the next goes through; searches that are over are told.
    pub(super) fn work_cables(&mut self, now: Duration) {
        let transaction = self.cables.transaction;
        for place in 0..self.cables.all.len() {
            let cable = &mut self.cables.all[place];
            self.speech.extend(cable.finish(now, transaction));
            if cable.searched_at.take_if(|at| *at <= now).is_some() {
                cable.search();
                self.tell_table(place);
            }
        }
    }
}

fn port_address(page: &PollReply, port: &PortBlock) -> u16 {
    let [net, sub] = [page.net & 0x7f, page.sub & 0x0f].map(u16::from);
    net << 8 | sub << 4 | u16::from(port.switch_out & 0x0f)
}
