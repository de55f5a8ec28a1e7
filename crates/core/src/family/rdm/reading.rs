//! Reading one unit, question after question: what it is in numbers, what it says it knows, and then that.
//!
//! What is refused cannot be told; what is not answered stays untold.

use std::collections::VecDeque;
use std::time::Duration;

use lantern_wire::rdm::{Class, DeviceInfo, Message, Personality, ResponseType, Uid, parameter, text};

use super::{FIELDS, timer};
use crate::Indicators;
use crate::facts::{Facts, Field, Value};

/// The most parts of one long answer.
const MOST_PARTS: usize = 64;
/// How often one that says "later" is asked for what it had to say, before it is asked anew.
const MOST_FETCHED: u32 = 8;
/// How often one may say "later" to one question.
const MOST_PUT_OFF: u32 = 4;
/// Everything that waits, however little it matters (E1.20, section 10.3.1).
const ANY_STATUS: u8 = 2;

/// Something to be told.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Question {
    Info,
    Supported,
    Software,
    Label,
    Model,
    Maker,
    /// What its present mode is called.
    Mode(u8),
    Identify,
}

impl Question {
    const fn parameter(self) -> u16 {
        match self {
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
pub(super) struct Reading {
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
}

impl Reading {
    pub(super) fn new(uid: Uid) -> Self {
        Self {
            uid,
            open: [Question::Info, Question::Supported, Question::Software, Question::Identify].into(),
            parts: Vec::new(),
            fetched: None,
            put_off: 0,
            is_heard: false,
            facts: Facts::able(&FIELDS),
        }
    }

    pub(super) const fn uid(&self) -> Uid {
        self.uid
    }

    pub(super) const fn facts(&self) -> &Facts {
        &self.facts
    }

    /// Whether it answered anything.
    pub(super) const fn is_heard(&self) -> bool {
        self.is_heard
    }

    /// Whether nothing is left to ask.
    pub(super) fn is_over(&self) -> bool {
        self.open.is_empty()
    }

    /// What to ask now: a parameter and the data of the question.
    pub(super) fn asks(&self) -> Option<(u16, Vec<u8>)> {
        if self.fetched.is_some() {
            return Some((parameter::QUEUED_MESSAGE, vec![ANY_STATUS]));
        }
        self.open.front().map(|question| {
            let about = if let Question::Mode(number) = question { vec![*number] } else { Vec::new() };
            (question.parameter(), about)
        })
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
        let Some(question) = self.open.front().copied() else { return Heard::Nothing };
        if answer.from != self.uid || answer.class != Class::GET_RESPONSE {
            return Heard::Nothing;
        }
        if answer.parameter != question.parameter() {
            return self.hear_other();
        }
        self.is_heard = true;
        match answer.response() {
            Some(ResponseType::ACK) => {
                self.parts.push(answer.data.clone());
                let data = std::mem::take(&mut self.parts).concat();
                // What makes no sense is asked again.
                if !self.take(question, &data) {
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
                self.refuse(question);
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
    fn take(&mut self, question: Question, data: &[u8]) -> bool {
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
                Some(mode) if mode.number == number => {
                    self.facts.learn(Field::ModeName, Value::Text(mode.name.as_str().into()));
                }
                _ => return false,
            },
            Question::Identify => match data {
                [0] => self.facts.learn(Field::Indicators, Value::Indicators(Indicators::Normal)),
                [_] => self.facts.learn(Field::Indicators, Value::Indicators(Indicators::Flash)),
                _ => return false,
            },
        }
        true
    }

    fn take_info(&mut self, info: DeviceInfo) {
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
    }

    /// It says that it does not tell this.
    fn refuse(&mut self, question: Question) {
        let fields: &[Field] = match question {
            Question::Info => &[Field::StartAddress, Field::Mode, Field::ModeName, Field::Footprint],
            Question::Supported => &[Field::Label, Field::Model, Field::Maker, Field::ModeName],
            Question::Software => &[Field::Version],
            Question::Label => &[Field::Label],
            Question::Model => &[Field::Model],
            Question::Maker => &[Field::Maker],
            Question::Mode(_) => &[Field::ModeName],
            Question::Identify => &[Field::Indicators],
        };
        fields.iter().for_each(|field| self.facts.cannot_tell(*field));
    }
}
