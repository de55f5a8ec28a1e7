//! Streams listened to for a while: their groups are joined, what comes is counted, and the groups are left with the sockets.

use std::collections::VecDeque;
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::rtp::Rtp;
use lantern_wire::{Carries, Packet};

use super::{Conversation, Heard, Outgoing, Vantage};
use crate::flow::Flow;

/// The most senders of one group that are told apart.
const MOST_SENDERS: usize = 16;

/// A stream that is listened to, or one leg of it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FlowOf {
    /// What it is called.
    pub name: String,
    /// Its group and port.
    pub group: SocketAddrV4,
    /// How many ticks its clock makes in a second, where that is known.
    pub clock: Option<u32>,
    /// Who is to send it, where that is known.
    pub sender: Option<Ipv4Addr>,
    /// What came, one for each sender.
    pub flows: Vec<Flow>,
    /// What came there and is no RTP, or of one sender too many.
    pub foreign: u64,
}

/// Listens for so long.
#[derive(Debug)]
pub struct Flowing {
    vantage: Vantage,
    all: Vec<FlowOf>,
    end: Duration,
    ready: VecDeque<Outgoing>,
    begun: bool,
    over: bool,
}

impl FlowOf {
    /// One of which nothing came yet.
    #[must_use]
    pub const fn new(name: String, group: SocketAddrV4, clock: Option<u32>, sender: Option<Ipv4Addr>) -> Self {
        Self { name, group, clock, sender, flows: Vec::new(), foreign: 0 }
    }

    /// What is wrong with it, in words; nothing where it comes whole and from whom it should.
    #[must_use]
    pub fn troubles(&self) -> Vec<String> {
        let mut troubles = Vec::new();
        if self.flows.is_empty() {
            troubles.push(if self.foreign > 0 { "what comes is no RTP" } else { "nothing comes" }.to_owned());
        }
        if self.flows.len() > 1 {
            troubles.push(format!("{} senders at once", self.flows.len()));
        }
        for flow in &self.flows {
            if let Some(sender) = self.sender.filter(|sender| *sender != flow.from) {
                troubles.push(format!("from {}, planned {sender}", flow.from));
            }
            if flow.lost > 0 {
                let all = flow.packets + flow.lost;
                let gaps = if flow.gaps == 1 { "1 gap".to_owned() } else { format!("{} gaps", flow.gaps) };
                troubles.push(format!("{} of {all} missing, in {gaps}", flow.lost));
            }
            if flow.restarts > 0 {
                troubles.push(format!("began anew {} ×", flow.restarts));
            }
        }
        troubles
    }

    fn take(&mut self, now: Duration, from: Ipv4Addr, bytes: &[u8]) {
        let Ok(packet) = Rtp::parse(bytes) else {
            self.foreign += 1;
            return;
        };
        let place = self.flows.iter().position(|flow| flow.from == from && flow.source == packet.source);
        match place {
            Some(place) => self.flows[place].take(now, &packet, bytes.len()),
            None if self.flows.len() < MOST_SENDERS => {
                self.flows.push(Flow::new(now, from, &packet, bytes.len(), self.clock));
            }
            None => self.foreign += 1,
        }
    }
}

impl Flowing {
    /// The most streams at a time.
    pub const MOST: usize = 32;

    /// Listens to these for so long.
    #[must_use]
    pub fn new(vantage: Vantage, all: Vec<FlowOf>, length: Duration) -> Self {
        Self { vantage, all, end: length, ready: VecDeque::new(), begun: false, over: false }
    }

    /// What came.
    #[must_use]
    pub fn all(&self) -> &[FlowOf] {
        &self.all
    }

    fn take(&mut self, now: Duration, from: Ipv4Addr, is_meant: impl Fn(&SocketAddrV4) -> bool, bytes: &[u8]) {
        // Two streams may be planned for one group.
        self.all.iter_mut().filter(|of| is_meant(&of.group)).for_each(|of| of.take(now, from, bytes));
    }
}

impl Conversation for Flowing {
    type Event = ();

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        match heard {
            // A socket says at which port something came, and not to which group.
            Heard::Datagram(heard) if !self.vantage.means.frames => {
                let port = heard.port;
                self.take(now, *heard.from.ip(), |group| group.port() == port, heard.bytes);
            }
            Heard::Frame(frame) => {
                if let Ok(Packet { carries: Carries::Udp { from, to, payload }, .. }) = Packet::parse(frame) {
                    self.take(now, *from.ip(), |group| *group == to, payload);
                }
            }
            _ => {}
        }
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.ready.pop_front()
    }

    fn wake_at(&self) -> Option<Duration> {
        (!self.over).then_some(if self.begun { self.end } else { Duration::ZERO })
    }

    fn wake(&mut self, now: Duration) {
        if !std::mem::replace(&mut self.begun, true) {
            let seats = self.vantage.seats.len();
            let groups = self.all.iter().map(|of| of.group).filter(|group| group.ip().is_multicast());
            self.ready.extend(groups.flat_map(|group| Outgoing::join(seats, *group.ip(), group.port())));
        }
        self.over = self.end <= now;
    }

    fn next_event(&mut self) -> Option<()> {
        None
    }
}
