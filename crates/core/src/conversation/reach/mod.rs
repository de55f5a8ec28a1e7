//! Reach: whether addresses answer, asked in every way side by side: how long each answer took, and how many were lost.
//!
//! ARP is asked by frames of our own, in the subnets this computer is in; without frames, the system's table of neighbours says who was
//! found. An echo goes to whoever speaks IP; a poll of Art-Net is the question of the trade.

mod answers;

use std::collections::{BTreeSet, HashMap, VecDeque};
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::art_net::PORT;
use lantern_wire::{Arp, ArpOperation, MacAddress, Packet};

use super::pace::Pace;
use super::{Conversation, Heard, Outgoing, Vantage, listen};
use crate::census::{Told, Way, Ways};
use crate::{Said, conversation::outbox};

pub use answers::Answers;

/// How far apart the questions to one address are.
const ASK_EVERY: Duration = Duration::from_millis(200);
/// How long the last answer is waited for: a router has to look for the address first.
const PATIENCE: Duration = Duration::from_millis(1000);
/// A node may wait so long at random before it answers a poll (Art-Net 4, "ArtPoll"), and is asked again as often.
const POLL_EVERY: Duration = Duration::from_millis(1200);
/// How often a node is polled.
const POLLS: u32 = 2;
/// How often it is asked as nobody who has an address.
const PROBES: u32 = 2;

/// The conversation; [`Reach::reached`] is its result.
#[derive(Debug)]
pub struct Reach {
    vantage: Vantage,
    targets: Vec<Reached>,
    places: HashMap<Ipv4Addr, usize>,
    /// What is still to be asked, in the order in which it is due.
    due: VecDeque<(Duration, usize, Question)>,
    pace: Pace,
    ready: VecDeque<Outgoing>,
    last_asked: Duration,
    over: bool,
}

/// What is asked.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Question {
    /// Who has the address, as this computer.
    Arp,
    /// The same as nobody (RFC 5227, section 2.1.1): so answers who takes this computer for no neighbour.
    Probe,
    Echo,
    ArtNet,
    /// The system's table of neighbours.
    Table,
}

/// One address, and what came from it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Reached {
    /// The address.
    pub address: Ipv4Addr,
    /// Everybody who says by ARP that it is its own; several where it is held twice.
    pub holders: BTreeSet<MacAddress>,
    /// What it calls itself, where it says so.
    pub name: Said,
    /// By ARP; nothing was asked where there are no frames, or where it lies in another subnet.
    pub arp: Answers,
    /// By echo.
    pub echo: Answers,
    /// By Art-Net.
    pub art_net: Answers,
}

/// How an address stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, serde::Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Hold {
    /// It is this computer's own.
    Own,
    /// It answers.
    Answers,
    /// Somebody has it, as ARP or the system says, and answers nothing else.
    OnlyHeld,
    /// Two devices or more have it.
    HeldTwice,
    /// Nobody answers ARP, nor anything else: nobody has it now.
    Free,
    /// Nobody answers, and ARP cannot ask there: that says little.
    Silent,
}

impl Reached {
    /// An address that was not asked by itself, and whoever is known to have it.
    #[must_use]
    pub fn unasked(address: Ipv4Addr, holders: impl IntoIterator<Item = MacAddress>) -> Self {
        Self {
            address,
            holders: holders.into_iter().collect(),
            name: Said::default(),
            arp: Answers::default(),
            echo: Answers::default(),
            art_net: Answers::default(),
        }
    }

    /// How it stands.
    #[must_use]
    pub fn hold(&self, from: &Vantage) -> Hold {
        let answers = self.echo.answered() > 0 || self.art_net.answered() > 0;
        match (self.holders.len(), answers) {
            _ if from.is_own(self.address) && self.holders.is_empty() => Hold::Own,
            (2.., _) => Hold::HeldTwice,
            (_, true) => Hold::Answers,
            (1, false) => Hold::OnlyHeld,
            (_, false) if self.arp.asked() > 0 => Hold::Free,
            (_, false) => Hold::Silent,
        }
    }
}

impl Reach {
    /// The usual number of questions to one address.
    pub const USUAL: u32 = 5;

    /// Asks these addresses in these ways (ARP, echo, Art-Net), so many times each.
    #[must_use]
    pub fn new(vantage: Vantage, addresses: &[Ipv4Addr], ways: Ways, times: u32) -> Self {
        let mut targets: Vec<Reached> = Vec::new();
        let mut places = HashMap::new();
        for address in addresses {
            places.entry(*address).or_insert_with(|| {
                targets.push(Reached::unasked(*address, []));
                targets.len() - 1
            });
        }
        let mut due: Vec<(Duration, usize, Question)> = Vec::new();
        for (place, target) in targets.iter().enumerate().filter(|(_, target)| !vantage.is_own(target.address)) {
            let beside = vantage.seat_beside(target.address).is_some();
            let framed = vantage.frames_from().is_some() && beside && ways.contains(Way::Arp);
            let echoes = (vantage.means.echo || vantage.means.frames) && ways.contains(Way::Echo);
            for (question, can, first, every, times) in [
                (Question::Arp, framed, Duration::ZERO, ASK_EVERY, times.max(1)),
                (Question::Probe, framed, ASK_EVERY / 2, ASK_EVERY, PROBES),
                (Question::Echo, echoes, Duration::ZERO, ASK_EVERY, times.max(1)),
                (Question::ArtNet, ways.contains(Way::ArtNet), Duration::ZERO, POLL_EVERY, POLLS),
            ] {
                due.extend((0..times).filter(|_| can).map(|i| (first + every * i, place, question)));
            }
        }
        // Without frames the system is asked at last whom it has found.
        if vantage.means.neighbours && !vantage.means.frames && !due.is_empty() {
            due.push((ASK_EVERY * times + PATIENCE / 2, 0, Question::Table));
        }
        due.sort_unstable();
        Self {
            over: due.is_empty(),
            due: due.into(),
            vantage,
            targets,
            places,
            pace: Pace::new(Pace::USUAL),
            ready: VecDeque::new(),
            last_asked: Duration::ZERO,
        }
    }

    /// What came back, in the order in which the addresses were named.
    #[must_use]
    pub fn reached(&self) -> &[Reached] {
        &self.targets
    }

    /// From where it asks.
    #[must_use]
    pub const fn vantage(&self) -> &Vantage {
        &self.vantage
    }

    /// Whether the first of them answered anything.
    #[must_use]
    pub fn answered(&self) -> bool {
        self.targets.first().is_some_and(|one| one.echo.answered() > 0 || one.art_net.answered() > 0)
    }

    /// How many questions are left.
    #[must_use]
    pub fn left(&self) -> usize {
        self.due.len()
    }

    fn ask(&mut self, now: Duration, place: usize, question: Question) {
        let target = &mut self.targets[place];
        let to = target.address;
        let seat = self.vantage.seat_beside(to).unwrap_or(0);
        let outgoing = match question {
            Question::Arp => {
                let Some(asks) = self.vantage.who_has(to) else { return };
                target.arp.ask(now);
                asks
            }
            Question::Probe => {
                let Some(own) = self.vantage.frames_from() else { return };
                Outgoing::Frame(Arp::probe(own, to).to_bytes())
            }
            Question::Echo => {
                let number = u16::try_from(target.echo.asked()).unwrap_or(u16::MAX);
                // Its MAC address comes with the answer to ARP.
                let Some(asks) = self.vantage.echo(to, target.holders.first().copied(), number) else { return };
                target.echo.ask(now);
                asks
            }
            Question::Table => Outgoing::Neighbours,
            Question::ArtNet => {
                target.art_net.ask(now);
                Outgoing::Datagram { seat, to: SocketAddrV4::new(to, PORT), bytes: outbox::poll() }
            }
        };
        self.ready.push_back(outgoing);
        self.last_asked = now;
    }

    fn take(&mut self, now: Duration, from: Ipv4Addr, take: impl FnOnce(&mut Reached, Duration)) {
        if let Some(place) = self.places.get(&from) {
            take(&mut self.targets[*place], now);
        }
    }

    fn hear_frame(&mut self, now: Duration, frame: &[u8]) {
        if let Ok(arp) = Arp::parse(frame) {
            let is_other = Some(arp.sender_mac) != self.vantage.own_mac && !arp.sender.is_unspecified();
            // Whoever asks for somebody else has its address, and has not answered us.
            let is_answer = arp.operation == ArpOperation::REPLY && self.vantage.is_own(arp.target);
            if is_other {
                self.take(now, arp.sender, |target, now| {
                    target.holders.insert(arp.sender_mac);
                    if is_answer {
                        target.arp.answer(now, None);
                    }
                });
            }
            return;
        }
        let packet = Packet::parse(frame).ok();
        if let Some((_, from, number)) = packet.and_then(|packet| self.vantage.echo_answer(&packet)) {
            self.take(now, from, |target, now| target.echo.answer(now, Some(number.into())));
        }
    }

    /// Whether everybody has answered everything but what many do not speak.
    fn is_complete(&self) -> bool {
        let all = |answers: &Answers| answers.answered() == answers.asked();
        let told = |one: &Reached| one.art_net.asked() == 0 || one.art_net.answered() > 0;
        self.due.is_empty() && self.targets.iter().all(|one| all(&one.arp) && all(&one.echo) && told(one))
    }
}

impl Conversation for Reach {
    type Event = ();

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        match heard {
            Heard::Echo { from, number } => {
                self.take(now, *from, |target, now| target.echo.answer(now, Some(usize::from(*number))));
            }
            Heard::Frame(frame) => self.hear_frame(now, frame),
            Heard::Neighbours(table) => {
                for one in table.iter().filter(|one| one.fresh) {
                    self.take(now, one.address, |target, _| _ = target.holders.insert(one.mac));
                }
            }
            _ => {}
        }
        for sighting in listen::sightings(&self.vantage, now, heard).1 {
            if let Told::PollReply(_) = sighting.told {
                let from = sighting.holder().1;
                let from = if self.places.contains_key(&sighting.from) { sighting.from } else { from };
                let name = sighting.name();
                self.take(now, from, |target, now| {
                    target.art_net.answer(now, None);
                    target.name = name;
                });
            }
        }
        self.over |= self.is_complete();
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.ready.pop_front()
    }

    fn wake_at(&self) -> Option<Duration> {
        let next = match self.due.front() {
            Some((at, ..)) => (*at).max(self.pace.next()),
            None => self.last_asked + PATIENCE,
        };
        (!self.over).then_some(next)
    }

    fn wake(&mut self, now: Duration) {
        while let Some((at, place, question)) = self.due.front().copied() {
            if at > now || !self.pace.lets_pass(now) {
                return;
            }
            self.due.pop_front();
            // Whoever has answered a poll need not be asked another time.
            if question != Question::ArtNet || self.targets[place].art_net.answered() == 0 {
                self.ask(now, place, question);
            }
        }
        self.over |= self.due.is_empty() && self.last_asked + PATIENCE <= now;
    }

    fn next_event(&mut self) -> Option<()> {
        None
    }
}

#[cfg(test)]
mod tests;
