//! One order to one projector or screen, read back.
//!
//! It takes the order with `OK`, which says only that it heard it: it is asked until it tells what it was told, for as long as it may
//! take.

use std::collections::VecDeque;
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::pjlink::{Answer, Command, END, Greeting, LONGEST_LINE, NoAnswer, PORT, Power, input_in_words};

use crate::Said;
use crate::census::Way;
use crate::conversation::{Conversation, Heard, LinkEnd, LinkId, LinkNews, Outgoing, SayEvent, SayResult};
use crate::secret::Secret;

/// How long it may take to take a connection, to greet, and to take the order.
const ANSWER_TIME: Duration = Duration::from_secs(5);
/// How often it is asked whether it is so.
const ASK_EVERY: Duration = Duration::from_millis(700);

/// The conversation.
#[derive(Debug)]
pub(crate) struct Order {
    link: LinkId,
    command: Command,
    secret: Option<Secret>,
    /// How long it may take until it tells that it is so.
    wait: Duration,
    phase: Phase,
    opened: bool,
    rest: Vec<u8>,
    last: Option<Said>,
    pub(crate) result: Option<SayResult>,
    sends: VecDeque<Outgoing>,
    events: VecDeque<SayEvent>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Phase {
    /// The connection is opened, and it greets.
    Greeting(Duration),
    /// It was told, and has not taken it yet.
    Told(Duration),
    /// It has taken it: when it is asked next, and until when.
    Asking(Duration, Duration),
}

impl Order {
    /// Tells this one. `number` tells its connection from others.
    pub(crate) fn new(
        to: Ipv4Addr,
        command: Command,
        secret: Option<Secret>,
        wait: Duration,
        number: u32,
    ) -> Self {
        let link = LinkId { family: Way::Lines, number };
        let open = Outgoing::Open { link, to: SocketAddrV4::new(to, PORT) };
        Self {
            link,
            command,
            secret,
            wait,
            phase: Phase::Greeting(ANSWER_TIME),
            opened: false,
            rest: Vec::new(),
            last: None,
            result: None,
            sends: VecDeque::from([open]),
            events: VecDeque::new(),
        }
    }

    fn end(&mut self, result: SayResult) {
        if self.result.is_none() {
            self.events.push_back(SayEvent::Ended(result.clone()));
            self.result = Some(result);
            self.sends.push_back(Outgoing::Close { link: self.link });
        }
    }

    fn write(&mut self, bytes: Vec<u8>) {
        self.sends.push_back(Outgoing::Write { link: self.link, bytes });
    }

    fn take(&mut self, now: Duration, line: &str) {
        let wrong = |why: &str| SayResult::Wrong(Said::from(why));
        match (Greeting::parse(line), self.phase) {
            (Ok(Greeting::Refused), _) => return self.end(wrong("it refuses the password")),
            (Ok(greeting), Phase::Greeting(_)) => {
                let before = match (&greeting, &self.secret) {
                    (Greeting::Locked(_), None) => return self.end(wrong("it wants a password")),
                    (Greeting::Locked(_), Some(secret)) => greeting.answer(secret.expose()),
                    _ => String::new(),
                };
                self.events.push_back(SayEvent::Said { line: self.command.line(), is_secret: false });
                self.write(self.command.to_bytes(&before));
                self.phase = Phase::Told(now + ANSWER_TIME);
                return;
            }
            (Err(_), Phase::Greeting(_)) => return self.end(wrong("what it says is no PJLink")),
            _ => {}
        }
        let Ok(answer) = Answer::parse(line) else { return };
        if answer.to != self.command.question() {
            return;
        }
        match (answer.told, self.phase) {
            (Ok(told), Phase::Told(_)) if told.eq_ignore_ascii_case("OK") => {
                self.phase = Phase::Asking(now, now + self.wait);
            }
            (Ok(told), Phase::Asking(..)) => {
                let words = self.in_words(&told);
                self.events.push_back(SayEvent::Heard { line: words.clone(), is_answer: true });
                self.last = Some(words.clone());
                if self.is_so(&told) {
                    self.end(SayResult::Answered(words));
                }
            }
            (Err(why), _) => self.end(wrong(match why {
                NoAnswer::Unknown => "it does not know this order",
                NoAnswer::OutOfRange => "it has no such input",
                NoAnswer::NotNow => "not now: it is in standby, or warms up, or cools down",
                NoAnswer::Broken => "it is broken, as it says itself",
            })),
            _ => {}
        }
    }

    /// Whether what it tells is what it was told; a lamp takes its time to get there.
    fn is_so(&self, told: &str) -> bool {
        match &self.command {
            Command::Input(code) => told.eq_ignore_ascii_case(code),
            Command::Power(on) => match Power::parse(told) {
                Some(Power::On | Power::Warming) => *on,
                Some(Power::Off | Power::Cooling) => !*on,
                None => false,
            },
        }
    }

    fn in_words(&self, told: &str) -> Said {
        let power = || Power::parse(told).map(|power| crate::Power::from(power).to_string());
        let words = match &self.command {
            Command::Power(_) => power(),
            Command::Input(_) => input_in_words(told),
        };
        Said::from(words.unwrap_or_else(|| told.to_owned()))
    }

    fn work(&mut self, now: Duration) {
        if self.result.is_some() {
            return;
        }
        match self.phase {
            Phase::Greeting(until) if until <= now && !self.opened => self.end(SayResult::Lost(LinkEnd::Silent)),
            Phase::Greeting(until) | Phase::Told(until) if until <= now => self.end(SayResult::Unanswered),
            Phase::Asking(_, until) if until <= now => {
                let last = self.last.clone();
                self.end(last.map_or(SayResult::Unanswered, SayResult::Wrong));
            }
            Phase::Asking(at, until) if at <= now => {
                self.write(self.command.question().to_bytes(""));
                self.phase = Phase::Asking(now + ASK_EVERY, until);
            }
            _ => {}
        }
    }
}

impl Conversation for Order {
    type Event = SayEvent;

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        match heard {
            Heard::Link(link, news) if *link == self.link && self.result.is_none() => match news {
                LinkNews::Opened => {
                    self.opened = true;
                    self.events.push_back(SayEvent::Opened);
                }
                LinkNews::Bytes(bytes) => {
                    for byte in *bytes {
                        if *byte != END {
                            self.rest.push(*byte);
                            continue;
                        }
                        let line = std::mem::take(&mut self.rest);
                        let line = String::from_utf8_lossy(&line).trim_matches(['\n', '\0', ' ']).to_owned();
                        self.take(now, &line);
                    }
                    if self.rest.len() > LONGEST_LINE {
                        self.end(SayResult::Wrong(Said::from("what it says is no PJLink")));
                    }
                }
                LinkNews::Closed(end) => self.end(SayResult::Lost(*end)),
            },
            _ => {}
        }
        self.work(now);
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.sends.pop_front()
    }

    fn wake_at(&self) -> Option<Duration> {
        if !self.sends.is_empty() {
            return Some(Duration::ZERO);
        }
        if self.result.is_some() {
            return None;
        }
        Some(match self.phase {
            Phase::Greeting(until) | Phase::Told(until) => until,
            Phase::Asking(at, until) => at.min(until),
        })
    }

    fn wake(&mut self, now: Duration) {
        self.work(now);
    }

    fn next_event(&mut self) -> Option<SayEvent> {
        self.events.pop_front()
    }
}
