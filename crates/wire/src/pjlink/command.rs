//! What can be told (section 4 of class 1).

use super::{END, Question, input_in_words};

/// A command.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Command {
    /// Go on, or into standby (`POWR`).
    Power(bool),
    /// Show this input, as the protocol codes it (`INPT`): its sort and its number.
    Input(String),
}

impl Command {
    /// The input that is called so, as [`input_in_words`] says it: `digital 1`.
    #[must_use]
    pub fn input(words: &str) -> Option<Self> {
        let codes =
            (b'1'..=b'6').flat_map(|sort| (b'1'..=b'9').chain(b'A'..=b'Z').map(move |number| [sort, number]));
        let mut codes = codes.map(|code| code.map(char::from).iter().collect::<String>());
        let is_meant =
            |code: &String| input_in_words(code).is_some_and(|called| called.eq_ignore_ascii_case(words));
        codes.find(is_meant).map(Self::Input)
    }

    /// The question that is answered with what was told, once it is so.
    #[must_use]
    pub const fn question(&self) -> Question {
        match self {
            Self::Power(_) => Question::Power,
            Self::Input(_) => Question::Input,
        }
    }

    /// The line, without what a greeting wants before it and without its end.
    #[must_use]
    pub fn line(&self) -> String {
        let (class, word) = self.question().word();
        match self {
            Self::Power(on) => format!("%{class}{word} {}", u8::from(*on)),
            Self::Input(code) => format!("%{class}{word} {code}"),
        }
    }

    /// The bytes of the line, after what a greeting wants.
    #[must_use]
    pub fn to_bytes(&self, before: &str) -> Vec<u8> {
        let mut line = format!("{before}{}", self.line()).into_bytes();
        line.push(END);
        line
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn inputs_are_known_by_what_they_are_called() {
        assert_eq!(Command::input("digital 1"), Some(Command::Input("31".to_owned())));
        assert_eq!(Command::input("RGB a"), Some(Command::Input("1A".to_owned())));
        assert_eq!((Command::input("digital"), Command::input("31")), (None, None));
        assert_eq!(Command::Power(true).to_bytes("x"), b"x%1POWR 1\r");
    }
}
