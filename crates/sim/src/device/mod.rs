//! One simulated device that is no Art-Net node: a plain host, and whatever it does besides.
//!
//! What it does are its roles, each a small state machine of its own: a source of levels, somebody who tells services, who
//! announces streams, a target of LLRP, a broker of RDMnet, a screen, a camera, a DHCP server, a switch that speaks LLDP, an IGMP querier.

mod announcer;
mod art_net_source;
mod body;
mod clock;
mod dhcp_client;
mod dhcp_server;
mod http;
mod lines;
mod llrp_target;
mod look;
mod neighbour;
mod nmos;
mod onvif;
mod pjlink;
mod querier;
mod rdmnet;
mod responder;
mod rtp_source;
mod sacn_source;
mod setup;
mod snmp;
mod web;

use std::collections::{BTreeMap, VecDeque};
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use crate::Speech;

pub use body::{IpState, Names};
pub use clock::ClockSetup;
pub use dhcp_client::{DhcpClientSetup, DhcpQuirk};
pub use lines::{LinesQuirk, LinesSetup};
pub use llrp_target::{LlrpQuirk, LlrpSetup};
pub use nmos::{NmosQuirk, NmosSetup, PatchTruth, RegistryQuirk, RegistrySetup};
pub use onvif::{OnvifQuirk, OnvifSetup};
pub use pjlink::{PjlinkQuirk, PjlinkSetup};
pub use rdmnet::{BrokerQuirk, BrokerSetup, EndpointTruth, GatewayQuirk, GatewaySetup, MeddlerSetup};
pub use rtp_source::PacketsSetup;
pub(crate) use setup::uid;
pub use setup::{DeviceSetup, ServiceSetup, StreamSetup};
pub use snmp::{SnmpObject, SnmpQuirk, SnmpSetup, SnmpSort, SnmpUser};
pub use web::WebSetup;

use announcer::Announcer;
use art_net_source::ArtNetSource;
use body::Body;
use clock::Clock;
use dhcp_client::DhcpClient;
use dhcp_server::DhcpServer;
use lines::Lines;
use llrp_target::LlrpTarget;
use neighbour::Neighbour;
use nmos::{Nmos, Registry};
use onvif::Onvif;
use pjlink::Pjlink;
use querier::Querier;
use rdmnet::Broker;
use responder::Responder;
use rtp_source::RtpSource;
use sacn_source::SacnSource;
use snmp::Snmp;
use web::Web;

/// Something a device sends.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Utterance {
    /// A datagram.
    Speech(Speech),
    /// A frame, where there are frames.
    Frame(Vec<u8>),
}

/// Something a device says on a connection.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Linked {
    /// These bytes.
    Bytes(Vec<u8>),
    /// It hangs up.
    Close,
}

/// One thing a device does.
trait Role: std::fmt::Debug + Send {
    /// The port it hears and speaks on, where it does so by datagrams.
    fn port(&self) -> Option<u16> {
        None
    }

    /// The group it listens to.
    fn group(&self) -> Option<Ipv4Addr> {
        None
    }

    /// Takes in a datagram that came to its port.
    fn hear(&mut self, _now: Duration, _body: &mut Body, _from: SocketAddrV4, _bytes: &[u8]) {}

    /// Whether it hears whole frames.
    fn hears_frames(&self) -> bool {
        false
    }

    /// Takes in a frame that is for the device, or for everybody.
    fn hear_frame(&mut self, _now: Duration, _body: &mut Body, _frame: &[u8]) {}

    /// Whether it can do nothing as long as the device has no address.
    fn needs_address(&self) -> bool {
        true
    }

    /// The device was switched off.
    fn lose_power(&mut self, _body: &mut Body) {}

    /// For how long it may keep its address; `None` where none was given to it.
    fn lease_left(&self, _now: Duration) -> Option<Duration> {
        None
    }

    /// How often it would not take an address, since somebody had it.
    fn times_declined(&self) -> u32 {
        0
    }

    /// The port on which it takes connections over TCP.
    fn link_port(&self) -> Option<u16> {
        None
    }

    /// Somebody has connected; the connection is called so from now on.
    fn opened(&mut self, _now: Duration, _link: u64) {}

    /// Takes in what came on a connection.
    fn heard_on(&mut self, _now: Duration, _body: &mut Body, _link: u64, _bytes: &[u8]) {}

    /// A connection is over.
    fn closed(&mut self, _link: u64) {}

    /// The next thing it says on a connection.
    fn next_linked(&mut self) -> Option<(u64, Linked)> {
        None
    }

    /// How many requests it carried to those behind it.
    fn requests_carried(&self) -> u32 {
        0
    }

    /// What the ports that are patched through it really are.
    fn endpoints(&self) -> Vec<EndpointTruth> {
        Vec::new()
    }

    /// Of a projector or screen: its power as PJLink codes it, and its input.
    fn screen(&self) -> Option<(u8, String)> {
        None
    }

    /// The lines of text that it was told.
    fn told_lines(&self) -> Vec<String> {
        Vec::new()
    }

    /// What its senders, receivers and outputs of a channel map really are.
    fn patches(&self) -> Vec<PatchTruth> {
        Vec::new()
    }

    /// What its objects of SNMP really hold, by their numbers.
    fn objects(&self) -> BTreeMap<String, String> {
        BTreeMap::new()
    }

    /// What it tells of itself as scopes.
    fn scopes(&self) -> Vec<String> {
        Vec::new()
    }

    /// When it has something to do next.
    fn wake_at(&self) -> Option<Duration>;

    /// Time has passed.
    fn wake(&mut self, now: Duration, body: &mut Body);

    /// The next thing it sends.
    fn next(&mut self) -> Option<Utterance>;
}

/// A device as a state machine without I/O. `now` is always the time since the ground was started.
#[derive(Debug)]
pub struct SimDevice {
    setup: DeviceSetup,
    body: Body,
    on: bool,
    roles: Vec<Box<dyn Role>>,
    said: VecDeque<Utterance>,
}

impl SimDevice {
    /// A device set up so.
    #[must_use]
    pub fn new(mut setup: DeviceSetup) -> Self {
        let nmos = setup.nmos.as_ref().and_then(|nmos| nmos.service(&setup.name));
        let registry = setup.nmos_registry.as_ref().map(|registry| registry.service(&setup.name));
        setup.services.extend(nmos.into_iter().chain(registry));
        let mut roles: Vec<Box<dyn Role>> = Vec::new();
        if let Some(sacn) = &setup.sacn {
            roles.push(Box::new(SacnSource::new(&setup, sacn)));
        }
        if let Some(art_net) = &setup.art_net {
            roles.push(Box::new(ArtNetSource::new(&setup, art_net)));
        }
        if !setup.services.is_empty() {
            roles.push(Box::new(Responder::new(&setup)));
        }
        if !setup.streams.is_empty() {
            roles.push(Box::new(Announcer::new(&setup)));
        }
        for stream in &setup.streams {
            if let Some(packets) = &stream.packets {
                roles.push(Box::new(RtpSource::new(&setup, stream, packets)));
            }
        }
        if let Some(llrp) = &setup.llrp {
            roles.push(Box::new(LlrpTarget::new(&setup, llrp)));
        }
        if let Some(broker) = &setup.broker {
            roles.push(Box::new(Broker::new(broker)));
        }
        if let Some(pjlink) = &setup.pjlink {
            roles.push(Box::new(Pjlink::new(pjlink)));
        }
        if let Some(onvif) = &setup.onvif {
            roles.push(Box::new(Onvif::new(&setup, onvif)));
        }
        if let Some(nmos) = &setup.nmos {
            roles.push(Box::new(Nmos::new(&setup, nmos)));
        }
        if let Some(registry) = &setup.nmos_registry {
            roles.push(Box::new(Registry::new(registry)));
        }
        if let Some(snmp) = &setup.snmp {
            roles.push(Box::new(Snmp::new(&setup, snmp)));
        }
        if let Some(lines) = &setup.lines {
            roles.push(Box::new(Lines::new(lines)));
        }
        if let Some(web) = &setup.web {
            roles.push(Box::new(Web::new(web)));
        }
        if let Some(clock) = &setup.clock {
            roles.push(Box::new(Clock::new(&setup, clock)));
        }
        if let Some(client) = &setup.dhcp_client {
            roles.push(Box::new(DhcpClient::new(&setup.name, setup.mac, client)));
        }
        if let Some(offers) = setup.dhcp_offers {
            roles.push(Box::new(DhcpServer::new(&setup, offers)));
        }
        if let Some(port) = &setup.switch_port {
            roles.push(Box::new(Neighbour::new(&setup, port)));
        }
        if setup.igmp_querier {
            roles.push(Box::new(Querier::asks(&setup)));
        }
        if !setup.groups.is_empty() {
            roles.push(Box::new(Querier::wants(&setup)));
        }
        Self { body: Body::new(&setup), on: setup.arrives.is_zero(), setup, roles, said: VecDeque::new() }
    }

    /// What it is.
    #[must_use]
    pub const fn setup(&self) -> &DeviceSetup {
        &self.setup
    }

    /// Its IP settings at this moment.
    #[must_use]
    pub const fn ip(&self) -> IpState {
        self.body.ip
    }

    /// What it is called on the network at this moment, and whom it asks there.
    #[must_use]
    pub const fn names(&self) -> &Names {
        &self.body.names
    }

    /// Of a projector or screen: its power as PJLink codes it (0 off, 1 on, 2 cooling, 3 warming), and its input.
    #[must_use]
    pub fn screen(&self) -> Option<(u8, String)> {
        self.roles.iter().find_map(|role| role.screen())
    }

    /// The lines of text that it was told so far.
    #[must_use]
    pub fn told_lines(&self) -> Vec<String> {
        self.roles.iter().flat_map(|role| role.told_lines()).collect()
    }

    /// What its senders, receivers and outputs of a channel map really are.
    #[must_use]
    pub fn patches(&self) -> Vec<PatchTruth> {
        self.roles.iter().flat_map(|role| role.patches()).collect()
    }

    /// What its objects of SNMP really hold, by their numbers.
    #[must_use]
    pub fn objects(&self) -> BTreeMap<String, String> {
        self.roles.iter().flat_map(|role| role.objects()).collect()
    }

    /// What it tells of itself as scopes of ONVIF at this moment.
    #[must_use]
    pub fn scopes(&self) -> Vec<String> {
        self.roles.iter().flat_map(|role| role.scopes()).collect()
    }

    /// Whether it hears anything.
    #[must_use]
    pub const fn is_listening(&self) -> bool {
        self.on && !self.body.is_away()
    }

    /// Switches its power.
    pub fn switch(&mut self, on: bool) {
        if self.on && !on {
            self.roles.iter_mut().for_each(|role| role.lose_power(&mut self.body));
        }
        self.on = on;
    }

    /// For how long it may keep the address that a DHCP server gave it; `None` where none did.
    #[must_use]
    pub fn lease_left(&self, now: Duration) -> Option<Duration> {
        self.roles.iter().find_map(|role| role.lease_left(now))
    }

    /// How often it would not take an address, since somebody had it.
    #[must_use]
    pub fn times_declined(&self) -> u32 {
        self.roles.iter().map(|role| role.times_declined()).sum()
    }

    /// Whether it hears whole frames.
    #[must_use]
    pub fn hears_frames(&self) -> bool {
        self.roles.iter().any(|role| role.hears_frames())
    }

    /// Takes in a frame that is for it, or for everybody.
    pub fn hear_frame(&mut self, now: Duration, frame: &[u8]) {
        let hears = self.is_listening();
        for role in self.roles.iter_mut().filter(|role| hears && role.hears_frames()) {
            role.hear_frame(now, &mut self.body, frame);
        }
        self.collect();
    }

    /// Whether it shows which one it is.
    #[must_use]
    pub const fn flashes(&self) -> bool {
        self.body.flashes
    }

    /// How many requests it carried to those behind it.
    #[must_use]
    pub fn requests_carried(&self) -> u32 {
        self.roles.iter().map(|role| role.requests_carried()).sum()
    }

    /// What the ports that are patched through it really are.
    #[must_use]
    pub fn endpoints(&self) -> Vec<EndpointTruth> {
        self.roles.iter().flat_map(|role| role.endpoints()).collect()
    }

    /// The ports it hears and speaks on.
    pub fn ports(&self) -> impl Iterator<Item = u16> + '_ {
        self.roles.iter().filter_map(|role| role.port())
    }

    /// The ports on which it takes connections over TCP.
    pub fn link_ports(&self) -> impl Iterator<Item = u16> + '_ {
        self.roles.iter().filter_map(|role| role.link_port())
    }

    /// Somebody has connected to this port; the connection is called `link` from now on.
    pub fn opened(&mut self, now: Duration, port: u16, link: u64) {
        for role in self.roles.iter_mut().filter(|role| role.link_port() == Some(port)) {
            role.opened(now, link);
        }
    }

    /// Takes in what came on a connection.
    pub fn heard_on(&mut self, now: Duration, link: u64, bytes: &[u8]) {
        let hears = self.is_listening();
        for role in self.roles.iter_mut().filter(|_| hears) {
            role.heard_on(now, &mut self.body, link, bytes);
        }
    }

    /// A connection is over.
    pub fn closed(&mut self, link: u64) {
        self.roles.iter_mut().for_each(|role| role.closed(link));
    }

    /// The next thing it says on a connection; call until `None` after every other call.
    pub fn next_linked(&mut self) -> Option<(u64, Linked)> {
        self.roles.iter_mut().find_map(|role| role.next_linked())
    }

    /// The groups it listens to.
    pub fn groups(&self) -> impl Iterator<Item = Ipv4Addr> + '_ {
        self.roles.iter().filter_map(|role| role.group())
    }

    /// Takes in a datagram that came to this port.
    pub fn hear(&mut self, now: Duration, port: u16, from: SocketAddrV4, bytes: &[u8]) {
        let (hears, has_address) = (self.is_listening(), self.has_address());
        let is_able = |role: &dyn Role| hears && (has_address || !role.needs_address());
        for role in self.roles.iter_mut().filter(|role| is_able(role.as_ref()) && role.port() == Some(port)) {
            role.hear(now, &mut self.body, from, bytes);
        }
        self.collect();
    }

    /// When to call [`SimDevice::wake`] next.
    #[must_use]
    pub fn wake_at(&self) -> Option<Duration> {
        if self.on && self.body.is_away() {
            self.body.wake_at()
        } else if self.on {
            let has_address = self.has_address();
            let able = self.roles.iter().filter(|role| has_address || !role.needs_address());
            able.filter_map(|role| role.wake_at()).min()
        } else {
            Some(self.setup.arrives).filter(|at| !at.is_zero())
        }
    }

    /// Time has passed.
    pub fn wake(&mut self, now: Duration) {
        if !self.on && !self.setup.arrives.is_zero() && self.setup.arrives <= now {
            self.on = true;
            // It came once; switched off later it stays off.
            self.setup.arrives = Duration::ZERO;
        }
        self.body.wake(now);
        let speaks = self.is_listening();
        for role in self.roles.iter_mut().filter(|_| speaks) {
            let is_able = !self.body.ip.address.is_unspecified() || !role.needs_address();
            if is_able && role.wake_at().is_some_and(|at| at <= now) {
                role.wake(now, &mut self.body);
            }
        }
        self.collect();
    }

    /// The next thing it sends; call until `None` after every other call.
    pub fn next_utterance(&mut self) -> Option<Utterance> {
        self.said.pop_front()
    }

    const fn has_address(&self) -> bool {
        !self.body.ip.address.is_unspecified()
    }

    fn collect(&mut self) {
        for role in &mut self.roles {
            while let Some(said) = role.next() {
                self.said.push_back(said);
            }
        }
    }
}

#[cfg(test)]
mod tests;
