//! Settings of a fixture beside where it starts, its mode and its label (E1.20, sections 10.7 to 10.10).

use std::fmt;

use lantern_wire::rdm::parameter;

use super::Value;

/// One of them. Each is a single byte of RDM.
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
}

/// E1.20, section 10.8.2.
const DISPLAY_INVERT: &[(&str, u8)] = &[("off", 0), ("on", 1), ("auto", 2)];
/// E1.20, table A-8.
const LAMP: &[(&str, u8)] = &[("off", 0), ("on", 1), ("strike", 2), ("standby", 3)];
/// E1.20, table A-9.
const LAMP_AT_START: &[(&str, u8)] = &[("off", 0), ("by-dmx", 1), ("on", 2), ("after-calibration", 3)];

impl FixtureSetting {
    /// All of them, in the order in which they are told.
    pub const ALL: [Self; 7] = [
        Self::PanInvert,
        Self::TiltInvert,
        Self::PanTiltSwap,
        Self::DisplayInvert,
        Self::DisplayLevel,
        Self::Lamp,
        Self::LampAtStart,
    ];

    /// What it can be.
    #[must_use]
    pub const fn form(self) -> Form {
        match self {
            Self::PanInvert | Self::TiltInvert | Self::PanTiltSwap => Form::OnOff,
            Self::DisplayLevel => Form::Level,
            Self::DisplayInvert => Form::Words(DISPLAY_INVERT),
            Self::Lamp => Form::Words(LAMP),
            Self::LampAtStart => Form::Words(LAMP_AT_START),
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
        }
    }

    /// Whether it is kept when a fixture is set as it was: not what its lamp happens to do.
    #[must_use]
    pub const fn is_kept(self) -> bool {
        !matches!(self, Self::Lamp)
    }

    /// What its byte means. One that has no word is told by its number.
    pub(crate) fn value(self, byte: u8) -> Value {
        match self.form() {
            Form::OnOff => Value::Flag(byte != 0),
            Form::Level => Value::Count(byte.into()),
            Form::Words(words) => match words.iter().find(|(_, one)| *one == byte) {
                Some((word, _)) => Value::Text((*word).into()),
                None => Value::Text(byte.to_string().as_str().into()),
            },
        }
    }

    /// The byte that means this value; `None` for one that it cannot be.
    pub(crate) fn byte(self, value: &Value) -> Option<u8> {
        match (self.form(), value) {
            (Form::OnOff, Value::Flag(on)) => Some(u8::from(*on)),
            (Form::Level, Value::Count(level)) => u8::try_from(*level).ok(),
            (Form::Words(words), Value::Text(text)) => {
                words.iter().find(|(word, _)| *word == text.raw()).map(|(_, byte)| *byte)
            }
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
        };
        value.filter(|value| self.byte(value).is_some()).ok_or_else(|| format!("{self} is {}", self.form()))
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
            for byte in 0..=3 {
                let value = setting.value(byte);
                let back = setting.byte(&value);
                assert!(back == Some(byte) || byte > 1, "{setting} {byte}");
                assert!(back.is_none() || setting.read(&value.to_string()).as_ref() == Ok(&value));
            }
        }
        assert_eq!(FixtureSetting::Lamp.value(0x7f).to_string(), "127", "an error, which nobody is told to be");
        assert_eq!(FixtureSetting::Lamp.read("127").unwrap_err(), "lamp is one of off, on, strike, standby");
        assert_eq!(
            FixtureSetting::DisplayLevel.read("256").unwrap_err(),
            "display level is a number from 0 to 255"
        );
        assert_eq!(FixtureSetting::PanInvert.read("yes").unwrap_err(), "pan invert is on or off");
    }
}
