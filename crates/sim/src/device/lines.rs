//! A device that takes lines of text over TCP, with telnet's negotiation or without, or by UDP, and answers them by a table.

use std::collections::{BTreeMap, BTreeSet, VecDeque};
use std::net::SocketAddrV4;
use std::time::Duration;

use serde::Deserialize;

use super::body::Body;
use super::setup::millis;
use super::{Linked, Role, Utterance};
use crate::{Destination, Speech};

/// How late one answers that is slow.
const LATE: Duration = Duration::from_millis(700);
/// The most lines that are kept.
const MOST: usize = 1000;

/// A device of lines as a scene describes it.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct LinesSetup {
    /// Its port.
    #[serde(default = "port")]
    pub port: u16,
    /// Whether it takes datagrams, and no connections.
    #[serde(default)]
    pub udp: bool,
    /// What it says to whoever connects; without a line break it is a question.
    #[serde(default)]
    pub greeting: String,
    /// What it answers to what.
    #[serde(default)]
    pub answers: BTreeMap<String, String>,
    /// What it answers from then on to which question, once it was told this.
    #[serde(default)]
    pub sets: BTreeMap<String, (String, String)>,
    /// How often it says something unasked; 0 for never.
    #[serde(default, rename = "chatter_ms", deserialize_with = "millis")]
    pub chatter: Duration,
    /// Its habits.
    #[serde(default)]
    pub quirks: Vec<LinesQuirk>,
}

/// What is met all the same.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum LinesQuirk {
    /// Negotiates as telnet does, and goes on with that whatever is answered.
    Telnet,
    /// Repeats what it was told before it answers.
    Echoes,
    /// Takes everything and answers nothing.
    NeverAnswers,
    /// Answers late.
    AnswersLate,
    /// Hangs up after it was told something.
    HangsUp,
    /// Says bytes that are no text.
    Binary,
    /// Says one line without end.
    NeverEnds,
    /// Says lines without end.
    Floods,
    /// Sends every byte by itself.
    InPieces,
    /// Ends lines with a carriage return alone.
    CarriageReturns,
    /// Says something else behind its answer.
    SaysMore,
    /// Ends its lines with nothing.
    Bare,
}

const fn port() -> u16 {
    4999
}

#[derive(Debug)]
pub(super) struct Lines {
    setup: LinesSetup,
    links: BTreeMap<u64, Vec<u8>>,
    told: Vec<String>,
    waiting: VecDeque<(Duration, u64, Vec<u8>)>,
    linked: VecDeque<(u64, Linked)>,
    said: VecDeque<Utterance>,
    chatters_at: Duration,
    open: BTreeSet<u64>,
}

impl Lines {
    pub(super) fn new(setup: &LinesSetup) -> Self {
        Self {
            chatters_at: setup.chatter,
            setup: setup.clone(),
            links: BTreeMap::new(),
            told: Vec::new(),
            waiting: VecDeque::new(),
            linked: VecDeque::new(),
            said: VecDeque::new(),
            open: BTreeSet::new(),
        }
    }

    fn has(&self, quirk: LinesQuirk) -> bool {
        self.setup.quirks.contains(&quirk)
    }

    fn line(&self, text: &str) -> Vec<u8> {
        let end: &[u8] = if self.has(LinesQuirk::Bare) {
            b""
        } else if self.has(LinesQuirk::CarriageReturns) {
            b"\r"
        } else {
            b"\r\n"
        };
        [text.as_bytes(), end].concat()
    }

    fn say(&mut self, now: Duration, link: u64, bytes: Vec<u8>) {
        if self.has(LinesQuirk::AnswersLate) {
            self.waiting.push_back((now + LATE, link, bytes));
        } else if self.has(LinesQuirk::InPieces) {
            self.linked.extend(bytes.into_iter().map(|byte| (link, Linked::Bytes(vec![byte]))));
        } else {
            self.linked.push_back((link, Linked::Bytes(bytes)));
        }
    }

    /// What it says to a line; nothing where it stays silent.
    fn answer(&mut self, line: &str) -> Vec<u8> {
        if self.told.len() < MOST {
            self.told.push(line.to_owned());
        }
        if let Some((question, answer)) = self.setup.sets.get(line).cloned() {
            self.setup.answers.insert(question, answer);
        }
        let mut said = Vec::new();
        if self.has(LinesQuirk::Echoes) {
            said.extend(self.line(line));
        }
        if self.has(LinesQuirk::NeverAnswers) {
            return said;
        }
        if self.has(LinesQuirk::Binary) {
            said.extend((0..=255_u8).cycle().take(2000).chain(*b"\r\n"));
        }
        if self.has(LinesQuirk::NeverEnds) {
            said.extend([b'x'; 9000]);
        }
        if self.has(LinesQuirk::Floods) {
            said.extend(b"spam\r\n".repeat(12_000));
        }
        let answer = self.setup.answers.get(line).cloned().unwrap_or_else(|| "ERR".to_owned());
        said.extend(self.line(&answer));
        if self.has(LinesQuirk::SaysMore) {
            said.extend(self.line("READY"));
        }
        said
    }
}

/// The text among telnet's bytes.
fn without_telnet(bytes: &[u8]) -> Vec<u8> {
    let (mut text, mut at) = (Vec::new(), 0);
    while let Some(byte) = bytes.get(at) {
        match (byte, bytes.get(at + 1)) {
            (0xff, Some(0xff)) => {
                text.push(0xff);
                at += 2;
            }
            (0xff, Some(0xfb..=0xfe)) => at += 3,
            (0xff, _) => at += 2,
            _ => {
                text.push(*byte);
                at += 1;
            }
        }
    }
    text
}

impl Role for Lines {
    fn port(&self) -> Option<u16> {
        self.setup.udp.then_some(self.setup.port)
    }

    fn link_port(&self) -> Option<u16> {
        (!self.setup.udp).then_some(self.setup.port)
    }

    fn told_lines(&self) -> Vec<String> {
        self.told.clone()
    }

    fn hear(&mut self, _: Duration, _: &mut Body, from: SocketAddrV4, bytes: &[u8]) {
        let text = String::from_utf8_lossy(bytes).trim_end_matches(['\r', '\n']).to_owned();
        let bytes = self.answer(&text);
        if !bytes.is_empty() {
            let answer = Speech { port: self.setup.port, to: Destination::One(from), bytes };
            self.said.push_back(Utterance::Speech(answer));
        }
    }

    fn opened(&mut self, now: Duration, link: u64) {
        self.links.insert(link, Vec::new());
        self.open.insert(link);
        if self.has(LinesQuirk::Telnet) {
            // It will echo, suppresses go-ahead, and wants to know the terminal and the size of its window.
            self.linked
                .push_back((link, Linked::Bytes(vec![255, 251, 1, 255, 251, 3, 255, 253, 24, 255, 253, 31])));
        }
        if !self.setup.greeting.is_empty() {
            let greeting = self.setup.greeting.clone().into_bytes();
            self.say(now, link, greeting);
        }
    }

    fn heard_on(&mut self, now: Duration, _: &mut Body, link: u64, bytes: &[u8]) {
        let bytes = if self.has(LinesQuirk::Telnet) {
            if bytes.contains(&0xff) {
                self.linked.push_back((link, Linked::Bytes(vec![255, 253, 24, 255, 250, 24, 1, 255, 240])));
            }
            without_telnet(bytes)
        } else {
            bytes.to_vec()
        };
        let Some(heard) = self.links.get_mut(&link) else { return };
        heard.extend(bytes);
        let mut lines = Vec::new();
        while let Some(end) = heard.iter().position(|byte| matches!(byte, b'\r' | b'\n')) {
            let line: Vec<u8> = heard.drain(..=end).collect();
            lines.push(String::from_utf8_lossy(&line[..end]).into_owned());
        }
        for line in lines.iter().filter(|line| !line.is_empty()) {
            let bytes = self.answer(line);
            if !bytes.is_empty() {
                self.say(now, link, bytes);
            }
            if self.has(LinesQuirk::HangsUp) {
                self.linked.push_back((link, Linked::Close));
            }
        }
    }

    fn closed(&mut self, link: u64) {
        self.links.remove(&link);
        self.open.remove(&link);
    }

    fn next_linked(&mut self) -> Option<(u64, Linked)> {
        self.linked.pop_front()
    }

    fn wake_at(&self) -> Option<Duration> {
        let chatters = (!self.setup.chatter.is_zero()).then_some(self.chatters_at);
        chatters.into_iter().chain(self.waiting.front().map(|(at, ..)| *at)).min()
    }

    fn wake(&mut self, now: Duration, _: &mut Body) {
        while self.waiting.front().is_some_and(|(at, ..)| *at <= now) {
            self.linked.extend(self.waiting.pop_front().map(|(_, link, bytes)| (link, Linked::Bytes(bytes))));
        }
        if !self.setup.chatter.is_zero() && self.chatters_at <= now {
            self.chatters_at = now + self.setup.chatter;
            let chatter = self.line("INPUT CHANGED BY FRONT PANEL");
            self.linked.extend(self.open.iter().map(|link| (*link, Linked::Bytes(chatter.clone()))));
        }
    }

    fn next(&mut self) -> Option<Utterance> {
        self.said.pop_front()
    }
}
