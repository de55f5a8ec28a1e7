//! What is asked so that it shows how a unit is.

use lantern_wire::rdm::{LineCounters, SensorDefinition, SensorValue, StatusMessage, StatusType, parameter};

use crate::census::{FixtureReport, Health, Sensor};

/// The most sensors of one unit that are asked for.
const MOST_SENSORS: u8 = 32;
/// The most reports kept of one unit.
const MOST_REPORTS: usize = 64;

/// Something about how it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Ask {
    Hours,
    PowerCycles,
    LampHours,
    LampStrikes,
    Reports,
    Line,
    /// What the sensor of this number is.
    Sensor(u8),
    /// What it measures.
    SensorValue(u8),
}

impl Ask {
    pub(super) const fn parameter(self) -> u16 {
        match self {
            Self::Hours => parameter::DEVICE_HOURS,
            Self::PowerCycles => parameter::POWER_CYCLES,
            Self::LampHours => parameter::LAMP_HOURS,
            Self::LampStrikes => parameter::LAMP_STRIKES,
            Self::Reports => parameter::STATUS_MESSAGES,
            Self::Line => parameter::COMMS_STATUS,
            Self::Sensor(_) => parameter::SENSOR_DEFINITION,
            Self::SensorValue(_) => parameter::SENSOR_VALUE,
        }
    }

    pub(super) fn data(self) -> Vec<u8> {
        match self {
            Self::Sensor(number) | Self::SensorValue(number) => vec![number],
            Self::Reports => vec![StatusType::ADVISORY.0],
            _ => Vec::new(),
        }
    }

    /// Everything to ask one that knows these parameters and has so many sensors.
    pub(super) fn all(supported: &[u16], sensors: u8) -> Vec<Self> {
        let single =
            [Self::Hours, Self::PowerCycles, Self::LampHours, Self::LampStrikes, Self::Reports, Self::Line];
        let of_sensors =
            (0..sensors.min(MOST_SENSORS)).flat_map(|one| [Self::Sensor(one), Self::SensorValue(one)]);
        single.into_iter().chain(of_sensors).filter(|ask| supported.contains(&ask.parameter())).collect()
    }
}

/// What was told so far: a sensor counts when both what it is and what it measures were.
#[derive(Debug, Clone, Default)]
pub(super) struct Told {
    pub(super) health: Health,
    sensor: Option<SensorDefinition>,
}

impl Told {
    /// Takes in an answer. Gives whether it makes sense.
    pub(super) fn take(&mut self, ask: Ask, data: &[u8]) -> bool {
        let count = parameter::number(data);
        match ask {
            Ask::Hours => self.health.hours = count,
            Ask::PowerCycles => self.health.power_cycles = count,
            Ask::LampHours => self.health.lamp_hours = count,
            Ask::LampStrikes => self.health.lamp_strikes = count,
            Ask::Reports => {
                let told = StatusMessage::read_all(data).into_iter().map(FixtureReport::from);
                self.health.reports = told.take(MOST_REPORTS).collect();
                return true;
            }
            Ask::Line => {
                self.health.line = LineCounters::read(data).map(Into::into);
                return self.health.line.is_some();
            }
            Ask::Sensor(number) => {
                self.sensor = SensorDefinition::read(data).filter(|sensor| sensor.number == number);
                return self.sensor.is_some();
            }
            Ask::SensorValue(number) => {
                let value = SensorValue::read(data).filter(|value| value.number == number);
                let definition = self.sensor.take().filter(|sensor| sensor.number == number);
                self.health.sensors.extend(definition.zip(value).map(|(what, value)| Sensor::of(&what, value)));
                return value.is_some();
            }
        }
        count.is_some()
    }
}
