//! A whole reading of one device: question after question, and what is learned from the answers.

use std::collections::VecDeque;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::onvif::{self, Interface, Order, Scope, Topic};
use lantern_wire::xml::Element;

use super::FIELDS;
use super::caller::{Caller, Reply};
use crate::address::Mask;
use crate::conversation::{LinkEnd, LinkId, Outgoing, Response};
use crate::facts::{Facts, Field, Value};
use crate::{Access, Said};

/// How often a question is asked that was not answered.
const ASKS: u32 = 2;

/// One reading.
#[derive(Debug)]
pub(super) struct Reading {
    pub(super) caller: Caller,
    open: VecDeque<Order>,
    asks: u32,
    /// Whether it has answered anything as such devices do.
    is_heard: bool,
    pub(super) facts: Facts,
    /// The interface that it is reached by.
    interface: Option<Interface>,
    pub(super) scopes: Vec<Scope>,
}

impl Reading {
    /// Of whoever is there.
    pub(super) fn new(caller: Caller) -> Self {
        Self {
            caller,
            open: VecDeque::from([
                Order::Clock,
                Order::Scopes,
                Order::Made,
                Order::Interfaces,
                Order::Gateway,
                Order::HostName,
            ]),
            asks: 0,
            is_heard: false,
            facts: Facts::able(&FIELDS),
            interface: None,
            scopes: Vec::new(),
        }
    }

    /// Where it is read.
    pub(super) fn address(&self) -> Ipv4Addr {
        *self.caller.place.at.ip()
    }

    /// Whether it has answered anything.
    pub(super) const fn is_heard(&self) -> bool {
        self.is_heard
    }

    /// Whether everything was answered, or is not going to be.
    pub(super) fn is_over(&self) -> bool {
        self.open.is_empty()
    }

    /// The MAC address that it states.
    pub(super) fn mac(&self) -> Option<MacAddress> {
        self.interface.as_ref().and_then(|interface| interface.mac)
    }

    /// How it calls the interface that it is reached by.
    pub(super) fn interface(&self) -> Option<&Interface> {
        self.interface.as_ref()
    }

    /// When an answer is too late; `None` once it is over.
    pub(super) fn next_at(&self) -> Option<Duration> {
        (!self.is_over()).then(|| self.caller.until().unwrap_or(Duration::ZERO))
    }

    /// Asks what is to be asked, and waits no longer for what is too late.
    pub(super) fn work(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        if let Some((order, reply)) = self.caller.late(now) {
            self.take(&order, &reply);
        }
        if self.caller.until().is_none()
            && let Some(next) = self.open.front()
        {
            self.asks += 1;
            self.caller.ask(now, next.clone(), out);
        }
    }

    /// Takes in a page, and asks on.
    pub(super) fn hear(
        &mut self,
        now: Duration,
        link: LinkId,
        page: Result<&Response, LinkEnd>,
        out: &mut Vec<Outgoing>,
    ) {
        if let Some((order, reply)) = self.caller.hear(now, link, page, out) {
            self.take(&order, &reply);
        }
        self.work(now, out);
    }

    fn take(&mut self, order: &Order, reply: &Reply) {
        match reply {
            Reply::Answer(answer) => {
                self.is_heard = true;
                self.learn(order, answer);
            }
            Reply::Fault(fault) => {
                self.is_heard = true;
                if fault.is_unknown() {
                    fields_of(order).iter().for_each(|field| self.facts.cannot_tell(*field));
                }
            }
            // Whoever lets nobody in lets nobody in for the rest either.
            Reply::Locked | Reply::Refused if *order != Order::Clock => {
                self.is_heard = true;
                let access = if *reply == Reply::Locked { Access::Locked } else { Access::Refused };
                self.facts.learn(Field::Access, Value::Access(access));
                return self.open.clear();
            }
            Reply::Locked | Reply::Refused => {}
            // What is no such device answers nothing better to the next question.
            Reply::Foreign(_) if !self.is_heard => return self.open.clear(),
            Reply::Foreign(_) => {}
            Reply::Gone(_) if self.asks < ASKS => return,
            Reply::Gone(_) if !self.is_heard => return self.open.clear(),
            Reply::Gone(_) => {}
        }
        self.asks = 0;
        self.open.pop_front();
    }

    fn learn(&mut self, order: &Order, answer: &Element) {
        let text = |text: &str| Value::Text(Said::from(text));
        match order {
            Order::Made => {
                let made = onvif::made(answer);
                let told = [
                    (Field::Maker, made.maker),
                    (Field::Model, made.model),
                    (Field::Serial, made.serial),
                    (Field::Version, made.firmware),
                ];
                for (field, value) in told {
                    if let Some(value) = value {
                        self.facts.learn(field, text(&value));
                    }
                }
                self.facts.learn(Field::Access, Value::Access(Access::Open));
            }
            Order::Scopes => {
                self.scopes = onvif::scopes(answer);
                learn_scopes(&mut self.facts, &self.scopes);
            }
            Order::Interfaces => self.learn_interfaces(onvif::interfaces(answer)),
            Order::Gateway => {
                if let Some(gateway) = onvif::gateway(answer) {
                    self.facts.learn(Field::Gateway, Value::Address(gateway));
                }
            }
            Order::HostName => {
                if let Some(told) = onvif::host_name(answer) {
                    self.facts.learn(Field::HostName, text(&told.name));
                }
            }
            _ => {}
        }
    }

    /// Of several, the one that has the address it answers from; what it states of another is not what it is reached by.
    fn learn_interfaces(&mut self, all: Vec<Interface>) {
        let here = self.address();
        let place = all.iter().position(|one| one.prefix_of(here).is_some());
        let place = place.or_else(|| all.iter().position(|one| one.enabled)).unwrap_or(0);
        let Some(interface) = all.into_iter().nth(place) else { return };
        if let Some(dhcp) = interface.dhcp {
            self.facts.learn(Field::Addressing, Value::Flag(dhcp));
        }
        let stated = [interface.fixed, interface.leased].into_iter().flatten().next();
        let prefix = interface.prefix_of(here).or(stated.map(|(_, prefix)| prefix));
        if let Some(mask) = prefix.and_then(Mask::from_prefix) {
            self.facts.learn(Field::Mask, Value::Address(mask.dotted()));
        }
        self.interface = Some(interface);
    }
}

/// What the scopes say; one that says nothing of it has no name and no location.
pub(super) fn learn_scopes(facts: &mut Facts, scopes: &[Scope]) {
    for (topic, field) in [(Topic::Name, Field::Name), (Topic::Location, Field::Location)] {
        let said = scopes.iter().find_map(|scope| scope.says(topic)).unwrap_or_default();
        facts.learn(field, Value::Text(Said::from(said.as_str())));
    }
}

/// What the answer to a question would tell.
const fn fields_of(order: &Order) -> &'static [Field] {
    match order {
        Order::Made => &[Field::Maker, Field::Model, Field::Serial, Field::Version],
        Order::Scopes => &[Field::Name, Field::Location],
        Order::Interfaces => &[Field::Addressing, Field::Mask],
        Order::Gateway => &[Field::Gateway],
        Order::HostName => &[Field::HostName],
        _ => &[],
    }
}
