//! Levels of one universe: listened to, and sent to try it.
//!
//! [`Listening`] sends nothing. [`Trying`] sends a pattern within stated limits, to a universe that nobody else sends unless that
//! is wanted, and ends it so that receivers know: [`Trying::release`] is what always follows, however it ended.

use std::collections::VecDeque;
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::sacn::{self, Cid};
use lantern_wire::{Carries, Packet, Text, art_net};

use super::{Conversation, Heard, Outgoing, Vantage};
use crate::levels::{Levels, Pattern, SLOTS, Slots};
use crate::universe::Universe;

const SECOND: Duration = Duration::from_secs(1);
/// Whoever sends does so at least once within this time (ANSI E1.31, 6.6.2; Art-Net 4, "ArtDmx").
const EVERYBODY_BY: Duration = Duration::from_millis(4100);
/// How often the end is told (ANSI E1.31, 6.2.6).
const LAST_WORDS: u32 = 3;
/// How far apart they are.
const LAST_EVERY: Duration = Duration::from_millis(50);
/// How often what does not change is sent again.
const STILL_EVERY: Duration = Duration::from_millis(800);

/// Hears the levels of one universe until it is broken off, or for so long.
#[derive(Debug)]
pub struct Listening {
    vantage: Vantage,
    levels: Levels,
    end: Option<Duration>,
    roll_at: Duration,
    ready: VecDeque<Outgoing>,
    unreadable: u64,
    begun: bool,
    over: bool,
}

impl Listening {
    /// Listens for so long.
    #[must_use]
    pub fn new(vantage: Vantage, universe: Universe, end: Option<Duration>) -> Self {
        Self {
            vantage,
            levels: Levels::of(universe),
            end,
            roll_at: SECOND,
            ready: VecDeque::new(),
            unreadable: 0,
            begun: false,
            over: false,
        }
    }

    /// What was heard.
    #[must_use]
    pub const fn levels(&self) -> &Levels {
        &self.levels
    }

    /// How many messages could not be read.
    #[must_use]
    pub const fn unreadable(&self) -> u64 {
        self.unreadable
    }

    fn take(&mut self, now: Duration, from: Ipv4Addr, port: u16, bytes: &[u8]) {
        if !self.vantage.is_own(from) && self.levels.take(now, from, port, bytes).is_err() {
            self.unreadable += 1;
        }
    }
}

impl Conversation for Listening {
    type Event = ();

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        match heard {
            Heard::Datagram(heard) if !self.vantage.means.frames => {
                self.take(now, *heard.from.ip(), heard.port, heard.bytes);
            }
            Heard::Frame(frame) => {
                if let Ok(Packet { carries: Carries::Udp { from, to, payload }, .. }) = Packet::parse(frame) {
                    self.take(now, *from.ip(), to.port(), payload);
                }
            }
            _ => {}
        }
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.ready.pop_front()
    }

    fn wake_at(&self) -> Option<Duration> {
        let begins = (!self.begun).then_some(Duration::ZERO);
        (!self.over).then(|| [Some(self.roll_at), self.end, begins].into_iter().flatten().min()).flatten()
    }

    fn wake(&mut self, now: Duration) {
        if !std::mem::replace(&mut self.begun, true)
            && let Universe::Sacn(universe) = self.levels.universe()
        {
            let group = sacn::group(universe.number());
            self.ready.extend(Outgoing::join(self.vantage.seats.len(), group, sacn::PORT));
        }
        while self.roll_at <= now {
            self.roll_at += SECOND;
            self.levels.roll(now);
        }
        self.over = self.end.is_some_and(|end| end <= now);
    }

    fn next_event(&mut self) -> Option<()> {
        None
    }
}

/// What is sent, to whom, and within which limits.
#[derive(Debug, Clone)]
pub struct TryPlan {
    /// Which universe.
    pub universe: Universe,
    /// What.
    pub pattern: Pattern,
    /// To whom by Art-Net; sACN goes to the universe's group.
    pub to: Vec<Ipv4Addr>,
    /// Messages a second while levels change, at most 44 (ANSI E1.11, Annex B).
    pub rate: u32,
    /// For how long.
    pub length: Duration,
    /// Whether it is sent although somebody else sends the universe.
    pub beside_others: bool,
    /// As whom by sACN.
    pub cid: Cid,
    /// With which priority by sACN.
    pub priority: u8,
}

impl TryPlan {
    /// The most messages a second.
    pub const MOST_RATE: u32 = 44;
    /// The longest time.
    pub const LONGEST: Duration = Duration::from_secs(600);
    /// What receivers show as the source's name.
    pub const NAME: &'static str = "deft-lantern test levels";
}

/// News of test levels.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TryEvent {
    /// Others send this universe: nothing is sent.
    Refused,
    /// It is sent from now on.
    Began,
    /// Somebody else has begun to send it too: it is ended.
    Disturbed,
}

/// Sends a pattern for a while.
#[derive(Debug)]
pub struct Trying {
    plan: TryPlan,
    listening: Listening,
    began: Option<Duration>,
    send_at: Duration,
    sent: Option<(Duration, Slots)>,
    sequence: u8,
    messages: u64,
    ready: VecDeque<Outgoing>,
    events: VecDeque<TryEvent>,
    over: bool,
}

impl Trying {
    /// Listens first whether anybody else sends the universe.
    #[must_use]
    pub fn new(vantage: Vantage, plan: TryPlan) -> Self {
        Self {
            listening: Listening::new(vantage, plan.universe, None),
            plan,
            began: None,
            send_at: EVERYBODY_BY,
            sent: None,
            sequence: 0,
            messages: 0,
            ready: VecDeque::new(),
            events: VecDeque::new(),
            over: false,
        }
    }

    /// What others send.
    #[must_use]
    pub const fn levels(&self) -> &Levels {
        self.listening.levels()
    }

    /// Since when it is sent.
    #[must_use]
    pub const fn began(&self) -> Option<Duration> {
        self.began
    }

    /// How many messages were sent.
    #[must_use]
    pub const fn messages(&self) -> u64 {
        self.messages
    }

    /// What ends it so that receivers know; sends nothing where nothing was sent.
    #[must_use]
    pub fn release(self) -> Release {
        let left = if self.sent.is_some() { LAST_WORDS } else { 0 };
        Release { trying: self, left, next: Duration::ZERO }
    }

    fn next_sequence(&mut self) -> u8 {
        self.sequence = match self.plan.universe {
            // 0 would mean that nothing is counted (Art-Net 4, "ArtDmx").
            Universe::ArtNet(_) => self.sequence.checked_add(1).unwrap_or(1),
            Universe::Sacn(_) => self.sequence.wrapping_add(1),
        };
        self.sequence
    }

    fn send(&mut self, slots: &Slots, ended: bool) {
        let sequence = self.next_sequence();
        match self.plan.universe {
            Universe::ArtNet(address) => {
                let dmx = art_net::Dmx { sequence, physical: 0, port_address: address.flat(), slots };
                let bytes = dmx.to_bytes();
                for to in &self.plan.to {
                    let seat = self.listening.vantage.seat_beside(*to).unwrap_or(0);
                    let to = SocketAddrV4::new(*to, art_net::PORT);
                    self.ready.push_back(Outgoing::Datagram { seat, to, bytes: bytes.clone() });
                }
            }
            Universe::Sacn(universe) => {
                let number = universe.number();
                let data = sacn::Data {
                    cid: self.plan.cid,
                    source: Text::cut(TryPlan::NAME),
                    priority: self.plan.priority,
                    sync: 0,
                    sequence,
                    options: sacn::Options(if ended { sacn::Options::ENDED } else { 0 }),
                    universe: number,
                    start_code: sacn::LEVELS,
                    slots,
                };
                for seat in 0..self.listening.vantage.seats.len() {
                    let group = self.listening.vantage.seats[seat].everybody(sacn::group(number));
                    let to = SocketAddrV4::new(group, sacn::PORT);
                    self.ready.push_back(Outgoing::Datagram { seat, to, bytes: data.to_bytes() });
                }
            }
        }
        self.messages += 1;
    }

    fn is_alone(&self) -> bool {
        self.plan.beside_others || self.listening.levels().live().next().is_none()
    }

    fn work(&mut self, now: Duration) {
        let began = match self.began {
            Some(began) => began,
            None if !self.is_alone() => {
                self.events.push_back(TryEvent::Refused);
                self.over = true;
                return;
            }
            None => {
                self.events.push_back(TryEvent::Began);
                *self.began.insert(now)
            }
        };
        if now >= began + self.plan.length {
            self.over = true;
            return;
        }
        let slots = self.plan.pattern.at(now - began);
        let is_due = self.sent.is_none_or(|(at, before)| before != slots || at + STILL_EVERY <= now);
        if is_due {
            self.send(&slots, false);
            self.sent = Some((now, slots));
        }
        self.send_at = (now + SECOND / self.plan.rate.clamp(1, TryPlan::MOST_RATE)).min(began + self.plan.length);
    }
}

impl Conversation for Trying {
    type Event = TryEvent;

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        self.listening.hear(now, heard);
        if self.began.is_some() && !self.over && !self.is_alone() {
            self.events.push_back(TryEvent::Disturbed);
            self.over = true;
        }
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.listening.next_send().or_else(|| self.ready.pop_front())
    }

    fn wake_at(&self) -> Option<Duration> {
        (!self.over).then(|| self.listening.wake_at().into_iter().chain([self.send_at]).min()).flatten()
    }

    fn wake(&mut self, now: Duration) {
        self.listening.wake(now);
        if self.send_at <= now {
            self.work(now);
        }
    }

    fn next_event(&mut self) -> Option<TryEvent> {
        self.events.pop_front()
    }
}

/// The end of test levels: all at 0, and by sACN the word that no more is sent.
#[derive(Debug)]
pub struct Release {
    trying: Trying,
    left: u32,
    next: Duration,
}

impl Conversation for Release {
    type Event = ();

    fn hear(&mut self, _: Duration, _: &Heard<'_>) {}

    fn next_send(&mut self) -> Option<Outgoing> {
        self.trying.ready.pop_front()
    }

    fn wake_at(&self) -> Option<Duration> {
        (self.left > 0).then_some(self.next)
    }

    fn wake(&mut self, now: Duration) {
        if self.left > 0 && self.next <= now {
            self.left -= 1;
            self.next = now + LAST_EVERY;
            self.trying.send(&[0; SLOTS], true);
        }
    }

    fn next_event(&mut self) -> Option<()> {
        None
    }
}
