//! A projector or screen that speaks PJLink: it answers the search, and questions on a connection.

use std::collections::{BTreeMap, VecDeque};
use std::net::SocketAddrV4;
use std::time::Duration;

use lantern_wire::pjlink::{END, Found, Greeting, PORT, Question};
use serde::Deserialize;

use super::body::Body;
use super::{Linked, Role, Utterance};
use crate::{Destination, Speech};

/// How long it warms up and cools down.
const TURNING: Duration = Duration::from_secs(3);
/// How late one answers that is slow.
const LATE: Duration = Duration::from_millis(300);

/// A screen as a scene describes it.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct PjlinkSetup {
    /// What its owner calls it.
    pub name: String,
    /// Its maker.
    #[serde(default = "maker")]
    pub maker: String,
    /// Its model.
    #[serde(default = "model")]
    pub model: String,
    /// Its class, 1 or 2.
    #[serde(default = "one")]
    pub class: u8,
    /// The password it wants, if any.
    pub password: Option<String>,
    /// What it tells of its power: 0 off, 1 on, 2 cooling, 3 warming.
    #[serde(default = "one")]
    pub power: u8,
    /// What is wrong with it: six digits.
    #[serde(default = "fine")]
    pub faults: String,
    /// How many hours its lamp has burned.
    #[serde(default)]
    pub lamp: u32,
    /// Its habits.
    #[serde(default)]
    pub quirks: Vec<PjlinkQuirk>,
}

/// What is met all the same.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum PjlinkQuirk {
    /// Takes connections and says nothing.
    NeverGreets,
    /// Answers every question late.
    AnswersLate,
    /// Closes the connection after its greeting.
    HangsUp,
    /// Says things nobody asked for.
    Chatters,
    /// Sends a line that never ends.
    NeverEnds,
    /// Sends every byte by itself.
    InPieces,
    /// Ends lines with a line feed too.
    LineFeeds,
    /// It is something else that listens on this port.
    SpeaksHttp,
    /// Does not answer the question about its model.
    SkipsModel,
    /// Says that it takes an order, and does not.
    IgnoresOrders,
    /// Takes no order now.
    NotNow,
}

fn maker() -> String {
    "Tessaquill".to_owned()
}

fn model() -> String {
    "Wall".to_owned()
}

fn fine() -> String {
    "000000".to_owned()
}

const fn one() -> u8 {
    1
}

#[derive(Debug)]
pub(super) struct Pjlink {
    setup: PjlinkSetup,
    said: VecDeque<Utterance>,
    /// Which input it shows.
    input: String,
    /// When it has warmed up or cooled down, and what it is then.
    becomes: Option<(Duration, u8)>,
    links: BTreeMap<u64, Talk>,
    waiting: VecDeque<(Duration, u64, Linked)>,
    linked: VecDeque<(u64, Linked)>,
}

#[derive(Debug, Default)]
struct Talk {
    rest: Vec<u8>,
    random: Option<String>,
}

impl Pjlink {
    pub(super) fn new(setup: &PjlinkSetup) -> Self {
        Self {
            setup: setup.clone(),
            said: VecDeque::new(),
            input: "31".to_owned(),
            becomes: None,
            links: BTreeMap::new(),
            waiting: VecDeque::new(),
            linked: VecDeque::new(),
        }
    }

    fn has(&self, quirk: PjlinkQuirk) -> bool {
        self.setup.quirks.contains(&quirk)
    }

    fn say(&mut self, link: u64, line: &str) {
        let mut bytes = line.as_bytes().to_vec();
        bytes.push(END);
        if self.has(PjlinkQuirk::LineFeeds) {
            bytes.push(b'\n');
        }
        if self.has(PjlinkQuirk::InPieces) {
            self.linked.extend(bytes.into_iter().map(|byte| (link, Linked::Bytes(vec![byte]))));
        } else {
            self.linked.push_back((link, Linked::Bytes(bytes)));
        }
    }

    /// A line with a question: the answer, or nothing where it stays silent.
    fn answer(&mut self, now: Duration, link: u64, line: &str) -> Option<String> {
        let random = self.links.get_mut(&link).and_then(|talk| talk.random.take());
        let question = match (&random, &self.setup.password) {
            (Some(random), Some(password)) => {
                let expected = Greeting::Locked(random.clone()).answer(password);
                match line.strip_prefix(&expected) {
                    Some(question) => question,
                    None => return Some("PJLINK ERRA".to_owned()),
                }
            }
            _ => line,
        };
        let (head, value) = question.strip_prefix('%')?.split_once(' ')?;
        let (class, word) = head.split_at_checked(1)?;
        let told = match value {
            "?" => self.tell(Question::of_word(word)?)?,
            _ => self.order(now, word, value).to_owned(),
        };
        Some(format!("%{class}{word}={told}"))
    }

    /// It is told something: it heard that, or why not.
    fn order(&mut self, now: Duration, word: &str, value: &str) -> &'static str {
        if self.has(PjlinkQuirk::NotNow) {
            return "ERR3";
        }
        let ignores = self.has(PjlinkQuirk::IgnoresOrders);
        match (word, value) {
            ("POWR", "0" | "1") => {
                let (on, way) = (value == "1", if value == "1" { 3 } else { 2 });
                if !ignores && (self.setup.power == 1) != on {
                    self.setup.power = way;
                    self.becomes = Some((now + TURNING, u8::from(on)));
                }
                "OK"
            }
            ("INPT", _) if self.setup.power != 1 => "ERR3",
            ("INPT", "31" | "32" | "11") => {
                if !ignores {
                    value.clone_into(&mut self.input);
                }
                "OK"
            }
            ("INPT", _) => "ERR2",
            _ => "ERR1",
        }
    }

    fn tell(&self, question: Question) -> Option<String> {
        let class_2 = self.setup.class > 1;
        let in_standby = self.setup.power == 0;
        Some(match question {
            Question::Class => self.setup.class.to_string(),
            Question::Name => self.setup.name.clone(),
            Question::Maker => self.setup.maker.clone(),
            Question::Model if self.has(PjlinkQuirk::SkipsModel) => return None,
            Question::Model => self.setup.model.clone(),
            Question::Power => self.setup.power.to_string(),
            Question::Input if in_standby => "ERR3".to_owned(),
            Question::Input => self.input.clone(),
            Question::Faults => self.setup.faults.clone(),
            Question::Lamps => format!("{} {}", self.setup.lamp, u8::from(!in_standby)),
            Question::Serial if class_2 => "T-4711".to_owned(),
            Question::Version if class_2 => "1.20".to_owned(),
            _ => "ERR1".to_owned(),
        })
    }
}

impl Role for Pjlink {
    fn port(&self) -> Option<u16> {
        (self.setup.class > 1).then_some(PORT)
    }

    fn link_port(&self) -> Option<u16> {
        Some(PORT)
    }

    fn hear(&mut self, _: Duration, body: &mut Body, from: SocketAddrV4, bytes: &[u8]) {
        if Found::parse(bytes) == Ok(Found::Search) {
            let answer = Speech { port: PORT, to: Destination::One(from), bytes: Found::ack(body.mac) };
            self.said.push_back(Utterance::Speech(answer));
        }
    }

    fn opened(&mut self, _: Duration, link: u64) {
        if self.has(PjlinkQuirk::NeverGreets) {
            return;
        }
        if self.has(PjlinkQuirk::SpeaksHttp) {
            return self.say(link, "HTTP/1.1 400 Bad Request");
        }
        let random =
            self.setup.password.as_ref().map(|_| format!("{:08x}", link.wrapping_mul(0x9e37_79b9) & 0xffff_ffff));
        let greeting =
            random.as_ref().map_or_else(|| "PJLINK 0".to_owned(), |random| format!("PJLINK 1 {random}"));
        self.links.insert(link, Talk { rest: Vec::new(), random });
        self.say(link, &greeting);
        if self.has(PjlinkQuirk::HangsUp) {
            self.linked.push_back((link, Linked::Close));
        }
    }

    fn heard_on(&mut self, now: Duration, _: &mut Body, link: u64, bytes: &[u8]) {
        let Some(talk) = self.links.get_mut(&link) else { return };
        talk.rest.extend_from_slice(bytes);
        let mut lines = Vec::new();
        while let Some(end) = talk.rest.iter().position(|byte| *byte == END) {
            let line: Vec<u8> = talk.rest.drain(..=end).collect();
            lines.push(String::from_utf8_lossy(&line[..end]).into_owned());
        }
        for line in lines {
            if self.has(PjlinkQuirk::Chatters) {
                self.say(link, "%1POWR=OK");
            }
            if self.has(PjlinkQuirk::NeverEnds) {
                self.linked.push_back((link, Linked::Bytes(vec![b'x'; 4000])));
                continue;
            }
            let Some(answer) = self.answer(now, link, &line) else { continue };
            if self.has(PjlinkQuirk::AnswersLate) {
                let mut bytes = answer.into_bytes();
                bytes.push(END);
                self.waiting.push_back((now + LATE, link, Linked::Bytes(bytes)));
            } else {
                self.say(link, &answer);
            }
        }
    }

    fn closed(&mut self, link: u64) {
        self.links.remove(&link);
    }

    fn next_linked(&mut self) -> Option<(u64, Linked)> {
        self.linked.pop_front()
    }

    fn wake_at(&self) -> Option<Duration> {
        let becomes = self.becomes.map(|(at, _)| at);
        becomes.into_iter().chain(self.waiting.front().map(|(at, ..)| *at)).min()
    }

    fn screen(&self) -> Option<(u8, String)> {
        Some((self.setup.power, self.input.clone()))
    }

    fn wake(&mut self, now: Duration, _: &mut Body) {
        if let Some((_, power)) = self.becomes.take_if(|(at, _)| *at <= now) {
            self.setup.power = power;
        }
        while self.waiting.front().is_some_and(|(at, ..)| *at <= now) {
            self.linked.extend(self.waiting.pop_front().map(|(_, link, said)| (link, said)));
        }
    }

    fn next(&mut self) -> Option<Utterance> {
        self.said.pop_front()
    }
}
