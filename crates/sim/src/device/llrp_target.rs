//! A target of LLRP (E1.33, section 5): it answers searches.

use std::collections::VecDeque;
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::acn::Cid;
use lantern_wire::llrp::{Component, Content, EVERYBODY, MANAGERS, Message, PORT, ProbeReply, TARGETS};
use lantern_wire::rdm::Uid;
use lantern_wire::{MacAddress, UdpFrame};

use super::{DeviceSetup, Role, Utterance};
use crate::{Destination, Speech};

/// The longest it waits at random before it answers (section 5.3).
const LONGEST: u64 = 1500;
/// The most answers kept waiting.
const MOST_WAITING: usize = 16;

#[derive(Debug)]
pub(super) struct LlrpTarget {
    uid: Uid,
    cid: Cid,
    mac: MacAddress,
    address: Ipv4Addr,
    heard: u64,
    waiting: VecDeque<(Duration, Message)>,
    said: VecDeque<Utterance>,
}

impl LlrpTarget {
    pub(super) fn new(device: &DeviceSetup, uid: Uid) -> Self {
        let mut cid = [0x4c; 16];
        cid[10..].copy_from_slice(&uid.0);
        Self {
            uid,
            cid: Cid(cid),
            mac: device.mac,
            address: device.address,
            heard: 0,
            waiting: VecDeque::new(),
            said: VecDeque::new(),
        }
    }

    /// How long it thinks this time: different for each target and each question, and the same in every run.
    fn thinking(&self) -> Duration {
        let mixed = (self.uid.number() ^ (self.heard << 40)).wrapping_mul(0x9e37_79b9_7f4a_7c15);
        Duration::from_millis((mixed >> 33) % LONGEST)
    }

    fn say(&mut self, message: &Message) {
        let (to, bytes) = (SocketAddrV4::new(MANAGERS, PORT), message.to_bytes());
        self.said.extend(if self.address.is_unspecified() {
            let to_mac = MacAddress::of_group(MANAGERS);
            let from = SocketAddrV4::new(self.address, PORT);
            let frame = UdpFrame { from_mac: self.mac, to_mac, from, to, payload: &bytes }.to_bytes();
            frame.map(Utterance::Frame)
        } else {
            Some(Utterance::Speech(Speech { to: Destination::Group(to), port: PORT, bytes }))
        });
    }
}

impl Role for LlrpTarget {
    fn port(&self) -> Option<u16> {
        Some(PORT)
    }

    fn group(&self) -> Option<Ipv4Addr> {
        Some(TARGETS)
    }

    fn hear(&mut self, now: Duration, _: SocketAddrV4, bytes: &[u8]) {
        let Ok(message) = Message::parse(bytes) else { return };
        let Content::Probe(probe) = &message.content else { return };
        if message.to != EVERYBODY || !probe.asks(self.uid) || self.waiting.len() >= MOST_WAITING {
            return;
        }
        self.heard += 1;
        let reply = ProbeReply { uid: self.uid, mac: self.mac, component: Component::DEVICE };
        let answer = Message {
            from: self.cid,
            to: message.from,
            transaction: message.transaction,
            content: Content::Reply(reply),
        };
        self.waiting.push_back((now + self.thinking(), answer));
    }

    fn wake_at(&self) -> Option<Duration> {
        self.waiting.iter().map(|(at, _)| *at).min()
    }

    fn wake(&mut self, now: Duration) {
        let (due, later) = self.waiting.drain(..).partition(|(at, _)| *at <= now);
        self.waiting = later;
        let due: VecDeque<(Duration, Message)> = due;
        for (_, message) in &due {
            self.say(message);
        }
    }

    fn next(&mut self) -> Option<Utterance> {
        self.said.pop_front()
    }
}
