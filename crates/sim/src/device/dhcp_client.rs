//! A device that asks for its address (RFC 2131, section 4.4), and chooses one by itself where nobody answers (RFC 3927).

use std::collections::VecDeque;
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::dhcp::{CLIENT_PORT, Dhcp, DhcpKind, SERVER_PORT};
use lantern_wire::{Arp, MacAddress, UdpFrame};
use rand::rngs::StdRng;
use rand::{RngExt, SeedableRng};
use serde::Deserialize;

use super::body::{Body, IpState};
use super::setup::millis;
use super::{Role, Utterance};
use crate::link_local;

const NOTHING: Ipv4Addr = Ipv4Addr::UNSPECIFIED;
/// The first wait of those that double, and the longest (RFC 2131, section 4.1).
const FIRST_WAIT: Duration = Duration::from_secs(4);
const LONGEST_WAIT: Duration = Duration::from_secs(64);
/// Clients that start together wait at random, up to so long, a second either way (sections 4.1, 4.4.1).
const SPREAD: u64 = 1000;
/// How long the wire is asked whether anybody has the address, how often.
const PROBES: u32 = 3;
const PROBE_EVERY: Duration = Duration::from_millis(200);
/// How long it waits after it would not take an address (section 3.1.5).
const AFTER_DECLINE: Duration = Duration::from_secs(10);

/// How a device asks.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct DhcpClientSetup {
    /// After how long without an answer it chooses a link-local address.
    #[serde(default = "patience", rename = "link_local_after_ms", deserialize_with = "millis")]
    pub link_local_after: Duration,
    /// How often it asks again from there.
    #[serde(default = "minute", rename = "again_ms", deserialize_with = "millis")]
    pub again: Duration,
    /// The address it had before it was switched off, for which it asks first.
    pub remembers: Option<Ipv4Addr>,
    /// What it says it is.
    #[serde(default)]
    pub class: String,
    /// The port that a switch adds to its messages, where one does.
    pub circuit: Option<String>,
    /// Its habits.
    #[serde(default)]
    pub quirks: Vec<DhcpQuirk>,
}

/// What the standard leaves open or forbids, and is met all the same.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum DhcpQuirk {
    /// It hears answers for itself only, since it asks for none by broadcast.
    HearsItsOwn,
    /// It takes what it is given without asking the wire.
    TrustsTheServer,
    /// It asks again at half of its lease, whatever it was told.
    KnowsNoTimers,
    /// It never asks again, and drops its address when the lease is over.
    NeverRenews,
    /// It asks for what it was offered, and then not again.
    LosesHeart,
    /// It says whom it means also when it asks again.
    NamesItsServer,
    /// It takes no other address than the one it had.
    KeepsItsOwn,
}

#[derive(Debug, Clone)]
struct Offer {
    address: Ipv4Addr,
    mask: Ipv4Addr,
    router: Ipv4Addr,
    server: Ipv4Addr,
    server_mac: MacAddress,
    lease: Duration,
    renew: Duration,
    rebind: Duration,
}

#[derive(Debug, Clone)]
enum State {
    Off,
    Init,
    Rebooting(Ipv4Addr),
    Selecting,
    Requesting(Offer),
    Checking(Offer, u32),
    Bound(Offer, Duration),
}

#[derive(Debug)]
pub(super) struct DhcpClient {
    setup: DhcpClientSetup,
    own: MacAddress,
    name: String,
    state: State,
    transaction: u32,
    tries: u32,
    /// When it does the next thing.
    at: Duration,
    /// Since when it asks without an answer.
    since: Duration,
    /// The address it had last.
    had: Option<Ipv4Addr>,
    declined: u32,
    dice: StdRng,
    said: VecDeque<Utterance>,
}

impl DhcpClient {
    pub(super) fn new(name: &str, own: MacAddress, setup: &DhcpClientSetup) -> Self {
        let seed = own.0.iter().fold(0, |sum, byte| sum << 8 | u64::from(*byte));
        Self {
            own,
            name: name.to_owned(),
            state: State::Off,
            transaction: 0,
            tries: 0,
            at: Duration::ZERO,
            since: Duration::ZERO,
            had: setup.remembers,
            declined: 0,
            dice: StdRng::seed_from_u64(seed),
            said: VecDeque::new(),
            setup: setup.clone(),
        }
    }

    fn has(&self, quirk: DhcpQuirk) -> bool {
        self.setup.quirks.contains(&quirk)
    }

    fn millis(&mut self, most: u64) -> Duration {
        Duration::from_millis(self.dice.random_range(0..=most))
    }

    fn start(&mut self, now: Duration) {
        self.transaction = self.dice.random();
        (self.tries, self.since) = (0, now);
        self.at = now + self.millis(SPREAD);
        self.state = match self.had {
            Some(address) => State::Rebooting(address),
            None => State::Init,
        };
    }

    fn message(&self, kind: DhcpKind, has: Ipv4Addr) -> Dhcp {
        Dhcp {
            by_broadcast: !self.has(DhcpQuirk::HearsItsOwn),
            has,
            host_name: self.name.clone().into_bytes(),
            class: self.setup.class.clone().into_bytes(),
            client_id: [&[1][..], &self.own.0].concat(),
            relay_info: self.setup.circuit.as_ref().map(|port| circuit(port)).unwrap_or_default(),
            ..Dhcp::from_client(kind, self.transaction, self.own)
        }
    }

    fn send(&mut self, message: &Dhcp, to: Option<(MacAddress, Ipv4Addr)>) {
        let (to_mac, to) = to.unwrap_or((Arp::EVERYBODY, Ipv4Addr::BROADCAST));
        let frame = UdpFrame {
            from_mac: self.own,
            to_mac,
            from: SocketAddrV4::new(message.has, CLIENT_PORT),
            to: SocketAddrV4::new(to, SERVER_PORT),
            payload: &message.to_bytes(),
        };
        self.said.extend(frame.to_bytes().map(Utterance::Frame));
    }

    /// Waits twice as long each time.
    fn wait(&mut self, now: Duration) {
        let wait = (FIRST_WAIT * 2_u32.saturating_pow(self.tries)).min(LONGEST_WAIT);
        self.tries += 1;
        self.at = now + wait - Duration::from_millis(SPREAD) + self.millis(2 * SPREAD);
    }

    fn is_link_local(body: &Body) -> bool {
        body.ip.address.is_link_local()
    }

    /// Does what it is time for.
    fn act(&mut self, now: Duration, body: &mut Body) {
        match self.state.clone() {
            State::Off => {}
            State::Init | State::Selecting => {
                self.state = State::Selecting;
                if !Self::is_link_local(body) && self.tries > 0 && now >= self.since + self.setup.link_local_after
                {
                    let address = link_local::address(self.own);
                    body.ip = IpState { address, mask: link_local::MASK, ..IpState::ASKING };
                    self.announce(address);
                }
                let message = self.message(DhcpKind::DISCOVER, NOTHING);
                self.send(&message, None);
                self.wait(now);
                if Self::is_link_local(body) {
                    self.at = now + self.setup.again;
                }
            }
            State::Rebooting(address) => {
                if self.tries == 2 {
                    self.state = State::Init;
                    return self.act(now, body);
                }
                let message = Dhcp { requested: Some(address), ..self.message(DhcpKind::REQUEST, NOTHING) };
                self.send(&message, None);
                self.wait(now);
            }
            State::Requesting(offer) => {
                if self.tries == 4 || self.tries == 1 && self.has(DhcpQuirk::LosesHeart) {
                    self.had = None;
                    return self.start(now);
                }
                let message = Dhcp {
                    requested: Some(offer.address),
                    server: Some(offer.server),
                    ..self.message(DhcpKind::REQUEST, NOTHING)
                };
                self.send(&message, None);
                self.wait(now);
            }
            State::Checking(offer, rounds) if rounds == PROBES => self.settle(now, body, offer),
            State::Checking(offer, rounds) => {
                self.said.push_back(Utterance::Frame(Arp::probe(self.own, offer.address).to_bytes()));
                self.state = State::Checking(offer, rounds + 1);
                self.at = now + PROBE_EVERY;
            }
            State::Bound(offer, since) => self.renew(now, body, &offer, since),
        }
    }

    /// Takes the address.
    fn settle(&mut self, now: Duration, body: &mut Body, offer: Offer) {
        let Offer { address, mask, router: gateway, .. } = offer;
        body.ip = IpState { address, mask, gateway, dhcp: true };
        self.had = Some(address);
        self.announce(address);
        self.at = now + offer.renew;
        self.state = State::Bound(offer, now);
    }

    fn announce(&mut self, address: Ipv4Addr) {
        self.said.push_back(Utterance::Frame(Arp::announcement(self.own, address).to_bytes()));
    }

    fn renew(&mut self, now: Duration, body: &mut Body, offer: &Offer, since: Duration) {
        let over = since + offer.lease;
        if over <= now {
            self.drop_address(body);
            return self.start(now);
        }
        let named = self.has(DhcpQuirk::NamesItsServer).then_some(offer.server);
        let message = Dhcp { server: named, ..self.message(DhcpKind::REQUEST, offer.address) };
        let by_everybody = now >= since + offer.rebind;
        if !self.has(DhcpQuirk::NeverRenews) {
            self.send(&message, (!by_everybody).then_some((offer.server_mac, offer.server)));
        }
        // Half of what is left, until there is little (section 4.4.5).
        let mark = if by_everybody { over } else { since + offer.rebind };
        self.at = (now + (mark.saturating_sub(now) / 2).max(FIRST_WAIT)).min(over);
    }

    fn drop_address(&self, body: &mut Body) {
        if !self.has(DhcpQuirk::KeepsItsOwn) {
            body.ip = IpState::ASKING;
        }
    }

    fn take(&mut self, now: Duration, body: &mut Body, message: &Dhcp, from: MacAddress) {
        let read = || {
            let lease = Duration::from_secs(message.lease.unwrap_or(86_400).into());
            let timer = |told: Option<u32>, usual: Duration| {
                told.filter(|_| !self.has(DhcpQuirk::KnowsNoTimers))
                    .map_or(usual, |seconds| Duration::from_secs(seconds.into()))
            };
            Some(Offer {
                address: message.yours,
                mask: message.mask.unwrap_or(Ipv4Addr::new(255, 255, 255, 0)),
                router: message.router.unwrap_or(NOTHING),
                server: message.server?,
                server_mac: from,
                lease,
                renew: timer(message.renew_after, lease / 2),
                rebind: timer(message.rebind_after, lease / 8 * 7),
            })
        };
        let Some(offer) = read() else { return };
        let wants = |address| !self.has(DhcpQuirk::KeepsItsOwn) || self.had.is_none_or(|had| had == address);
        match (&self.state, message.kind) {
            (State::Selecting, DhcpKind::OFFER) if wants(offer.address) => {
                self.state = State::Requesting(offer);
                self.tries = 0;
                self.act(now, body);
            }
            (State::Requesting(_) | State::Rebooting(_), DhcpKind::ACK) => {
                self.at = now;
                self.tries = 0;
                let rounds = if self.has(DhcpQuirk::TrustsTheServer) { PROBES } else { 0 };
                self.state = State::Checking(offer, rounds);
                self.act(now, body);
            }
            (State::Bound(before, _), DhcpKind::ACK) if before.address == offer.address => {
                self.at = now + offer.renew;
                self.state = State::Bound(offer, now);
            }
            (State::Requesting(_) | State::Rebooting(_) | State::Bound(..), DhcpKind::NAK) => {
                self.had = self.had.filter(|_| self.has(DhcpQuirk::KeepsItsOwn));
                self.drop_address(body);
                self.transaction = self.dice.random();
                (self.state, self.tries, self.at, self.since) = (State::Init, 0, now + FIRST_WAIT / 4, now);
            }
            _ => {}
        }
    }

    /// Somebody has, or wants, what it is about to take.
    fn decline(&mut self, now: Duration, offer: &Offer) {
        self.declined += 1;
        self.had = None;
        let message = Dhcp {
            requested: Some(offer.address),
            server: Some(offer.server),
            ..self.message(DhcpKind::DECLINE, NOTHING)
        };
        self.send(&message, None);
        (self.state, self.tries, self.at, self.since) = (State::Init, 0, now + AFTER_DECLINE, now);
    }
}

/// What a relay adds (RFC 3046, section 3.1).
fn circuit(port: &str) -> Vec<u8> {
    [&[1, u8::try_from(port.len()).unwrap_or(0)], port.as_bytes()].concat()
}

impl Role for DhcpClient {
    fn hears_frames(&self) -> bool {
        true
    }

    fn needs_address(&self) -> bool {
        false
    }

    fn hear_frame(&mut self, now: Duration, body: &mut Body, frame: &[u8]) {
        if let (Ok(arp), State::Checking(offer, _)) = (Arp::parse(frame), &self.state) {
            let wants = arp.sender.is_unspecified() && arp.target == offer.address;
            if arp.sender_mac != self.own && (arp.sender == offer.address || wants) {
                self.decline(now, &offer.clone());
            }
            return;
        }
        let Ok(frame) = UdpFrame::parse(frame) else { return };
        let is_for_us = frame.to_mac == self.own
            || frame.to_mac == Arp::EVERYBODY && !self.has(DhcpQuirk::HearsItsOwn)
            || frame.to_mac == Arp::EVERYBODY && matches!(self.state, State::Bound(..) | State::Rebooting(_));
        if frame.to.port() != CLIENT_PORT || !is_for_us {
            return;
        }
        if let Ok(message) = Dhcp::parse(frame.payload)
            && message.to_client
            && (message.transaction, message.client) == (self.transaction, self.own)
        {
            self.take(now, body, &message, frame.from_mac);
        }
    }

    fn wake_at(&self) -> Option<Duration> {
        Some(self.at)
    }

    fn wake(&mut self, now: Duration, body: &mut Body) {
        match (body.ip.dhcp, &self.state) {
            (true, State::Off) => self.start(now),
            (true, _) => self.act(now, body),
            (false, _) => (self.state, self.at) = (State::Off, now + Duration::from_secs(1)),
        }
    }

    fn next(&mut self) -> Option<Utterance> {
        self.said.pop_front()
    }

    /// Switched off, it forgets all but the address it had.
    fn lose_power(&mut self, body: &mut Body) {
        (self.state, self.at) = (State::Off, Duration::ZERO);
        if body.ip.dhcp {
            body.ip = IpState::ASKING;
        }
    }

    fn lease_left(&self, now: Duration) -> Option<Duration> {
        match &self.state {
            State::Bound(offer, since) => Some((*since + offer.lease).saturating_sub(now)),
            _ => None,
        }
    }

    fn times_declined(&self) -> u32 {
        self.declined
    }
}

const fn patience() -> Duration {
    Duration::from_secs(10)
}

const fn minute() -> Duration {
    Duration::from_secs(60)
}
