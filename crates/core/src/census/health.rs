//! How a fixture is, as it tells by RDM: hours, sensors, what it reports, what it counted of its cable (E1.20, sections 10.2,
//! 10.3, 10.7 and 10.8).

use std::fmt;

use lantern_wire::rdm::{LineCounters, SensorDefinition, SensorValue, StatusMessage, StatusType};
use serde::{Deserialize, Serialize};

use crate::Said;

/// How a fixture is. What it does not know, or was not asked, is not there.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Health {
    /// How many hours it was on.
    pub hours: Option<u32>,
    /// How often it was switched on.
    pub power_cycles: Option<u32>,
    /// How many hours its lamp was on.
    pub lamp_hours: Option<u32>,
    /// How often its lamp was struck.
    pub lamp_strikes: Option<u32>,
    /// What it measures.
    pub sensors: Vec<Sensor>,
    /// What it reports, as it tells it. Most units report a thing once.
    pub reports: Vec<FixtureReport>,
    /// What it counted of its cable since that was reset.
    pub line: Option<Line>,
}

/// One sensor, and what it told.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Sensor {
    /// What it is called.
    pub name: Said,
    /// What it measures: "temperature".
    pub quantity: String,
    /// In which unit: "°C".
    pub unit: String,
    /// The present value.
    pub now: i16,
    /// The lowest and highest since that was reset, where it keeps them.
    pub extremes: Option<[i16; 2]>,
    /// The lowest and the highest that is in order; where there is no such limit, none.
    pub normal: [Option<i16>; 2],
}

/// Something that it reports.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct FixtureReport {
    /// How bad it is.
    pub how_bad: HowBad,
    /// Which message (E1.20, appendix B-2); from 0x8000 on the maker's own.
    pub code: u16,
    /// The two values that belong to it.
    pub values: [i16; 2],
}

/// How bad a report is, as the fixture itself says.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum HowBad {
    /// Worth knowing.
    Note,
    /// A warning.
    Warning,
    /// An error.
    Error,
    /// It is over.
    Over,
}

/// Damaged messages that it counted; a counter that has reached its end stays there.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Line {
    /// Too short.
    pub short: u16,
    /// Of another length than they said.
    pub mismatched: u16,
    /// With a wrong checksum.
    pub damaged: u16,
}

impl Sensor {
    pub(crate) fn of(definition: &SensorDefinition, value: SensorValue) -> Self {
        let limit = |limit: i16, none: i16| (limit != none).then_some(limit);
        Self {
            name: definition.name.as_str().into(),
            quantity: definition.quantity.to_string(),
            unit: definition.unit.to_string(),
            now: value.now,
            extremes: definition.keeps_extremes.then_some([value.lowest, value.highest]),
            normal: [limit(definition.normal[0], i16::MIN), limit(definition.normal[1], i16::MAX)],
        }
    }

    /// Whether its present value is in order.
    #[must_use]
    pub fn is_normal(&self) -> bool {
        let [low, high] = self.normal;
        low.is_none_or(|low| low <= self.now) && high.is_none_or(|high| self.now <= high)
    }

    /// What is in order, in words; empty where it has no limits.
    #[must_use]
    pub fn normal_in_words(&self) -> String {
        match self.normal {
            [None, None] => String::new(),
            [None, Some(high)] => format!("up to {high}"),
            [Some(low), None] => format!("from {low}"),
            [Some(low), Some(high)] => format!("{low} to {high}"),
        }
    }
}

impl fmt::Display for Sensor {
    /// "head 41 °C, lowest 20, highest 63".
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.name.is_empty() {
            f.write_str(&self.quantity)?;
        } else {
            self.name.fmt(f)?;
        }
        write!(f, " {}", self.now)?;
        if !self.unit.is_empty() {
            write!(f, " {}", self.unit)?;
        }
        match self.extremes {
            Some([low, high]) => write!(f, ", lowest {low}, highest {high}"),
            None => Ok(()),
        }
    }
}

impl From<StatusMessage> for FixtureReport {
    fn from(message: StatusMessage) -> Self {
        let how_bad = match message.status {
            status if status.is_over() => HowBad::Over,
            StatusType::ERROR => HowBad::Error,
            StatusType::WARNING => HowBad::Warning,
            _ => HowBad::Note,
        };
        Self { how_bad, code: message.id, values: message.values }
    }
}

impl FixtureReport {
    /// What it means (E1.20, appendix B-2); `None` for a maker's own and an unknown one.
    #[must_use]
    pub const fn meaning(&self) -> Option<&'static str> {
        Some(match self.code {
            0x0001 => "it could not find its positions",
            0x0002 => "a sensor was not found",
            0x0003 => "a sensor is always on",
            0x0011 => "the lamp has gone out",
            0x0012 => "the lamp does not strike",
            0x0021 => "it is too hot",
            0x0022 => "it is too cold",
            0x0023 => "a sensor is out of its range",
            0x0031 => "a phase has too much voltage",
            0x0032 => "a phase has too little voltage",
            0x0033 => "too much current",
            0x0034 => "too little current",
            0x0035 => "a phase has another angle than it should",
            0x0036 => "a phase has an error",
            0x0037 => "current",
            0x0038 => "voltage",
            0x0041 => "nothing is in a dimmer's place",
            0x0042 => "a breaker has tripped",
            0x0043 => "power",
            0x0044 => "a dimmer has failed",
            0x0045 => "it is in panic mode",
            0x0050 => "it is ready",
            0x0051 => "it is not ready",
            0x0052 => "its fluid runs low",
            _ => return None,
        })
    }
}

impl fmt::Display for FixtureReport {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.meaning() {
            Some(meaning) => f.write_str(meaning)?,
            None => write!(f, "report 0x{:04x}", self.code)?,
        }
        if self.values != [0, 0] {
            write!(f, " ({}, {})", self.values[0], self.values[1])?;
        }
        if self.how_bad == HowBad::Over { f.write_str(", over") } else { Ok(()) }
    }
}

impl From<LineCounters> for Line {
    fn from(told: LineCounters) -> Self {
        Self { short: told.short, mismatched: told.mismatched, damaged: told.damaged }
    }
}

impl Line {
    /// How many messages came damaged, whichever way.
    #[must_use]
    pub fn sum(&self) -> u32 {
        [self.short, self.mismatched, self.damaged].into_iter().map(u32::from).sum()
    }
}

impl Health {
    /// Whether it told nothing of it.
    #[must_use]
    pub fn is_untold(&self) -> bool {
        *self == Self::default()
    }
}
