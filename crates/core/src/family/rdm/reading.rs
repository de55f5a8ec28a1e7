//! Reading one unit, question after question: what it is in numbers, what it says it knows, and then that. An order to it is
//! one of them, read back by those behind it.
//!
//! What is refused cannot be told; what is not answered stays untold.

use std::collections::VecDeque;
use std::time::Duration;

use lantern_wire::rdm::parameter::{self, Refusal};
use lantern_wire::rdm::{Class, Description, DeviceInfo, Message, Personality, ResponseType, Uid, text};

use super::health::{self, Ask};
use super::{FIELDS, FIELDS_OF_GATEWAYS, port, timer};
use crate::Indicators;
use crate::census::Health;
use crate::facts::{Facts, Field, FixtureSetting, OwnValue, Value};

/// The most parts of one long answer.
const MOST_PARTS: usize = 64;
/// How often one that says "later" is asked for what it had to say, before it is asked anew.
const MOST_FETCHED: u32 = 8;
/// How often one may say "later" to one question.
const MOST_PUT_OFF: u32 = 4;
/// The most parameters of a maker's own that are read of one unit.
const MOST_OWN: usize = 64;
/// Everything that waits, however little it matters (E1.20, section 10.3.1).
const ANY_STATUS: u8 = 2;

/// Something to be told, or taken.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Question {
    Info,
    Supported,
    Software,
    Label,
    Model,
    Maker,
    /// What this mode of it is called.
    Mode(u8),
    Identify,
    /// How it is.
    Health(Ask),
    /// What its ports are.
    Port(port::Ask),
    /// A further setting.
    Setting(FixtureSetting),
    /// What this parameter of its maker's own is.
    Describe(u16),
    /// What that is set to, as far as it was described.
    Own(u16, Box<OwnValue>),
    /// Nothing is asked: it is told to take this.
    Order(Order),
}

/// What a unit is told to take.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Order {
    pub(super) parameter: u16,
    pub(super) data: Vec<u8>,
}

impl Question {
    const fn parameter(&self) -> u16 {
        match self {
            Self::Order(order) => order.parameter,
            Self::Health(ask) => ask.parameter(),
            Self::Port(ask) => ask.parameter(),
            Self::Setting(setting) => setting.parameter(),
            Self::Describe(_) => parameter::PARAMETER_DESCRIPTION,
            Self::Own(number, _) => *number,
            Self::Info => parameter::DEVICE_INFO,
            Self::Supported => parameter::SUPPORTED_PARAMETERS,
            Self::Software => parameter::SOFTWARE_LABEL,
            Self::Label => parameter::DEVICE_LABEL,
            Self::Model => parameter::MODEL_DESCRIPTION,
            Self::Maker => parameter::MAKER_LABEL,
            Self::Mode(_) => parameter::PERSONALITY_DESCRIPTION,
            Self::Identify => parameter::IDENTIFY_DEVICE,
        }
    }

    const fn class(&self) -> Class {
        if matches!(self, Self::Order(_)) { Class::SET } else { Class::GET }
    }

    /// The class of its answer.
    const fn answer_class(&self) -> Class {
        if matches!(self, Self::Order(_)) { Class::SET_RESPONSE } else { Class::GET_RESPONSE }
    }

    fn data(&self) -> Vec<u8> {
        match self {
            Self::Mode(number) => vec![*number],
            Self::Order(order) => order.data.clone(),
            Self::Health(ask) => ask.data(),
            Self::Port(ask) => ask.data(),
            Self::Describe(number) => number.to_be_bytes().to_vec(),
            _ => Vec::new(),
        }
    }

    /// What by its answer is told.
    pub(super) fn fields(&self) -> Vec<Field> {
        match self {
            Self::Info => vec![Field::StartAddress, Field::Mode, Field::ModeName, Field::Footprint],
            Self::Supported => vec![Field::Label, Field::Model, Field::Maker, Field::ModeName],
            Self::Software => vec![Field::Version],
            Self::Label => vec![Field::Label],
            Self::Model => vec![Field::Model],
            Self::Maker => vec![Field::Maker],
            Self::Mode(_) => vec![Field::ModeName],
            Self::Identify => vec![Field::Indicators],
            Self::Port(ask) => ask.field().into_iter().collect(),
            Self::Setting(setting) => vec![Field::Setting(*setting)],
            Self::Own(number, _) => vec![Field::Own(*number)],
            Self::Order(_) | Self::Health(_) | Self::Describe(_) => Vec::new(),
        }
    }
}

/// What an answer means for whoever asked.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Heard {
    /// It answers nothing that was asked.
    Nothing,
    /// Go on with what is to be asked next.
    On,
    /// Ask again after so long.
    Later(Duration),
}

/// The questions to one unit, and what it has told.
#[derive(Debug)]
pub(in crate::family) struct Reading {
    uid: Uid,
    open: VecDeque<Question>,
    /// What came of a long answer so far.
    parts: Vec<Vec<u8>>,
    /// How often it was asked for what waits, since it said "later".
    fetched: Option<u32>,
    /// How often it said "later" to the present question.
    put_off: u32,
    is_heard: bool,
    facts: Facts,
    /// Its modes, as far as they were asked for.
    modes: Vec<Personality>,
    /// How many modes it has.
    mode_count: u8,
    /// Whether it is asked how it is, and what it told of that.
    examines: bool,
    /// Whether it is asked for its further settings.
    with_settings: bool,
    /// Whether it is asked for the parameters of its maker's own.
    with_own: bool,
    /// Whether it is a gateway, which takes no slots and has ports.
    is_gateway: bool,
    told: health::Told,
    sensors: u8,
    /// What became of the order: taken, or why not.
    ordered: Option<Result<(), Refusal>>,
}

impl Reading {
    /// The whole unit.
    pub(super) fn new(uid: Uid) -> Self {
        let open = [Question::Info, Question::Supported, Question::Software, Question::Identify];
        Self::of(uid, open, Facts::able(&FIELDS))
    }

    /// A whole gateway that is asked by itself, with its ports.
    pub(in crate::family) fn of_gateway(uid: Uid) -> Self {
        let open = [Question::Info, Question::Supported, Question::Software, Question::Identify];
        Self { is_gateway: true, ..Self::of(uid, open, Facts::able(&FIELDS_OF_GATEWAYS)) }
    }

    /// These questions to one of which so much is known: what they ask for is forgotten.
    pub(super) fn of(uid: Uid, open: impl IntoIterator<Item = Question>, known: Facts) -> Self {
        let (open, mut facts): (VecDeque<Question>, Facts) = (open.into_iter().collect(), known);
        open.iter().flat_map(Question::fields).for_each(|field| facts.forget_one(field));
        Self {
            uid,
            open,
            parts: Vec::new(),
            fetched: None,
            put_off: 0,
            is_heard: false,
            facts,
            modes: Vec::new(),
            mode_count: 0,
            examines: false,
            with_settings: false,
            with_own: false,
            is_gateway: false,
            told: health::Told::default(),
            sensors: 0,
            ordered: None,
        }
    }

    /// The same, and how it is.
    pub(super) const fn examining(mut self) -> Self {
        self.examines = true;
        self
    }

    /// The same, and its further settings.
    pub(super) const fn with_settings(mut self) -> Self {
        self.with_settings = true;
        self
    }

    /// The same, and the parameters of its maker's own.
    pub(super) const fn with_own(mut self) -> Self {
        self.with_own = true;
        self
    }

    /// The same, and these at the end.
    pub(super) fn and(mut self, questions: impl IntoIterator<Item = Question>) -> Self {
        self.open.extend(questions);
        self
    }

    pub(in crate::family) const fn uid(&self) -> Uid {
        self.uid
    }

    pub(in crate::family) const fn facts(&self) -> &Facts {
        &self.facts
    }

    /// How it is.
    pub(super) const fn health(&self) -> &Health {
        &self.told.health
    }

    /// Its modes, as far as they were asked for.
    pub(super) fn modes(&self) -> &[Personality] {
        &self.modes
    }

    /// How many modes it says it has.
    pub(super) const fn mode_count(&self) -> u8 {
        self.mode_count
    }

    /// Why it did not take what it was told to.
    pub(super) const fn refusal(&self) -> Option<Refusal> {
        match self.ordered {
            Some(Err(refusal)) => Some(refusal),
            _ => None,
        }
    }

    /// Whether it said that it takes what it was told to.
    pub(super) const fn is_taken(&self) -> bool {
        matches!(self.ordered, Some(Ok(())))
    }

    /// Whether it answered anything.
    pub(in crate::family) const fn is_heard(&self) -> bool {
        self.is_heard
    }

    /// Whether nothing is left to ask.
    pub(super) fn is_over(&self) -> bool {
        self.open.is_empty()
    }

    /// What to ask now: whether it is a question or an order, its parameter, and its data.
    pub(super) fn asks(&self) -> Option<(Class, u16, Vec<u8>)> {
        if self.fetched.is_some() {
            return Some((Class::GET, parameter::QUEUED_MESSAGE, vec![ANY_STATUS]));
        }
        self.open.front().map(|question| (question.class(), question.parameter(), question.data()))
    }

    /// It does not answer. Who answers nothing is not asked for all the rest.
    pub(super) fn give_up(&mut self) {
        if !self.is_heard {
            self.open.clear();
        }
        self.on();
    }

    /// Takes in an answer of this unit. Only one request is on its way to it, so what answers is told by the parameter; some
    /// answer with a number that is not the question's.
    pub(super) fn hear(&mut self, answer: &Message) -> Heard {
        let Some(question) = self.open.front().cloned() else { return Heard::Nothing };
        let is_answer = matches!(answer.class, Class::GET_RESPONSE | Class::SET_RESPONSE);
        if answer.from != self.uid || !is_answer {
            return Heard::Nothing;
        }
        if answer.parameter != question.parameter() || answer.class != question.answer_class() {
            return self.hear_other();
        }
        self.is_heard = true;
        match answer.response() {
            Some(ResponseType::ACK) => {
                self.parts.push(answer.data.clone());
                let data = std::mem::take(&mut self.parts).concat();
                // What makes no sense is asked again.
                if !self.take(&question, &data) {
                    self.fetched = None;
                    return Heard::Nothing;
                }
                self.on();
                Heard::On
            }
            Some(ResponseType::ACK_OVERFLOW) if self.parts.len() < MOST_PARTS => {
                self.parts.push(answer.data.clone());
                Heard::On
            }
            Some(ResponseType::ACK_TIMER) if self.put_off >= MOST_PUT_OFF => {
                self.on();
                Heard::On
            }
            Some(ResponseType::ACK_TIMER) => {
                self.put_off += 1;
                self.fetched = Some(0);
                Heard::Later(timer(answer))
            }
            Some(ResponseType::NACK) => {
                self.refuse(&question, Refusal::read(&answer.data));
                self.on();
                Heard::On
            }
            _ => Heard::Nothing,
        }
    }

    /// What waited was something else: on with the next, or with the question itself where nothing more comes of it.
    fn hear_other(&mut self) -> Heard {
        let Some(fetched) = self.fetched else { return Heard::Nothing };
        self.is_heard = true;
        self.fetched = (fetched + 1 < MOST_FETCHED).then_some(fetched + 1);
        Heard::On
    }

    fn on(&mut self) {
        self.open.pop_front();
        self.parts.clear();
        self.fetched = None;
        self.put_off = 0;
    }

    /// Takes in the data of an answer. Gives whether it makes sense.
    fn take(&mut self, question: &Question, data: &[u8]) -> bool {
        let said = |data: &[u8]| Value::Text(text::read(data).as_str().into());
        match question {
            Question::Info => match DeviceInfo::read(data) {
                Some(info) => self.take_info(info),
                None => return false,
            },
            Question::Supported => self.take_supported(&parameter::read_all(data)),
            Question::Software => self.facts.learn(Field::Version, said(data)),
            Question::Label => self.facts.learn(Field::Label, said(data)),
            Question::Model => self.facts.learn(Field::Model, said(data)),
            Question::Maker => self.facts.learn(Field::Maker, said(data)),
            Question::Mode(number) => match Personality::read(data) {
                Some(mode) if mode.number == *number => self.take_mode(mode),
                _ => return false,
            },
            Question::Health(ask) => return self.told.take(*ask, data),
            Question::Port(ask) => match ask.take(data, &mut self.facts) {
                Some(asks) => self.open.extend(asks.into_iter().map(Question::Port)),
                None => return false,
            },
            Question::Setting(setting) => match setting.value(data) {
                Some(value) => self.facts.learn(Field::Setting(*setting), value),
                None => return false,
            },
            Question::Describe(number) => match Description::read(data) {
                Some(about) if about.parameter == *number => {
                    if about.is_told {
                        self.ask_own(*number, OwnValue::described(&about));
                    }
                }
                _ => return false,
            },
            Question::Own(number, about) => {
                self.facts.learn(Field::Own(*number), Value::Own(Box::new(about.with_data(data))));
            }
            Question::Order(_) => self.ordered = Some(Ok(())),
            Question::Identify => match data {
                [0] => self.facts.learn(Field::Indicators, Value::Indicators(Indicators::Normal)),
                [_] => self.facts.learn(Field::Indicators, Value::Indicators(Indicators::Flash)),
                _ => return false,
            },
        }
        true
    }

    fn ask_own(&mut self, number: u16, about: OwnValue) {
        self.facts.can_tell(Field::Own(number));
        self.open.push_back(Question::Own(number, Box::new(about)));
    }

    fn take_mode(&mut self, mode: Personality) {
        // Only the present one says anything of what it is set to.
        if self.facts.get(Field::Mode) == Some(&Value::Count(mode.number.into())) {
            self.facts.learn(Field::ModeName, Value::Text(mode.name.as_str().into()));
        }
        self.modes.push(mode);
    }

    fn take_info(&mut self, info: DeviceInfo) {
        (self.mode_count, self.sensors) = (info.personalities, info.sensors);
        if self.is_gateway {
            return;
        }
        self.facts.learn(Field::Footprint, Value::Count(u32::from(info.footprint)));
        if info.start_address == DeviceInfo::NO_ADDRESS {
            self.facts.cannot_tell(Field::StartAddress);
        } else {
            self.facts.learn(Field::StartAddress, Value::Count(u32::from(info.start_address)));
        }
        if info.personality == 0 {
            self.facts.cannot_tell(Field::Mode);
            self.facts.cannot_tell(Field::ModeName);
        } else {
            self.facts.learn(Field::Mode, Value::Count(u32::from(info.personality)));
        }
    }

    /// What it says that it knows is asked for; what it does not know it cannot tell.
    fn take_supported(&mut self, supported: &[u16]) {
        let mode = match self.facts.get(Field::Mode) {
            Some(Value::Count(number)) => u8::try_from(*number).ok(),
            _ => None,
        };
        let all = [
            (Some(Question::Label), Field::Label),
            (Some(Question::Model), Field::Model),
            (Some(Question::Maker), Field::Maker),
            (mode.map(Question::Mode), Field::ModeName),
        ];
        for (question, field) in all {
            match question.filter(|question| supported.contains(&question.parameter())) {
                Some(question) => self.open.push_back(question),
                None => self.facts.cannot_tell(field),
            }
        }
        if self.is_gateway && supported.contains(&port::Ask::List.parameter()) {
            self.open.push_back(Question::Port(port::Ask::List));
        }
        if self.with_settings {
            let all = FixtureSetting::ALL.into_iter().chain([FixtureSetting::FactoryDefaults]);
            let known = all.filter(|one| supported.contains(&one.parameter()));
            for setting in known {
                self.facts.can_tell(Field::Setting(setting));
                self.open.push_back(Question::Setting(setting));
            }
        }
        if self.with_own {
            let own = supported.iter().filter(|number| **number >= parameter::OWN).take(MOST_OWN);
            self.open.extend(own.map(|number| Question::Describe(*number)));
        }
        if self.examines {
            self.open.extend(Ask::all(supported, self.sensors).into_iter().map(Question::Health));
        }
    }

    /// It says that it does not tell this, or does not take it.
    fn refuse(&mut self, question: &Question, why: Refusal) {
        if matches!(question, Question::Order(_)) {
            self.ordered = Some(Err(why));
        }
        // What it does not describe can be read all the same.
        if let Question::Describe(number) = question {
            self.ask_own(*number, OwnValue::undescribed());
        }
        question.fields().into_iter().for_each(|field| self.facts.cannot_tell(field));
    }
}
