//! One simulated node.

mod program;
mod setup;

use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::art_net::{IpProg, IpProgReply, Message, PORT, Poll, PollReply};
use rand::rngs::StdRng;
use rand::{RngExt, SeedableRng};

pub use setup::{NodeSetup, PagePorts, Reply};

/// A node may wait this long at random before it answers a poll (Art-Net 4, "ArtPoll").
const RANDOM_WAIT: Duration = Duration::from_secs(1);
/// How long it thinks before it answers anything else.
const THINKING: Duration = Duration::from_millis(4);
/// The most answers kept waiting; a real node has little memory too.
const MOST_WAITING: usize = 16;

/// Something a node sends.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Speech {
    /// From which port.
    pub port: u16,
    /// To whom.
    pub to: Destination,
    /// The payload.
    pub bytes: Vec<u8>,
}

/// To whom a node speaks.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Destination {
    /// Everybody on the wire.
    Everybody,
    /// A group, and the port its members hear on.
    Group(SocketAddrV4),
    /// One party.
    One(SocketAddrV4),
}

/// A node as a state machine without I/O. `now` is always the time since the ground was started.
#[derive(Debug)]
pub struct SimNode {
    setup: NodeSetup,
    address: Ipv4Addr,
    mask: Ipv4Addr,
    gateway: Ipv4Addr,
    dhcp: bool,
    pages: Vec<PollReply>,
    power: Power,
    waiting: Vec<(Duration, Answer)>,
    speech: std::collections::VecDeque<Speech>,
    replies_sent: u32,
    dice: StdRng,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Power {
    Off,
    Starting { up_at: Duration },
    On,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Answer {
    /// A poll reply for every page.
    AllPages(Destination),
    /// A poll reply for one page.
    OnePage(usize, Destination),
    /// An ArtIpProgReply.
    IpSettings(SocketAddrV4),
}

impl SimNode {
    /// A node set up so; its random waits follow from `seed`.
    #[must_use]
    pub fn new(setup: NodeSetup, seed: u64) -> Self {
        let mut node = Self {
            address: setup.address,
            mask: setup.mask,
            gateway: setup.gateway,
            dhcp: setup.dhcp,
            pages: setup.poll_replies(),
            power: if setup.off { Power::Off } else { Power::On },
            waiting: Vec::new(),
            speech: std::collections::VecDeque::new(),
            replies_sent: 0,
            dice: StdRng::seed_from_u64(seed),
            setup,
        };
        if node.dhcp {
            node.take_lease();
        }
        node
    }

    /// The name its maker or its owner gave it at the start; names set later show in its replies.
    #[must_use]
    pub fn setup(&self) -> &NodeSetup {
        &self.setup
    }

    /// Its present address.
    #[must_use]
    pub const fn address(&self) -> Ipv4Addr {
        self.address
    }

    /// Its present address, mask and gateway.
    #[must_use]
    pub const fn settings(&self) -> (Ipv4Addr, Ipv4Addr, Ipv4Addr) {
        (self.address, self.mask, self.gateway)
    }

    /// Whether it is on and has started.
    #[must_use]
    pub const fn is_listening(&self) -> bool {
        matches!(self.power, Power::On)
    }

    /// Switches its power.
    pub fn switch(&mut self, now: Duration, on: bool) {
        self.waiting.clear();
        self.power = if on { Power::Starting { up_at: now + self.setup.restart } } else { Power::Off };
    }

    /// Takes in a datagram.
    pub fn hear(&mut self, now: Duration, from: SocketAddrV4, bytes: &[u8]) {
        if !self.is_listening() {
            return;
        }
        match Message::parse(bytes) {
            Ok(Message::Poll(poll)) if self.is_meant_by(&poll) => {
                let wait = self.dice.random_range(Duration::ZERO..RANDOM_WAIT);
                let to = self.answer_to(from);
                self.answer_at(now + self.setup.late + wait, Answer::AllPages(to));
            }
            Ok(Message::IpProg(message)) => self.hear_ip_prog(now, from, &message),
            Ok(Message::Address(message)) => {
                let index = usize::from(message.bind_index.max(1)) - 1;
                if index < self.pages.len() {
                    if !self.setup.refuses {
                        program::program_page(&mut self.pages, index, &message);
                    }
                    let to = self.answer_to(from);
                    self.answer_at(now + THINKING, Answer::OnePage(index, to));
                }
            }
            _ => {}
        }
    }

    fn hear_ip_prog(&mut self, now: Duration, from: SocketAddrV4, message: &IpProg) {
        let to = SocketAddrV4::new(*from.ip(), PORT);
        let (address, mask, gateway, dhcp) = (self.address, self.mask, self.gateway, self.dhcp);
        let obeys = !self.setup.refuses && self.program_ip(message);
        self.answer_at(now + THINKING, Answer::IpSettings(to));
        if obeys && (address, mask, gateway, dhcp) != (self.address, self.mask, self.gateway, self.dhcp) {
            // The acknowledgement still goes out from where the node was; then it restarts.
            self.flush_answers();
            self.power = Power::Starting { up_at: now + self.setup.restart };
        }
    }

    /// When to call [`SimNode::wake`] next.
    #[must_use]
    pub fn wake_at(&self) -> Option<Duration> {
        match self.power {
            Power::Off => None,
            Power::Starting { up_at } => Some(up_at),
            Power::On => self.waiting.iter().map(|(at, _)| *at).min(),
        }
    }

    /// Time has passed.
    pub fn wake(&mut self, now: Duration) {
        if let Power::Starting { up_at } = self.power
            && up_at <= now
        {
            self.power = Power::On;
            self.say(Answer::AllPages(Destination::Everybody));
        }
        if !self.is_listening() {
            return;
        }
        self.waiting.sort_by_key(|(at, _)| *at);
        let due = self.waiting.partition_point(|(at, _)| *at <= now);
        for (_, answer) in self.waiting.drain(..due).collect::<Vec<_>>() {
            self.say(answer);
        }
    }

    /// The next thing it sends; call until `None` after every other call.
    pub fn next_speech(&mut self) -> Option<Speech> {
        self.speech.pop_front()
    }

    fn is_meant_by(&self, poll: &Poll) -> bool {
        let Some(target) = poll.target.filter(|_| poll.flags.targeted()) else { return true };
        let carries = |page: &PollReply| {
            let base = u16::from(page.net & 0x7f) << 8 | u16::from(page.sub & 0x0f) << 4;
            let ports = page.stated_ports().iter().flat_map(|port| [port.switch_in, port.switch_out]);
            ports.map(|switch| base | u16::from(switch & 0x0f)).any(|a| (target.bottom..=target.top).contains(&a))
        };
        self.pages.iter().any(carries)
    }

    fn answer_to(&self, from: SocketAddrV4) -> Destination {
        match self.setup.reply {
            Reply::ToPoller => Destination::One(from),
            Reply::ToEverybody => Destination::Everybody,
        }
    }

    fn answer_at(&mut self, at: Duration, answer: Answer) {
        if self.waiting.len() < MOST_WAITING {
            self.waiting.push((at, answer));
        }
    }

    fn flush_answers(&mut self) {
        for (_, answer) in std::mem::take(&mut self.waiting) {
            if matches!(answer, Answer::IpSettings(_)) {
                self.say(answer);
            }
        }
    }

    fn say(&mut self, answer: Answer) {
        match answer {
            Answer::AllPages(to) => (0..self.pages.len()).for_each(|page| self.say_page(page, to)),
            Answer::OnePage(page, to) => self.say_page(page, to),
            Answer::IpSettings(to) => {
                let reply = IpProgReply {
                    address: self.address,
                    mask: self.mask,
                    port: PORT,
                    status: if self.dhcp { IpProgReply::STATUS_DHCP } else { 0 },
                    gateway: self.gateway,
                };
                self.speech.push_back(Speech { port: PORT, to: Destination::One(to), bytes: reply.to_bytes() });
            }
        }
    }

    fn say_page(&mut self, index: usize, to: Destination) {
        self.replies_sent += 1;
        let mut reply = self.pages[index].clone();
        reply.address = self.address;
        reply.bind_address = self.address;
        reply.status2 = reply.status2.with(1, self.dhcp);
        reply.report = lantern_wire::Text::cut(&format!("#0001 [{:04}] ready", self.replies_sent % 10_000));
        self.speech.push_back(Speech { port: PORT, to, bytes: reply.to_bytes() });
    }
}

#[cfg(test)]
mod tests;
