//! What a device answers.

use core::fmt;

use super::Question;
use crate::{Layer, WireError};

/// An answer to a question.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Answer {
    /// To which one.
    pub to: Question,
    /// What it tells, or why nothing.
    pub told: Result<String, NoAnswer>,
}

/// Why a device does not answer a question.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NoAnswer {
    /// It does not know it (ERR1).
    Unknown,
    /// The parameter is out of range (ERR2).
    OutOfRange,
    /// Not now, as in standby (ERR3).
    NotNow,
    /// Something is broken in it (ERR4).
    Broken,
}

/// Whether a device is on (`POWR`).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Power {
    /// In standby.
    Off,
    /// On.
    On,
    /// Cooling down.
    Cooling,
    /// Warming up.
    Warming,
}

/// What is wrong with a device (`ERST`), in the order in which it is told.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Faults([u8; 6]);

const PARTS: [&str; 6] = ["fan", "lamp", "temperature", "cover", "filter", "something else"];

impl Answer {
    /// Reads a line, without its end.
    ///
    /// # Errors
    /// When it is no answer to a question that is known.
    pub fn parse(line: &str) -> Result<Self, WireError> {
        let foreign = WireError::Foreign { layer: Layer::Pjlink };
        let body = line.strip_prefix('%').ok_or(foreign)?;
        let (head, value) = body.split_once('=').ok_or(foreign)?;
        let word = head.get(1..).filter(|_| head.starts_with(['1', '2'])).ok_or(foreign)?;
        let to = Question::of_word(word).ok_or(foreign)?;
        let told = match value.to_ascii_uppercase().as_str() {
            "ERR1" => Err(NoAnswer::Unknown),
            "ERR2" => Err(NoAnswer::OutOfRange),
            "ERR3" => Err(NoAnswer::NotNow),
            "ERR4" => Err(NoAnswer::Broken),
            _ => Ok(value.to_owned()),
        };
        Ok(Self { to, told })
    }
}

impl Power {
    /// Reads what `POWR` tells; `None` for what means nothing.
    #[must_use]
    pub fn parse(value: &str) -> Option<Self> {
        Some(match value {
            "0" => Self::Off,
            "1" => Self::On,
            "2" => Self::Cooling,
            "3" => Self::Warming,
            _ => return None,
        })
    }
}

impl Faults {
    /// Reads what `ERST` tells; `None` for what is not six digits from 0 to 2.
    #[must_use]
    pub fn parse(value: &str) -> Option<Self> {
        let digits: [u8; 6] = value.as_bytes().try_into().ok()?;
        digits.iter().all(|digit| (b'0'..=b'2').contains(digit)).then(|| Self(digits.map(|digit| digit - b'0')))
    }

    /// Whether nothing is wrong.
    #[must_use]
    pub fn is_fine(self) -> bool {
        self.0 == [0; 6]
    }
}

impl fmt::Display for Faults {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.is_fine() {
            return f.write_str("none");
        }
        let wrong = PARTS.iter().zip(self.0).filter(|(_, state)| *state > 0);
        for (i, (part, state)) in wrong.enumerate() {
            let comma = if i > 0 { ", " } else { "" };
            write!(f, "{comma}{part}: {}", if state == 1 { "warning" } else { "error" })?;
        }
        Ok(())
    }
}

/// The hours of the lamp that has burned longest, of what `LAMP` tells: hours and whether it is on, for each lamp.
#[must_use]
pub fn lamp_hours(value: &str) -> Option<u32> {
    let numbers: Option<Vec<u32>> = value.split_whitespace().map(|number| number.parse().ok()).collect();
    let numbers = numbers.filter(|numbers| !numbers.is_empty() && numbers.len().is_multiple_of(2))?;
    numbers.as_chunks::<2>().0.iter().map(|[hours, _]| *hours).max()
}

/// What an input is called: its sort and its number. `None` for what means nothing.
#[must_use]
pub fn input_in_words(value: &str) -> Option<String> {
    let (sort, number) = value.split_at_checked(1)?;
    let sort = match sort {
        "1" => "RGB",
        "2" => "video",
        "3" => "digital",
        "4" => "storage",
        "5" => "network",
        "6" => "internal",
        _ => return None,
    };
    let is_number = number.len() == 1 && number.bytes().all(|byte| byte.is_ascii_alphanumeric());
    is_number.then(|| format!("{sort} {number}"))
}
