//! In memory, under a virtual clock that jumps from one event to the next.

use std::cmp::Reverse;
use std::collections::BinaryHeap;
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::art_net::PORT;

use crate::{Destination, Link, SimNode};

/// A whole network of nodes and one guest: the program under test.
#[derive(Debug)]
pub struct MemoryGround {
    nodes: Vec<SimNode>,
    link: Link,
    guest: SocketAddrV4,
    broadcasts: Vec<Ipv4Addr>,
    now: Duration,
    sent: u64,
    under_way: BinaryHeap<Reverse<(Duration, u64, Frame)>>,
}

#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
struct Frame {
    to: Party,
    from: SocketAddrV4,
    bytes: Vec<u8>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Party {
    Guest,
    Node(usize),
}

/// A datagram that reached the guest.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Heard {
    /// When.
    pub at: Duration,
    /// Who sent it.
    pub from: SocketAddrV4,
    /// Its payload.
    pub bytes: Vec<u8>,
}

impl MemoryGround {
    /// A ground for these nodes. Whatever the guest sends to one of `broadcasts` reaches every node.
    #[must_use]
    pub fn new(nodes: Vec<SimNode>, link: Link, guest: Ipv4Addr, broadcasts: Vec<Ipv4Addr>) -> Self {
        Self {
            nodes,
            link,
            guest: SocketAddrV4::new(guest, PORT),
            broadcasts,
            now: Duration::ZERO,
            sent: 0,
            under_way: BinaryHeap::new(),
        }
    }

    /// The virtual time.
    #[must_use]
    pub const fn now(&self) -> Duration {
        self.now
    }

    /// The nodes.
    #[must_use]
    pub fn nodes(&self) -> &[SimNode] {
        &self.nodes
    }

    /// The nodes, to switch their power.
    pub fn nodes_mut(&mut self) -> &mut [SimNode] {
        &mut self.nodes
    }

    /// The guest sends a datagram.
    pub fn send(&mut self, to: SocketAddrV4, bytes: &[u8]) {
        let everybody = self.broadcasts.contains(to.ip());
        for index in 0..self.nodes.len() {
            if everybody || self.nodes[index].address() == *to.ip() {
                self.carry(Party::Node(index), self.guest, bytes.to_vec());
            }
        }
    }

    fn carry(&mut self, to: Party, from: SocketAddrV4, bytes: Vec<u8>) {
        if self.link.delivers() {
            let at = self.now + self.link.latency();
            self.sent += 1;
            self.under_way.push(Reverse((at, self.sent, Frame { to, from, bytes })));
        }
    }

    /// Lets time pass until something reaches the guest, or until `deadline`.
    pub fn run_until(&mut self, deadline: Duration) -> Option<Heard> {
        loop {
            let frame_at = self.under_way.peek().map(|Reverse((at, ..))| *at);
            let node_at = self.nodes.iter().filter_map(SimNode::wake_at).min();
            let next = frame_at.into_iter().chain(node_at).min().filter(|at| *at <= deadline);
            let Some(next) = next else {
                self.now = self.now.max(deadline);
                return None;
            };
            self.now = self.now.max(next);
            if frame_at == Some(next) {
                if let Some(heard) = self.deliver() {
                    return Some(heard);
                }
            } else {
                self.wake_nodes();
            }
        }
    }

    fn deliver(&mut self) -> Option<Heard> {
        let Reverse((at, _, frame)) = self.under_way.pop()?;
        match frame.to {
            Party::Guest => Some(Heard { at, from: frame.from, bytes: frame.bytes }),
            Party::Node(index) => {
                let was_at = self.nodes[index].address();
                self.nodes[index].hear(at, frame.from, &frame.bytes);
                self.let_speak(index, was_at);
                None
            }
        }
    }

    fn wake_nodes(&mut self) {
        for index in 0..self.nodes.len() {
            if self.nodes[index].wake_at().is_some_and(|at| at <= self.now) {
                self.nodes[index].wake(self.now);
                self.let_speak(index, self.nodes[index].address());
            }
        }
    }

    fn let_speak(&mut self, index: usize, source: Ipv4Addr) {
        while let Some(speech) = self.nodes[index].next_speech() {
            let reaches_guest = match speech.to {
                Destination::Everybody | Destination::Group(_) => true,
                Destination::One(party) => party == self.guest,
            };
            if reaches_guest {
                self.carry(Party::Guest, SocketAddrV4::new(source, PORT), speech.bytes);
            }
        }
    }
}
