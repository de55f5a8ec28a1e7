//! Settings of a fixture beside where it starts, its mode and its label (E1.20, sections 10.7 to 10.11; E1.37-1).

use std::fmt;

use lantern_wire::rdm::{Behaviour, parameter};

use super::{Value, behaviour};

/// One of them, or an order that goes the same way.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum FixtureSetting {
    /// Whether pan turns the other way.
    PanInvert,
    /// Whether tilt turns the other way.
    TiltInvert,
    /// Whether pan and tilt have changed places.
    PanTiltSwap,
    /// Whether its display stands on its head.
    DisplayInvert,
    /// How bright its display is, 0 to 255.
    DisplayLevel,
    /// What its lamp does.
    Lamp,
    /// What its lamp does when it starts.
    LampAtStart,
    /// Which scene it shows when data stops.
    FailMode,
    /// Which scene it shows when it starts without data.
    StartupMode,
    /// An order: everything is as it left the factory.
    FactoryDefaults,
    /// An order: it starts anew. No fixture tells it.
    Reset,
}

/// What one can be.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// Yes or no.
    OnOff,
    /// A number, 0 to 255.
    Level,
    /// One of these words, each with its byte.
    Words(&'static [(&'static str, u8)]),
    /// A scene, when it comes, how long it stays, and at which level.
    Scene,
}

/// E1.20, section 10.8.2.
const DISPLAY_INVERT: &[(&str, u8)] = &[("off", 0), ("on", 1), ("auto", 2)];
/// E1.20, table A-8.
const LAMP: &[(&str, u8)] = &[("off", 0), ("on", 1), ("strike", 2), ("standby", 3)];
/// E1.20, table A-9.
const LAMP_AT_START: &[(&str, u8)] = &[("off", 0), ("by-dmx", 1), ("on", 2), ("after-calibration", 3)];
/// E1.20, section 10.11.2.
const RESET: &[(&str, u8)] = &[("warm", 1), ("cold", 0xff)];

impl FixtureSetting {
    /// All settings, in the order in which they are told.
    pub const ALL: [Self; 9] = [
        Self::PanInvert,
        Self::TiltInvert,
        Self::PanTiltSwap,
        Self::DisplayInvert,
        Self::DisplayLevel,
        Self::Lamp,
        Self::LampAtStart,
        Self::FailMode,
        Self::StartupMode,
    ];

    /// What it can be.
    #[must_use]
    pub const fn form(self) -> Form {
        match self {
            Self::PanInvert | Self::TiltInvert | Self::PanTiltSwap | Self::FactoryDefaults => Form::OnOff,
            Self::DisplayLevel => Form::Level,
            Self::DisplayInvert => Form::Words(DISPLAY_INVERT),
            Self::Lamp => Form::Words(LAMP),
            Self::LampAtStart => Form::Words(LAMP_AT_START),
            Self::FailMode | Self::StartupMode => Form::Scene,
            Self::Reset => Form::Words(RESET),
        }
    }

    /// Its key on the sheet; with a space for each `_` what it is called.
    #[must_use]
    pub const fn key(self) -> &'static str {
        match self {
            Self::PanInvert => "pan_invert",
            Self::TiltInvert => "tilt_invert",
            Self::PanTiltSwap => "pan_tilt_swap",
            Self::DisplayInvert => "display_invert",
            Self::DisplayLevel => "display_level",
            Self::Lamp => "lamp",
            Self::LampAtStart => "lamp_at_start",
            Self::FailMode => "fail_mode",
            Self::StartupMode => "startup_mode",
            Self::FactoryDefaults => "factory_defaults",
            Self::Reset => "reset",
        }
    }

    pub(super) const fn name(self) -> &'static str {
        match self {
            Self::PanInvert => "pan invert",
            Self::TiltInvert => "tilt invert",
            Self::PanTiltSwap => "pan tilt swap",
            Self::DisplayInvert => "display invert",
            Self::DisplayLevel => "display level",
            Self::Lamp => "lamp",
            Self::LampAtStart => "lamp at start",
            Self::FailMode => "fail mode",
            Self::StartupMode => "startup mode",
            Self::FactoryDefaults => "factory defaults",
            Self::Reset => "reset",
        }
    }

    /// Its parameter of RDM.
    pub(crate) const fn parameter(self) -> u16 {
        match self {
            Self::PanInvert => parameter::PAN_INVERT,
            Self::TiltInvert => parameter::TILT_INVERT,
            Self::PanTiltSwap => parameter::PAN_TILT_SWAP,
            Self::DisplayInvert => parameter::DISPLAY_INVERT,
            Self::DisplayLevel => parameter::DISPLAY_LEVEL,
            Self::Lamp => parameter::LAMP_STATE,
            Self::LampAtStart => parameter::LAMP_ON_MODE,
            Self::FailMode => parameter::FAIL_MODE,
            Self::StartupMode => parameter::STARTUP_MODE,
            Self::FactoryDefaults => parameter::FACTORY_DEFAULTS,
            Self::Reset => parameter::RESET_DEVICE,
        }
    }

    /// Whether it is kept when a fixture is set as it was: not what its lamp happens to do, and no order.
    #[must_use]
    pub const fn is_kept(self) -> bool {
        !matches!(self, Self::Lamp) && !self.is_order()
    }

    /// Whether it is told once, and is no setting that a sheet could have.
    #[must_use]
    pub const fn is_order(self) -> bool {
        matches!(self, Self::FactoryDefaults | Self::Reset)
    }

    /// What the data of an answer mean; `None` where they make no sense. A byte that has no word is told by its number.
    pub(crate) fn value(self, data: &[u8]) -> Option<Value> {
        Some(match (self.form(), data) {
            (Form::OnOff, [byte]) => Value::Flag(*byte != 0),
            (Form::Level, [byte]) => Value::Count((*byte).into()),
            (Form::Words(words), [byte]) => match words.iter().find(|(_, one)| one == byte) {
                Some((word, _)) => Value::Text((*word).into()),
                None => Value::Text(byte.to_string().as_str().into()),
            },
            (Form::Scene, data) => Value::Text(behaviour::in_words(Behaviour::read(data)?).as_str().into()),
            _ => return None,
        })
    }

    /// What sets it to this value; `None` for one that it cannot be.
    pub(crate) fn data(self, value: &Value) -> Option<Vec<u8>> {
        match (self.form(), value) {
            // The order has no data (E1.20, section 10.4.5).
            (Form::OnOff, Value::Flag(on)) if self == Self::FactoryDefaults => on.then(Vec::new),
            (Form::OnOff, Value::Flag(on)) => Some(vec![u8::from(*on)]),
            (Form::Level, Value::Count(level)) => u8::try_from(*level).ok().map(|level| vec![level]),
            (Form::Words(words), Value::Text(text)) => {
                words.iter().find(|(word, _)| *word == text.raw()).map(|(_, byte)| vec![*byte])
            }
            (Form::Scene, Value::Text(text)) => behaviour::read(text.raw()).map(Behaviour::to_bytes),
            _ => None,
        }
    }

    /// Reads what somebody typed.
    ///
    /// # Errors
    /// What it can be.
    pub fn read(self, text: &str) -> Result<Value, String> {
        let value = match (self.form(), text) {
            (Form::OnOff, "on") => Some(Value::Flag(true)),
            (Form::OnOff, "off") => Some(Value::Flag(false)),
            (Form::OnOff, _) => None,
            (Form::Level, text) => text.parse::<u8>().ok().map(|level| Value::Count(level.into())),
            (Form::Words(_), text) => Some(Value::Text(text.into())),
            (Form::Scene, text) => {
                behaviour::read(text).map(|one| Value::Text(behaviour::in_words(one).as_str().into()))
            }
        };
        value.filter(|value| self.data(value).is_some()).ok_or_else(|| format!("{self} is {}", self.form()))
    }
}

impl fmt::Display for FixtureSetting {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}

impl fmt::Display for Form {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::OnOff => f.write_str("on or off"),
            Self::Level => f.write_str("a number from 0 to 255"),
            Self::Words(words) => {
                let words: Vec<&str> = words.iter().map(|(word, _)| *word).collect();
                write!(f, "one of {}", words.join(", "))
            }
            Self::Scene => f.write_str("a scene like \"scene 3 after 2.5 s for 10 s at 255\", or for ever"),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_is_read_and_written_back() {
        for setting in FixtureSetting::ALL {
            assert_eq!(setting.key().replace('_', " "), setting.to_string());
            let scene = setting.form() == Form::Scene;
            for byte in 0..=3 {
                let data = if scene { vec![0, byte, 0, 25, 0xff, 0xff, byte] } else { vec![byte] };
                let value = setting.value(&data).unwrap();
                let back = setting.data(&value);
                assert!(back == Some(data) || byte > 1, "{setting} {byte}");
                assert!(back.is_none() || setting.read(&value.to_string()).as_ref() == Ok(&value));
            }
        }
        let error = FixtureSetting::Lamp.value(&[0x7f]).unwrap();
        assert_eq!(error.to_string(), "127", "an error, which nobody is told to be");
        assert_eq!(FixtureSetting::FailMode.value(&[0, 1, 0]), None);
        assert_eq!(FixtureSetting::Lamp.read("127").unwrap_err(), "lamp is one of off, on, strike, standby");
        assert_eq!(
            FixtureSetting::DisplayLevel.read("256").unwrap_err(),
            "display level is a number from 0 to 255"
        );
        assert_eq!(FixtureSetting::PanInvert.read("yes").unwrap_err(), "pan invert is on or off");
    }
}
