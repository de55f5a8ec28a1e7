//! What can be asked (section 4 of class 1, section 4 of class 2).

use super::END;

/// A question.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Question {
    /// Its class: 1 or 2.
    Class,
    /// What its owner calls it.
    Name,
    /// Its maker.
    Maker,
    /// Its model.
    Model,
    /// What else it tells of itself.
    Other,
    /// Whether it is on.
    Power,
    /// Which input is shown.
    Input,
    /// What is wrong with it.
    Faults,
    /// How long its lamps have burned.
    Lamps,
    /// Its serial number (class 2).
    Serial,
    /// The version of its software (class 2).
    Version,
}

impl Question {
    /// Those of every device.
    pub const OF_CLASS_1: [Self; 9] = [
        Self::Class,
        Self::Name,
        Self::Maker,
        Self::Model,
        Self::Other,
        Self::Power,
        Self::Input,
        Self::Faults,
        Self::Lamps,
    ];
    /// Those that class 2 adds.
    pub const OF_CLASS_2: [Self; 2] = [Self::Serial, Self::Version];

    /// Its class and its word.
    #[must_use]
    pub const fn word(self) -> (char, &'static str) {
        match self {
            Self::Class => ('1', "CLSS"),
            Self::Name => ('1', "NAME"),
            Self::Maker => ('1', "INF1"),
            Self::Model => ('1', "INF2"),
            Self::Other => ('1', "INFO"),
            Self::Power => ('1', "POWR"),
            Self::Input => ('1', "INPT"),
            Self::Faults => ('1', "ERST"),
            Self::Lamps => ('1', "LAMP"),
            Self::Serial => ('2', "SNUM"),
            Self::Version => ('2', "SVER"),
        }
    }

    /// The question of this word.
    #[must_use]
    pub fn of_word(word: &str) -> Option<Self> {
        let all = Self::OF_CLASS_1.into_iter().chain(Self::OF_CLASS_2);
        all.into_iter().find(|question| question.word().1.eq_ignore_ascii_case(word))
    }

    /// The line that asks it, after what a greeting wants.
    #[must_use]
    pub fn to_bytes(self, before: &str) -> Vec<u8> {
        let (class, word) = self.word();
        let mut line = format!("{before}%{class}{word} ?").into_bytes();
        line.push(END);
        line
    }
}
