//! One connection: the greeting, the password, question after question.

use std::collections::VecDeque;

use lantern_wire::pjlink::{
    Answer, END, Faults, Greeting, LONGEST_LINE, NoAnswer, Power, Question, input_in_words, lamp_hours,
};

use super::FIELDS;
use crate::facts::{Facts, Field, Value};
use crate::secret::Secret;
use crate::{Access, Said};

/// The most lines that are looked at for one question.
const MOST_LINES: u32 = 8;

/// What is to be done next on the connection.
#[derive(Debug, PartialEq, Eq)]
pub(super) enum Next {
    /// Write this, and wait for an answer.
    Write(Vec<u8>),
    /// Wait for the rest of a line.
    Wait,
    /// Everything was told, or nothing more is going to be.
    Close,
    /// This is no PJLink at all.
    Foreign,
}

/// What was said so far.
#[derive(Debug)]
pub(super) struct Reading {
    secret: Option<Secret>,
    /// What came and is no whole line yet.
    rest: Vec<u8>,
    greeted: bool,
    /// Whether the first question has been answered: then the password was right.
    let_in: bool,
    open: VecDeque<Question>,
    lines: u32,
    pub(super) facts: Facts,
}

impl Reading {
    /// A connection that has just been opened, to a device of which this is the password, if there is one.
    pub(super) fn new(secret: Option<Secret>) -> Self {
        Self {
            secret,
            rest: Vec::new(),
            greeted: false,
            let_in: false,
            open: Question::OF_CLASS_1.into(),
            lines: 0,
            facts: Facts::able(&FIELDS),
        }
    }

    /// Whether it greeted as PJLink does.
    pub(super) const fn is_greeted(&self) -> bool {
        self.greeted
    }

    /// Takes in what came.
    pub(super) fn hear(&mut self, bytes: &[u8]) -> Next {
        self.rest.extend_from_slice(bytes);
        let mut next = Next::Wait;
        while let Some(end) = self.rest.iter().position(|byte| *byte == END) {
            let line: Vec<u8> = self.rest.drain(..=end).collect();
            let line = String::from_utf8_lossy(&line[..end]).trim_matches(['\r', '\n', '\0']).to_owned();
            self.lines += 1;
            next = if self.lines > MOST_LINES { Next::Close } else { self.take(&line) };
            if next != Next::Wait {
                break;
            }
        }
        // No line is as long as that.
        if self.rest.len() > LONGEST_LINE {
            return if self.greeted { Next::Close } else { Next::Foreign };
        }
        next
    }

    fn take(&mut self, line: &str) -> Next {
        match Greeting::parse(line) {
            Ok(Greeting::Refused) => {
                self.facts.learn(Field::Access, Value::Access(Access::Refused));
                return Next::Close;
            }
            Ok(greeting) if !self.greeted => return self.greet(&greeting),
            Ok(_) => return Next::Wait,
            Err(_) if !self.greeted => return Next::Foreign,
            Err(_) => {}
        }
        match (Answer::parse(line), self.open.front()) {
            (Ok(answer), Some(question)) if answer.to == *question => {
                self.let_in();
                self.learn(&answer);
                self.open.pop_front();
                self.lines = 0;
                self.ask("")
            }
            _ => Next::Wait,
        }
    }

    fn greet(&mut self, greeting: &Greeting) -> Next {
        self.greeted = true;
        self.lines = 0;
        match (greeting, &self.secret) {
            (Greeting::Locked(_), None) => {
                self.facts.learn(Field::Access, Value::Access(Access::Locked));
                Next::Close
            }
            (Greeting::Locked(_), Some(secret)) => {
                let answer = greeting.answer(secret.expose());
                self.ask(&answer)
            }
            _ => self.ask(""),
        }
    }

    fn let_in(&mut self) {
        if !std::mem::replace(&mut self.let_in, true) {
            self.facts.learn(Field::Access, Value::Access(Access::Open));
        }
    }

    fn ask(&self, before: &str) -> Next {
        self.open.front().map_or(Next::Close, |question| Next::Write(question.to_bytes(before)))
    }

    /// No answer came to the present question: on to the next, while it has ever answered.
    pub(super) fn pass(&mut self) -> Next {
        self.open.pop_front();
        if self.let_in { self.ask("") } else { Next::Close }
    }

    fn learn(&mut self, answer: &Answer) {
        let (question, told) = (answer.to, &answer.told);
        let field = match question {
            Question::Name => Field::Name,
            Question::Maker => Field::Maker,
            Question::Model => Field::Model,
            Question::Power => Field::Power,
            Question::Input => Field::Input,
            Question::Faults => Field::Faults,
            Question::Lamps => Field::LampHours,
            Question::Serial => Field::Serial,
            Question::Version => Field::Version,
            Question::Class => {
                if matches!(told.as_deref(), Ok("2")) {
                    self.open.extend(Question::OF_CLASS_2);
                }
                return;
            }
            Question::Other => return,
        };
        match told {
            Ok(told) => {
                if let Some(value) = value(question, told) {
                    self.facts.learn(field, value);
                }
            }
            Err(NoAnswer::Unknown | NoAnswer::OutOfRange) => self.facts.cannot_tell(field),
            // In standby it tells less; it could.
            Err(NoAnswer::NotNow | NoAnswer::Broken) => {}
        }
    }
}

/// What an answer means; `None` for nonsense, which is as good as untold.
fn value(question: Question, told: &str) -> Option<Value> {
    let text = |text: &str| Some(Value::Text(Said::from(text)));
    match question {
        Question::Power => Power::parse(told).map(|power| Value::Power(power.into())),
        Question::Input => input_in_words(told).and_then(|input| text(&input)),
        Question::Faults => Faults::parse(told).and_then(|faults| text(&faults.to_string())),
        Question::Lamps => lamp_hours(told).map(Value::Count),
        _ => text(told),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn say(reading: &mut Reading, line: &str) -> Next {
        reading.hear(format!("{line}\r").as_bytes())
    }

    fn asked(next: &Next) -> String {
        let Next::Write(bytes) = next else { return format!("{next:?}") };
        String::from_utf8_lossy(bytes).trim_end().to_owned()
    }

    #[test]
    fn it_asks_everything_and_learns_what_is_told() {
        let mut reading = Reading::new(None);
        assert_eq!(asked(&say(&mut reading, "PJLINK 0")), "%1CLSS ?");
        assert_eq!(asked(&say(&mut reading, "%1CLSS=2")), "%1NAME ?");
        // A line that answers something else, and one that comes in pieces.
        assert_eq!(say(&mut reading, "%1POWR=1"), Next::Wait);
        assert_eq!(reading.hear(b"%1NAME=Back w"), Next::Wait);
        assert_eq!(asked(&reading.hear(b"all\r")), "%1INF1 ?");
        for (line, next) in [
            ("%1INF1=Tessaquill", "%1INF2 ?"),
            ("%1INF2=Wall", "%1INFO ?"),
            ("%1INFO=ERR1", "%1POWR ?"),
            ("%1POWR=3", "%1INPT ?"),
            ("%1INPT=ERR3", "%1ERST ?"),
            ("%1ERST=020000", "%1LAMP ?"),
            ("%1LAMP=ERR1", "%2SNUM ?"),
            ("%2SNUM=4711", "%2SVER ?"),
            ("%2SVER=1.2", "Close"),
        ] {
            assert_eq!(asked(&say(&mut reading, line)), next);
        }
        let told: Vec<String> =
            reading.facts.told().map(|(field, value)| format!("{field} {}", field.in_words(value))).collect();
        assert_eq!(
            told,
            [
                "name Back wall",
                "maker Tessaquill",
                "model Wall",
                "serial 4711",
                "version 1.2",
                "power warming",
                "faults lamp: error",
                "access open"
            ]
        );
        assert!(!reading.facts.is_whole(), "the input was not told");
    }

    #[test]
    fn a_password_is_said_only_when_it_is_wanted_and_a_wrong_one_is_told() {
        let secret = || Some(Secret::new("JBMIAProjectorLink".to_owned()));
        let mut reading = Reading::new(secret());
        assert_eq!(asked(&say(&mut reading, "PJLINK 0")), "%1CLSS ?");
        let mut reading = Reading::new(secret());
        let first = asked(&say(&mut reading, "PJLINK 1 498e4a67"));
        assert_eq!(first, "5d8409bc1c3fa39749434aa3a5c38682%1CLSS ?");
        assert_eq!(say(&mut reading, "PJLINK ERRA"), Next::Close);
        assert_eq!(reading.facts.get(Field::Access), Some(&Value::Access(Access::Refused)));
        let mut reading = Reading::new(None);
        assert_eq!(say(&mut reading, "PJLINK 1 498e4a67"), Next::Close);
        assert_eq!(reading.facts.get(Field::Access), Some(&Value::Access(Access::Locked)));
    }

    #[test]
    fn what_is_no_pjlink_and_what_never_ends_is_left() {
        assert_eq!(say(&mut Reading::new(None), "HTTP/1.1 400 Bad Request"), Next::Foreign);
        assert_eq!(Reading::new(None).hear(&[b'x'; 500]), Next::Foreign);
        let mut reading = Reading::new(None);
        say(&mut reading, "PJLINK 0");
        assert_eq!(reading.hear(&[b'x'; 500]), Next::Close);
        let mut reading = Reading::new(None);
        say(&mut reading, "PJLINK 0");
        let last = (0..20).map(|_| say(&mut reading, "noise")).find(|next| *next != Next::Wait);
        assert_eq!(last, Some(Next::Close));
    }
}
