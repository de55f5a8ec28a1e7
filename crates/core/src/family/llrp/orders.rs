//! The orders that make a step come true, one after the other, each awaited.
//!
//! Nothing of the IP settings takes effect before the last of them. So what is refused half way is put back, and never
//! applied.

use std::collections::VecDeque;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::llrp::{Content, Message};
use lantern_wire::rdm::network::{self, InterfaceAddress, InterfaceId};
use lantern_wire::rdm::parameter::{self, Refusal};
use lantern_wire::rdm::{COMPONENT_SCOPE, Class, ComponentScope, FIRST_SLOT, ResponseType};

use super::line::{Line, Target};
use super::reading::{FIRST_SERVER, Reading};
use crate::Indicators;
use crate::conversation::Outgoing;
use crate::facts::{Difference, Facts, Field, Value};
use crate::family::rdm::timer;

/// How long an answer to an order may take before the order is sent again.
const ANSWER_TIME: Duration = Duration::from_millis(500);
/// How often the same order is sent.
const SENDS: u32 = 6;

/// One order.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Order {
    parameter: u16,
    data: Vec<u8>,
    /// Whether the step can come true also where it is refused.
    optional: bool,
}

/// How the orders ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum End {
    /// All were taken.
    Taken,
    /// The device refused one; what was taken before is put back.
    Refused(Refusal),
    /// One was never answered.
    Unanswered,
}

/// Orders under way to one target.
#[derive(Debug)]
pub(super) struct Orders {
    target: Target,
    open: VecDeque<Order>,
    /// What puts back the orders taken so far, the last first.
    back: VecDeque<Order>,
    refused: Option<Refusal>,
    sent: u32,
    numbers: Vec<u32>,
    again_at: Duration,
    applied: bool,
    pub(super) end: Option<End>,
}

impl Orders {
    /// The orders of a step of these differences, to a target that was read before. What it has not told this time it had when it
    /// was `found`.
    pub(super) fn of(
        now: Duration,
        reading: &Reading,
        found: &Facts,
        address: Ipv4Addr,
        step: &[Difference],
    ) -> Self {
        let interface = reading.interface().unwrap_or(InterfaceId(0));
        let ip = Ip::wanted(reading, found, address, step);
        let single = step.iter().filter_map(single).chain(scope(step, &reading.facts, found));
        let is_ip = step.iter().any(|difference| difference.field.is_ip());
        let names = step.iter().filter_map(of_names);
        let mut orders: Vec<Order> = names.chain(if is_ip { ip.orders(interface) } else { Vec::new() }).collect();
        if !orders.is_empty() {
            orders.push(Order { parameter: network::APPLY, data: interface.to_bytes().to_vec(), optional: false });
        }
        Self {
            target: reading.target,
            open: single.chain(orders).collect(),
            back: VecDeque::new(),
            refused: None,
            sent: 0,
            numbers: Vec::new(),
            again_at: now,
            applied: false,
            end: None,
        }
    }

    /// When it sends next.
    pub(super) const fn next_at(&self) -> Duration {
        self.again_at
    }

    /// Whether the device said that it applies its settings.
    pub(super) const fn is_applied(&self) -> bool {
        self.applied
    }

    /// Sends what is due by now.
    pub(super) fn send(&mut self, now: Duration, line: &mut Line, out: &mut Vec<Outgoing>) {
        if self.end.is_some() || self.again_at > now {
            return;
        }
        let Some(order) = self.open.front().filter(|_| self.sent < SENDS) else {
            return self.over(if self.open.is_empty() { End::Taken } else { End::Unanswered });
        };
        self.sent += 1;
        self.again_at = now + ANSWER_TIME * self.sent;
        let number = line.ask(self.target, Class::SET, (order.parameter, order.data.clone()), out);
        self.numbers.push(number);
    }

    fn over(&mut self, end: End) {
        self.end = Some(self.refused.map_or(end, End::Refused));
    }

    /// Takes in a message, when it answers the present order.
    pub(super) fn hear(&mut self, now: Duration, message: &Message, reading: &Reading) {
        let (Content::Rdm(answer), Some(order)) = (&message.content, self.open.front()) else { return };
        let is_answer = message.from == self.target.cid
            && answer.from == self.target.uid
            && answer.class == Class::SET_RESPONSE
            && answer.parameter == order.parameter
            && self.numbers.contains(&message.transaction);
        if !is_answer || self.end.is_some() {
            return;
        }
        match answer.response() {
            Some(ResponseType::ACK_TIMER) => self.again_at = now + timer(answer),
            Some(ResponseType::ACK) => {
                self.applied |= order.parameter == network::APPLY;
                if self.refused.is_none() {
                    self.back.extend(put_back(order, reading));
                }
                self.on(now);
            }
            Some(ResponseType::NACK) if order.optional || self.refused.is_some() => self.on(now),
            Some(ResponseType::NACK) => {
                self.refused = Some(Refusal::read(&answer.data));
                self.open = self.back.drain(..).rev().collect();
                self.restart(now);
            }
            _ => {}
        }
    }

    fn on(&mut self, now: Duration) {
        self.open.pop_front();
        self.restart(now);
    }

    fn restart(&mut self, now: Duration) {
        self.sent = 0;
        self.numbers.clear();
        self.again_at = now;
        if self.open.is_empty() {
            self.over(End::Taken);
        }
    }
}

/// The order that makes this difference vanish by itself.
fn single(difference: &Difference) -> Option<Order> {
    let (parameter, data) = match (difference.field, &difference.planned) {
        (Field::Label, Value::Text(label)) => (parameter::DEVICE_LABEL, label.raw().as_bytes().to_vec()),
        (Field::Indicators, Value::Indicators(planned)) => {
            (parameter::IDENTIFY_DEVICE, vec![u8::from(*planned == Indicators::Flash)])
        }
        _ => return None,
    };
    Some(Order { parameter, data, optional: false })
}

/// The order that gives it a name, or a server of names; it takes effect with the others when that is applied.
fn of_names(difference: &Difference) -> Option<Order> {
    let (parameter, data) = match (difference.field, &difference.planned) {
        (Field::HostName, Value::Text(name)) => (network::HOST_NAME, network::set_host_name(name.raw())),
        (Field::NameServer, Value::Address(server)) => {
            (network::NAME_SERVER, network::set_name_server(FIRST_SERVER, *server))
        }
        _ => return None,
    };
    Some(Order { parameter, data, optional: false })
}

/// The order that sends it to another broker: its scope goes along with that.
fn scope(step: &[Difference], now: &Facts, found: &Facts) -> Option<Order> {
    let wanted = |field| step.iter().find(|difference| difference.field == field).map(|one| &one.planned);
    if wanted(Field::Scope).is_none() && wanted(Field::Broker).is_none() {
        return None;
    }
    let of = |field| wanted(field).or_else(|| now.get(field)).or_else(|| found.get(field));
    let Some(Value::Text(scope)) = of(Field::Scope) else { return None };
    let broker = match of(Field::Broker)? {
        Value::Text(at) => Some(at.raw().parse().ok()?),
        _ => None,
    };
    let data = ComponentScope { slot: FIRST_SLOT, scope: scope.raw().to_owned(), broker }.to_bytes();
    Some(Order { parameter: COMPONENT_SCOPE, data, optional: false })
}

/// The IP settings that a target is to have; what stays as it is goes along.
struct Ip {
    dhcp: bool,
    /// Whether it need not take an order about DHCP: it is as wanted, or has no word for it.
    mode_may_stay: bool,
    address: Ipv4Addr,
    mask: Option<Ipv4Addr>,
    gateway: Option<Ipv4Addr>,
    gateway_is_wanted: bool,
}

impl Ip {
    fn wanted(reading: &Reading, found: &Facts, address: Ipv4Addr, step: &[Difference]) -> Self {
        let told = |field| match reading.facts.get(field).or_else(|| found.get(field)) {
            Some(Value::Address(address)) => Some(*address),
            _ => None,
        };
        let mode = reading.facts.get(Field::Addressing).or_else(|| found.get(Field::Addressing)).cloned();
        let mut all = Self {
            dhcp: mode == Some(Value::Flag(true)),
            mode_may_stay: false,
            address,
            mask: told(Field::Mask),
            gateway: told(Field::Gateway),
            gateway_is_wanted: false,
        };
        for difference in step {
            match (difference.field, &difference.planned) {
                (Field::Address, Value::Address(address)) => all.address = *address,
                (Field::Addressing, Value::Flag(dhcp)) => all.dhcp = *dhcp,
                (Field::Mask, Value::Address(mask)) => all.mask = Some(*mask),
                (Field::Gateway, Value::Address(gateway)) => {
                    (all.gateway, all.gateway_is_wanted) = (Some(*gateway), true);
                }
                _ => {}
            }
        }
        all.mode_may_stay = mode.map_or(!all.dhcp, |mode| mode == Value::Flag(all.dhcp));
        all
    }

    fn orders(&self, id: InterfaceId) -> Vec<Order> {
        let order = |parameter, data, optional| Order { parameter, data, optional };
        // An address without its mask cannot be told, and nothing else of it is applied then.
        if !self.dhcp && self.mask.is_none() {
            return Vec::new();
        }
        let mode = order(network::DHCP_MODE, network::set_dhcp_mode(id, self.dhcp), self.mode_may_stay);
        let prefix = self.mask.map(|mask| u8::try_from(mask.to_bits().leading_ones()).unwrap_or(32));
        let fixed = prefix.filter(|_| !self.dhcp).map(|prefix| {
            let fixed = InterfaceAddress { id, address: self.address, prefix };
            order(network::STATIC_ADDRESS, fixed.to_bytes(), false)
        });
        let route = self.gateway.filter(|_| !self.dhcp || self.gateway_is_wanted).map(|gateway| {
            order(network::DEFAULT_ROUTE, network::set_default_route(id, gateway), !self.gateway_is_wanted)
        });
        [Some(mode), fixed, route].into_iter().flatten().collect()
    }
}

/// The order that puts back what this one has changed.
fn put_back(order: &Order, reading: &Reading) -> Option<Order> {
    let id = reading.interface()?;
    let data = match order.parameter {
        network::STATIC_ADDRESS => reading.fixed()?.to_bytes(),
        network::DHCP_MODE => match reading.facts.get(Field::Addressing)? {
            Value::Flag(on) => network::set_dhcp_mode(id, *on),
            _ => return None,
        },
        network::HOST_NAME => match reading.facts.get(Field::HostName)? {
            Value::Text(name) => network::set_host_name(name.raw()),
            _ => return None,
        },
        network::NAME_SERVER => match reading.facts.get(Field::NameServer)? {
            Value::Address(server) => network::set_name_server(FIRST_SERVER, *server),
            _ => return None,
        },
        network::DEFAULT_ROUTE => match reading.facts.get(Field::Gateway)? {
            Value::Address(gateway) => network::set_default_route(id, *gateway),
            _ => return None,
        },
        _ => return None,
    };
    Some(Order { parameter: order.parameter, data, optional: true })
}
