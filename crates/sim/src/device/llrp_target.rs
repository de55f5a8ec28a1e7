//! A target of LLRP (E1.33, section 5): it answers searches, and lets its IP settings be read and set (E1.37-2). Nothing
//! that is set takes effect before it is told to apply it.

use std::collections::VecDeque;
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::acn::Cid;
use lantern_wire::llrp::{Component, Content, EVERYBODY, MANAGERS, Message, PORT, ProbeReply, TARGETS};
use lantern_wire::rdm::network::{self, InterfaceAddress, InterfaceId};
use lantern_wire::rdm::parameter::{self, Refusal};
use lantern_wire::rdm::{self, COMPONENT_SCOPE, Class, ComponentScope, ResponseType, Uid};
use lantern_wire::{MacAddress, UdpFrame};
use serde::Deserialize;

use super::body::{Body, IpState};
use super::setup::{millis, uid};
use super::{DeviceSetup, Role, Utterance};
use crate::{Destination, Speech};

/// The longest it waits at random before it answers a search (section 5.3).
const LONGEST: u64 = 1500;
/// The most answers kept waiting.
const MOST_WAITING: usize = 16;
/// How late one answers that is slow.
const LATE: Duration = Duration::from_millis(900);

/// A target as a scene describes it.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct LlrpSetup {
    /// Its RDM identifier.
    #[serde(deserialize_with = "uid")]
    pub uid: Uid,
    /// What its owner calls it.
    #[serde(default)]
    pub label: String,
    /// How long it is silent when it takes other settings.
    #[serde(default = "usual_restart", rename = "restart_ms", deserialize_with = "millis")]
    pub restart: Duration,
    /// Its habits.
    #[serde(default)]
    pub quirks: Vec<LlrpQuirk>,
}

/// What the standard leaves open or forbids, and is met all the same.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum LlrpQuirk {
    /// Says that it applies its settings, and does not.
    IgnoresApply,
    /// Takes a static address at once, without being told to apply it.
    TakesAtOnce,
    /// Tells the address it is going to have as the one it has.
    TellsWhatIsMeant,
    /// Loses its gateway whenever it applies settings.
    LosesGateway,
    /// Knows no gateway.
    HasNoGateway,
    /// Says that it goes off DHCP, and stays on it.
    StaysOnDhcp,
    /// Refuses a static address.
    RefusesAddress,
    /// Cannot be told about DHCP.
    HasNoMode,
    /// Answers orders late.
    AnswersLate,
    /// Answers the first question of a kind with "not yet".
    PutsOff,
    /// Has another interface before the one it is found by.
    HasTwoInterfaces,
    /// Comes up one address further than told.
    ComesUpElsewhere,
    /// Goes off when it applies settings, for good.
    DiesOfApplying,
    /// Answers searches and nothing else.
    OnlyProbes,
    /// Answers every question twice.
    AnswersTwice,
    /// Keeps only the first eight bytes of its label.
    CutsLabels,
    /// Ends texts with zeros.
    EndsTextsWithZero,
    /// Does not show which one it is.
    CannotIdentify,
    /// Knows nothing of names, servers of names and brokers.
    KnowsNoNames,
    /// Loses its names whenever it applies settings.
    LosesNames,
    /// Answers apply only when it has applied, from its new address.
    AnswersApplyAfterwards,
}

const fn usual_restart() -> Duration {
    Duration::from_millis(300)
}

/// What is to become of it when it is told to apply.
#[derive(Debug, Clone)]
struct Pending {
    address: Ipv4Addr,
    prefix: u8,
    gateway: Ipv4Addr,
    dhcp: bool,
    host_name: String,
    name_server: Ipv4Addr,
}

#[derive(Debug)]
pub(super) struct LlrpTarget {
    setup: LlrpSetup,
    cid: Cid,
    heard: u64,
    pending: Pending,
    put_off: Vec<u16>,
    waiting: VecDeque<(Duration, Message)>,
    said: VecDeque<Utterance>,
    dead: bool,
}

impl LlrpTarget {
    pub(super) fn new(device: &DeviceSetup, setup: &LlrpSetup) -> Self {
        let mut cid = [0x4c; 16];
        cid[4..10].copy_from_slice(&device.mac.0);
        cid[10..].copy_from_slice(&setup.uid.0);
        let prefix = u8::try_from(device.mask.to_bits().leading_ones()).unwrap_or(32);
        Self {
            setup: setup.clone(),
            cid: Cid(cid),
            heard: 0,
            pending: Pending {
                address: device.address,
                prefix,
                gateway: device.gateway,
                dhcp: device.dhcp,
                host_name: device.name.clone(),
                name_server: Ipv4Addr::UNSPECIFIED,
            },
            put_off: Vec::new(),
            waiting: VecDeque::new(),
            said: VecDeque::new(),
            dead: false,
        }
    }

    fn has(&self, quirk: LlrpQuirk) -> bool {
        self.setup.quirks.contains(&quirk)
    }

    /// The interface it is found by.
    fn interface(&self) -> InterfaceId {
        InterfaceId(if self.has(LlrpQuirk::HasTwoInterfaces) { 2 } else { 1 })
    }

    /// How long it thinks this time: different for each target and each question, and the same in every run.
    fn thinking(&self) -> Duration {
        let mixed = (self.setup.uid.number() ^ (self.heard << 40)).wrapping_mul(0x9e37_79b9_7f4a_7c15);
        Duration::from_millis((mixed >> 33) % LONGEST)
    }

    fn say(&mut self, body: &Body, message: &Message) {
        let (to, bytes) = (SocketAddrV4::new(MANAGERS, PORT), message.to_bytes());
        self.said.extend(if body.ip.address.is_unspecified() {
            let to_mac = MacAddress::of_group(MANAGERS);
            let from = SocketAddrV4::new(body.ip.address, PORT);
            let frame = UdpFrame { from_mac: body.mac, to_mac, from, to, payload: &bytes }.to_bytes();
            frame.map(Utterance::Frame)
        } else {
            Some(Utterance::Speech(Speech { to: Destination::Group(to), port: PORT, bytes }))
        });
    }

    fn hear_probe(&mut self, now: Duration, body: &Body, message: &Message) {
        self.heard += 1;
        let reply = ProbeReply { uid: self.setup.uid, mac: body.mac, component: Component::DEVICE };
        self.answer(now + self.thinking(), message, Content::Reply(reply));
    }

    fn answer(&mut self, at: Duration, question: &Message, content: Content) {
        let answer = Message { from: self.cid, to: question.from, transaction: question.transaction, content };
        if self.waiting.len() < MOST_WAITING {
            self.waiting.push_back((at, answer));
        }
    }

    fn hear_order(&mut self, now: Duration, body: &mut Body, message: &Message, order: &rdm::Message) {
        let is_set = order.class == Class::SET;
        if order.to != self.setup.uid || !(is_set || order.class == Class::GET) {
            return;
        }
        let puts_off = self.has(LlrpQuirk::PutsOff) && !self.put_off.contains(&order.parameter);
        let (response, data) = if puts_off {
            self.put_off.push(order.parameter);
            (ResponseType::ACK_TIMER, vec![0, 3])
        } else {
            match if is_set { self.take(now, body, order) } else { self.tell(body, order) } {
                Ok(data) => (ResponseType::ACK, data),
                Err(refusal) => (ResponseType::NACK, refusal.0.to_be_bytes().to_vec()),
            }
        };
        let answer = order.answered(response, data);
        let mut at = now + if self.has(LlrpQuirk::AnswersLate) { LATE } else { Duration::from_millis(2) };
        if order.parameter == network::APPLY && is_set && self.has(LlrpQuirk::AnswersApplyAfterwards) {
            at = now + self.setup.restart + Duration::from_millis(50);
        }
        for _ in 0..1 + u8::from(self.has(LlrpQuirk::AnswersTwice)) {
            self.answer(at, message, Content::Rdm(answer.clone()));
        }
        // What it says of applying leaves before it falls silent.
        if order.parameter == network::APPLY && body.is_away() && at < now + self.setup.restart {
            while let Some((_, message)) = self.waiting.pop_front() {
                self.say(body, &message);
            }
        }
    }

    fn tell(&self, body: &Body, order: &rdm::Message) -> Result<Vec<u8>, Refusal> {
        let own = self.interface();
        let id = |data: &[u8]| data.first_chunk().map(|id| InterfaceId(u32::from_be_bytes(*id)));
        let of_own = || if id(&order.data) == Some(own) { Ok(()) } else { Err(Refusal::OUT_OF_RANGE) };
        let as_text = |text: &str| {
            let end: &[u8] = if self.has(LlrpQuirk::EndsTextsWithZero) { &[0] } else { &[] };
            [text.as_bytes(), end].concat()
        };
        Ok(match order.parameter {
            network::LIST_INTERFACES => {
                (1..=own.0).flat_map(|id| [&id.to_be_bytes()[..], &[0, 1]].concat()).collect()
            }
            network::HARDWARE_ADDRESS => match id(&order.data) {
                Some(asked) if asked == own => [&own.to_bytes()[..], &body.mac.0].concat(),
                Some(asked) if asked.0 < own.0 => [&asked.to_bytes()[..], &[2, 0, 0, 0, 0, 1]].concat(),
                _ => return Err(Refusal::OUT_OF_RANGE),
            },
            network::CURRENT_ADDRESS => {
                of_own()?;
                let ip = body.ip;
                let prefix = u8::try_from(ip.mask.to_bits().leading_ones()).unwrap_or(32);
                let meant = self.has(LlrpQuirk::TellsWhatIsMeant) && !self.pending.dhcp;
                let (address, prefix) =
                    if meant { (self.pending.address, self.pending.prefix) } else { (ip.address, prefix) };
                let known = if self.has(LlrpQuirk::HasNoMode) {
                    2
                } else {
                    u8::from(ip.dhcp && !ip.address.is_link_local())
                };
                [InterfaceAddress { id: own, address, prefix }.to_bytes(), vec![known]].concat()
            }
            network::STATIC_ADDRESS => {
                of_own()?;
                InterfaceAddress { id: own, address: self.pending.address, prefix: self.pending.prefix }.to_bytes()
            }
            network::DHCP_MODE if !self.has(LlrpQuirk::HasNoMode) => {
                of_own()?;
                network::set_dhcp_mode(own, self.pending.dhcp)
            }
            network::DEFAULT_ROUTE if !self.has(LlrpQuirk::HasNoGateway) => {
                network::set_default_route(own, body.ip.gateway)
            }
            _ if self.has(LlrpQuirk::KnowsNoNames)
                && matches!(order.parameter, network::HOST_NAME | network::NAME_SERVER | COMPONENT_SCOPE) =>
            {
                return Err(Refusal::UNKNOWN);
            }
            network::HOST_NAME => as_text(&body.names.host_name),
            network::NAME_SERVER => match order.data[..] {
                [0] => network::set_name_server(0, body.names.name_server),
                [index @ 1..=2] => network::set_name_server(index, Ipv4Addr::UNSPECIFIED),
                _ => return Err(Refusal::OUT_OF_RANGE),
            },
            COMPONENT_SCOPE => match order.data[..] {
                [0, 1] => ComponentScope { slot: 1, scope: body.names.scope.clone(), broker: body.names.broker }
                    .to_bytes(),
                _ => return Err(Refusal::OUT_OF_RANGE),
            },
            parameter::DEVICE_LABEL => as_text(&self.setup.label),
            parameter::MAKER_LABEL => as_text("Marrowbright"),
            parameter::MODEL_DESCRIPTION => as_text("Beacon"),
            parameter::IDENTIFY_DEVICE if !self.has(LlrpQuirk::CannotIdentify) => vec![u8::from(body.flashes)],
            _ => return Err(Refusal::UNKNOWN),
        })
    }

    fn take(&mut self, now: Duration, body: &mut Body, order: &rdm::Message) -> Result<Vec<u8>, Refusal> {
        let own = self.interface();
        match order.parameter {
            network::STATIC_ADDRESS => {
                let wanted = network::static_address(&order.data).ok_or(Refusal::OUT_OF_RANGE)?;
                if wanted.id != own {
                    return Err(Refusal::OUT_OF_RANGE);
                }
                if self.has(LlrpQuirk::RefusesAddress) {
                    return Err(Refusal::WRITE_PROTECTED);
                }
                (self.pending.address, self.pending.prefix) = (wanted.address, wanted.prefix);
                if self.has(LlrpQuirk::TakesAtOnce) {
                    self.apply(now, body);
                }
            }
            network::DHCP_MODE if !self.has(LlrpQuirk::HasNoMode) => {
                let (id, on) = network::dhcp_mode(&order.data).ok_or(Refusal::OUT_OF_RANGE)?;
                if id != own {
                    return Err(Refusal::OUT_OF_RANGE);
                }
                self.pending.dhcp = on || (self.pending.dhcp && self.has(LlrpQuirk::StaysOnDhcp));
            }
            network::DEFAULT_ROUTE if !self.has(LlrpQuirk::HasNoGateway) => {
                self.pending.gateway = network::default_route(&order.data).ok_or(Refusal::OUT_OF_RANGE)?.1;
            }
            _ if self.has(LlrpQuirk::KnowsNoNames)
                && matches!(order.parameter, network::HOST_NAME | network::NAME_SERVER | COMPONENT_SCOPE) =>
            {
                return Err(Refusal::UNKNOWN);
            }
            network::HOST_NAME if (1..=network::MOST_HOST_NAME).contains(&order.data.len()) => {
                self.pending.host_name = rdm::text::read(&order.data);
            }
            network::NAME_SERVER => match network::name_server(&order.data) {
                Some((0, server)) => self.pending.name_server = server,
                _ => return Err(Refusal::OUT_OF_RANGE),
            },
            COMPONENT_SCOPE => match ComponentScope::read(&order.data) {
                Some(told) if told.slot == 1 => (body.names.scope, body.names.broker) = (told.scope, told.broker),
                _ => return Err(Refusal::OUT_OF_RANGE),
            },
            network::APPLY => {
                if order.data != own.to_bytes() {
                    return Err(Refusal::OUT_OF_RANGE);
                }
                if !self.has(LlrpQuirk::IgnoresApply) {
                    self.apply(now, body);
                }
            }
            parameter::DEVICE_LABEL => {
                if order.data.len() > parameter::MOST_LABEL {
                    return Err(Refusal(1));
                }
                let keeps = if self.has(LlrpQuirk::CutsLabels) { 8 } else { parameter::MOST_LABEL };
                self.setup.label = String::from_utf8_lossy(&order.data).chars().take(keeps).collect();
            }
            parameter::IDENTIFY_DEVICE if !self.has(LlrpQuirk::CannotIdentify) => match order.data[..] {
                [on @ (0 | 1)] => body.flashes = on == 1,
                _ => return Err(Refusal::OUT_OF_RANGE),
            },
            _ => return Err(Refusal::UNKNOWN),
        }
        Ok(Vec::new())
    }

    fn apply(&mut self, now: Duration, body: &mut Body) {
        if self.has(LlrpQuirk::LosesGateway) {
            self.pending.gateway = Ipv4Addr::UNSPECIFIED;
        }
        self.dead |= self.has(LlrpQuirk::DiesOfApplying);
        let further = u32::from(self.has(LlrpQuirk::ComesUpElsewhere));
        if self.has(LlrpQuirk::LosesNames) {
            (self.pending.host_name, self.pending.name_server) = (String::new(), Ipv4Addr::UNSPECIFIED);
        }
        let Pending { address, prefix, gateway, dhcp, host_name, name_server } = self.pending.clone();
        (body.names.host_name, body.names.name_server) = (host_name, name_server);
        let mask = InterfaceAddress { id: self.interface(), address, prefix }.mask();
        let address = Ipv4Addr::from_bits(address.to_bits().wrapping_add(further));
        body.change(now + self.setup.restart, IpState { address, mask, gateway, dhcp });
    }
}

impl Role for LlrpTarget {
    fn port(&self) -> Option<u16> {
        Some(PORT)
    }

    /// It speaks to a group, and may do so from no address at all.
    fn needs_address(&self) -> bool {
        false
    }

    fn group(&self) -> Option<Ipv4Addr> {
        Some(TARGETS)
    }

    fn hear(&mut self, now: Duration, body: &mut Body, _: SocketAddrV4, bytes: &[u8]) {
        let Ok(message) = Message::parse(bytes) else { return };
        if self.dead {
            return;
        }
        match &message.content {
            Content::Probe(probe) if message.to == EVERYBODY && probe.asks(self.setup.uid) => {
                self.hear_probe(now, body, &message);
            }
            Content::Rdm(order) if message.to == self.cid && !self.has(LlrpQuirk::OnlyProbes) => {
                self.hear_order(now, body, &message, order);
            }
            _ => {}
        }
    }

    fn wake_at(&self) -> Option<Duration> {
        self.waiting.iter().map(|(at, _)| *at).min()
    }

    fn wake(&mut self, now: Duration, body: &mut Body) {
        let (due, later) = self.waiting.drain(..).partition(|(at, _)| *at <= now);
        self.waiting = later;
        let due: VecDeque<(Duration, Message)> = due;
        for (_, message) in &due {
            self.say(body, message);
        }
    }

    fn next(&mut self) -> Option<Utterance> {
        self.said.pop_front()
    }
}
