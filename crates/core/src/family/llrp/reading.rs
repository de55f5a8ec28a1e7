//! Reading one target, question after question: which interface is meant, its IP settings, its label, what it is.
//!
//! A target with several interfaces is read by the one whose MAC address it states. What is refused cannot be told; what is
//! not answered stays untold.

use std::collections::VecDeque;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::llrp::{Content, Message};
use lantern_wire::rdm::network::{self, InterfaceAddress, InterfaceId, Leased};
use lantern_wire::rdm::{COMPONENT_SCOPE, Class, ComponentScope, FIRST_SLOT, ResponseType, parameter, text};

use super::FIELDS;
use super::line::{Line, Target};
use crate::Indicators;
use crate::conversation::Outgoing;
use crate::facts::{Facts, Field, Value};
use crate::family::rdm::timer;

/// A target answers an order at once; what takes longer is asked again.
const ANSWER_TIME: Duration = Duration::from_millis(400);
/// How often the same is asked.
const ASKS: u32 = 4;
/// The most interfaces looked at; a device has one or two.
const MOST_INTERFACES: usize = 8;

/// Something to be told.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Question {
    Interfaces,
    HardwareAddress(InterfaceId),
    Current,
    Mode,
    /// What it has without DHCP, as it was last told.
    Static,
    Route,
    Label,
    Maker,
    Model,
    Identify,
    HostName,
    NameServer,
    Scope,
}

/// What is asked only of those that somebody wants to know more of, with the fields that are told by the answers.
const NAMES: [Question; 3] = [Question::HostName, Question::NameServer, Question::Scope];
const FIELDS_OF_NAMES: [Field; 4] = [Field::HostName, Field::NameServer, Field::Scope, Field::Broker];
/// Of the servers that are asked for names, the first.
pub(super) const FIRST_SERVER: u8 = 0;

/// The questions to one target, and what it has told.
#[derive(Debug)]
pub(super) struct Reading {
    pub(super) target: Target,
    /// The MAC address it states: of several interfaces, that one is meant.
    mac: MacAddress,
    open: VecDeque<Question>,
    interfaces: Vec<InterfaceId>,
    interface: Option<InterfaceId>,
    /// Whether it answered anything.
    heard: bool,
    asked: u32,
    /// The numbers of the present question, from the first time it was asked.
    numbers: Vec<u32>,
    again_at: Duration,
    current: Option<(Ipv4Addr, Leased)>,
    fixed: Option<InterfaceAddress>,
    /// Whether it is asked for names and scope too.
    with_names: bool,
    pub(super) facts: Facts,
    maker: String,
    model: String,
}

impl Reading {
    /// Everything of this target, which states this MAC address.
    pub(super) fn new(now: Duration, target: Target, mac: MacAddress) -> Self {
        let open = [
            Question::Interfaces,
            Question::Route,
            Question::Label,
            Question::Maker,
            Question::Model,
            Question::Identify,
        ];
        Self {
            target,
            mac,
            open: open.into(),
            interfaces: Vec::new(),
            interface: None,
            heard: false,
            asked: 0,
            numbers: Vec::new(),
            again_at: now,
            current: None,
            fixed: None,
            with_names: false,
            facts: Facts::able(&FIELDS),
            maker: String::new(),
            model: String::new(),
        }
    }

    /// The same of a target that has another component identifier now, from the beginning.
    pub(super) fn of(&self, now: Duration, target: Target) -> Self {
        Self { target, ..self.again(now) }
    }

    /// Only what can be set, of the interface known from an earlier reading.
    pub(super) fn again(&self, now: Duration) -> Self {
        let first: &[Question] = match self.interface {
            Some(_) => &[Question::Current, Question::Mode],
            None => &[Question::Interfaces],
        };
        let open = first.iter().copied().chain([Question::Route, Question::Label, Question::Identify]).collect();
        let fresh = Self::new(now, self.target, self.mac);
        let again = Self {
            open,
            interface: self.interface,
            interfaces: self.interfaces.clone(),
            fixed: self.fixed,
            maker: self.maker.clone(),
            model: self.model.clone(),
            ..fresh
        };
        if self.with_names { again.with_names() } else { again }
    }

    /// When it asks next; `None` when nothing is left to ask.
    pub(super) fn next_at(&self) -> Option<Duration> {
        (!self.open.is_empty()).then_some(self.again_at)
    }

    /// The interface that is meant, once that is known.
    pub(super) const fn interface(&self) -> Option<InterfaceId> {
        self.interface
    }

    /// Whether it answered anything.
    pub(super) const fn is_heard(&self) -> bool {
        self.heard
    }

    /// The address it is meant to have without DHCP.
    pub(super) const fn fixed(&self) -> Option<InterfaceAddress> {
        self.fixed
    }

    /// The same with the address it is meant to have without DHCP, so that it can be put back.
    pub(super) fn with_fixed(mut self) -> Self {
        self.open.push_back(Question::Static);
        self
    }

    /// The same with what it is called on the network, whom it asks for names, and where its broker is.
    pub(super) fn with_names(mut self) -> Self {
        self.with_names = true;
        self.open.extend(NAMES);
        FIELDS_OF_NAMES.into_iter().for_each(|field| self.facts.can_tell(field));
        self
    }

    /// What it is, in words.
    pub(super) fn what(&self) -> String {
        let words: Vec<&str> = [&self.maker, &self.model]
            .into_iter()
            .map(|text| text.trim())
            .filter(|text| !text.is_empty())
            .collect();
        words.join(" ")
    }

    /// Asks what is due by now.
    pub(super) fn ask(&mut self, now: Duration, line: &mut Line, out: &mut Vec<Outgoing>) {
        while let Some(question) = self.open.front().copied().filter(|_| self.again_at <= now) {
            if self.asked >= ASKS {
                self.give_up(question);
                self.on(now);
                continue;
            }
            self.asked += 1;
            self.again_at = now + ANSWER_TIME * self.asked;
            let number = line.ask(self.target, Class::GET, self.written(question), out);
            self.numbers.push(number);
            return;
        }
    }

    /// Takes in a message, when it answers the present question.
    pub(super) fn hear(&mut self, now: Duration, message: &Message) {
        let (Content::Rdm(answer), Some(question)) = (&message.content, self.open.front().copied()) else {
            return;
        };
        let is_answer = message.from == self.target.cid
            && answer.from == self.target.uid
            && answer.class == Class::GET_RESPONSE
            && answer.parameter == self.written(question).0
            && self.numbers.contains(&message.transaction);
        if !is_answer {
            return;
        }
        self.heard = true;
        match answer.response() {
            Some(ResponseType::ACK | ResponseType::ACK_OVERFLOW) if self.take(question, &answer.data) => {
                self.on(now);
            }
            Some(ResponseType::ACK_TIMER) => self.again_at = now + timer(answer),
            Some(ResponseType::NACK) => {
                self.refuse(question);
                self.on(now);
            }
            _ => {}
        }
    }

    fn written(&self, question: Question) -> (u16, Vec<u8>) {
        let of = |id: Option<InterfaceId>| id.map_or_else(Vec::new, |id| id.to_bytes().to_vec());
        match question {
            Question::Interfaces => (network::LIST_INTERFACES, Vec::new()),
            Question::HardwareAddress(id) => (network::HARDWARE_ADDRESS, of(Some(id))),
            Question::Current => (network::CURRENT_ADDRESS, of(self.interface)),
            Question::Mode => (network::DHCP_MODE, of(self.interface)),
            Question::Static => (network::STATIC_ADDRESS, of(self.interface)),
            Question::Route => (network::DEFAULT_ROUTE, Vec::new()),
            Question::Label => (parameter::DEVICE_LABEL, Vec::new()),
            Question::Maker => (parameter::MAKER_LABEL, Vec::new()),
            Question::Model => (parameter::MODEL_DESCRIPTION, Vec::new()),
            Question::Identify => (parameter::IDENTIFY_DEVICE, Vec::new()),
            Question::HostName => (network::HOST_NAME, Vec::new()),
            Question::NameServer => (network::NAME_SERVER, vec![FIRST_SERVER]),
            Question::Scope => (COMPONENT_SCOPE, FIRST_SLOT.to_be_bytes().to_vec()),
        }
    }

    /// On to the next question.
    fn on(&mut self, now: Duration) {
        self.open.pop_front();
        self.asked = 0;
        self.numbers.clear();
        self.again_at = now;
    }

    /// Takes in the data of an answer. Gives whether it makes sense; what does not is asked again.
    fn take(&mut self, question: Question, data: &[u8]) -> bool {
        let own = self.interface;
        match question {
            Question::Interfaces => self.take_interfaces(data),
            Question::HardwareAddress(id) => match network::hardware_address(data) {
                Some((of, mac)) if of == id => {
                    if mac == self.mac {
                        self.choose(id);
                    }
                    true
                }
                _ => false,
            },
            Question::Current => match network::current_address(data) {
                Some((now, leased)) if Some(now.id) == own => {
                    self.facts.learn(Field::Address, Value::Address(now.address));
                    self.facts.learn(Field::Mask, Value::Address(now.mask()));
                    self.current = Some((now.address, leased));
                    self.learn_addressing(None);
                    true
                }
                _ => false,
            },
            Question::Mode => match network::dhcp_mode(data) {
                Some((of, on)) if Some(of) == own => {
                    self.learn_addressing(Some(on));
                    true
                }
                _ => false,
            },
            Question::Static => {
                self.fixed = network::static_address(data);
                true
            }
            Question::Route => match network::default_route(data) {
                Some((_, gateway)) => {
                    self.facts.learn(Field::Gateway, Value::Address(gateway));
                    true
                }
                None => false,
            },
            Question::Label => {
                self.facts.learn(Field::Label, Value::Text(text::read(data).as_str().into()));
                true
            }
            Question::HostName => {
                self.facts.learn(Field::HostName, Value::Text(text::read(data).as_str().into()));
                true
            }
            Question::NameServer => match network::name_server(data) {
                Some((FIRST_SERVER, server)) => {
                    self.facts.learn(Field::NameServer, Value::Address(server));
                    true
                }
                _ => false,
            },
            Question::Scope => match ComponentScope::read(data) {
                Some(told) if told.slot == FIRST_SLOT => {
                    let broker =
                        told.broker.map_or(Value::Nothing, |at| Value::Text(at.to_string().as_str().into()));
                    self.facts.learn(Field::Scope, Value::Text(told.scope.as_str().into()));
                    self.facts.learn(Field::Broker, broker);
                    true
                }
                _ => false,
            },
            Question::Maker => {
                self.maker = text::read(data);
                true
            }
            Question::Model => {
                self.model = text::read(data);
                true
            }
            Question::Identify => match data {
                [on] => {
                    let told = if *on == 0 { Indicators::Normal } else { Indicators::Flash };
                    self.facts.learn(Field::Indicators, Value::Indicators(told));
                    true
                }
                _ => false,
            },
        }
    }

    /// Whether its address comes by DHCP: where it has it from counts. What it is set to may not be applied yet; that counts
    /// where it does not say the other, and where nobody gave it an address.
    fn learn_addressing(&mut self, mode: Option<bool>) {
        let dhcp = match self.current {
            Some((_, Leased::Yes)) => Some(true),
            Some((address, Leased::No)) => Some(mode == Some(true) && address.is_link_local()),
            Some((_, Leased::Unknown)) | None => mode,
        };
        if let Some(dhcp) = dhcp {
            self.facts.learn(Field::Addressing, Value::Flag(dhcp));
        }
    }

    fn take_interfaces(&mut self, data: &[u8]) -> bool {
        self.interfaces = network::interfaces(data);
        self.interfaces.truncate(MOST_INTERFACES);
        match self.interfaces[..] {
            [] => false,
            [only] => {
                self.choose(only);
                true
            }
            _ => {
                // Behind the present question, in order.
                for id in self.interfaces.iter().rev() {
                    self.open.insert(1, Question::HardwareAddress(*id));
                }
                true
            }
        }
    }

    /// This is the interface that is meant: no more is asked about others.
    fn choose(&mut self, id: InterfaceId) {
        self.interface = Some(id);
        let present = self.open.pop_front();
        self.open.retain(|question| !matches!(question, Question::HardwareAddress(_)));
        for question in [Question::Mode, Question::Current].into_iter().chain(present) {
            self.open.push_front(question);
        }
    }

    /// It says that it does not tell this.
    fn refuse(&mut self, question: Question) {
        match question {
            Question::Interfaces | Question::Current => {
                for field in [Field::Address, Field::Addressing, Field::Mask] {
                    self.facts.cannot_tell(field);
                }
            }
            // Where the address came from is known from the address itself.
            Question::Mode if self.facts.get(Field::Addressing).is_none() => {
                self.facts.cannot_tell(Field::Addressing);
            }
            Question::Route => self.facts.cannot_tell(Field::Gateway),
            Question::Label => self.facts.cannot_tell(Field::Label),
            Question::Identify => self.facts.cannot_tell(Field::Indicators),
            Question::HostName => self.facts.cannot_tell(Field::HostName),
            Question::NameServer => self.facts.cannot_tell(Field::NameServer),
            Question::Scope => {
                self.facts.cannot_tell(Field::Scope);
                self.facts.cannot_tell(Field::Broker);
            }
            Question::HardwareAddress(_)
            | Question::Mode
            | Question::Static
            | Question::Maker
            | Question::Model => {}
        }
        self.settle_interface(question);
    }

    /// It does not answer.
    fn give_up(&mut self, question: Question) {
        // Who answers nothing is not asked for all the rest.
        if !self.heard {
            self.open.truncate(1);
        }
        self.settle_interface(question);
    }

    /// None of its interfaces states the MAC address it was found by: then the first one is meant.
    fn settle_interface(&mut self, question: Question) {
        let is_last = !matches!(self.open.get(1), Some(Question::HardwareAddress(_)));
        if matches!(question, Question::HardwareAddress(_)) && is_last && self.interface.is_none() {
            let first = self.interfaces.first().copied();
            first.into_iter().for_each(|id| self.choose(id));
        }
    }
}
