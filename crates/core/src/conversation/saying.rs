//! Lines of text, said to one device over a connection or by datagrams, and what comes back.
//!
//! What comes after a line was said, until it has been quiet for a moment, is the answer to it; what comes at another time was
//! caused by somebody else, or by the device itself. Where it is known what a right answer looks like, that one ends the waiting.

use std::collections::VecDeque;
use std::net::SocketAddrV4;
use std::time::Duration;

use lantern_wire::telnet::{self, Telnet};
use lantern_wire::{Carries, Packet};

use super::{Conversation, Heard, LinkEnd, LinkId, LinkNews, Outgoing, Vantage};
use crate::Said;
use crate::census::Way;
use crate::pattern::Pattern;
use crate::secret::Secret;
use crate::sheet::kind::{CarriedBy, LineBreak};

/// How long a device may take to take a connection.
const OPENING: Duration = Duration::from_secs(5);
/// How long it is quiet when it has said what it had to say.
const QUIET: Duration = Duration::from_millis(250);
/// How long a device may greet before the first line is said.
const GREETING: Duration = Duration::from_millis(1500);
/// How long telnet's negotiation may take before the device has said anything.
const NEGOTIATION: Duration = Duration::from_secs(1);
/// The longest line that is put together; a longer one comes in pieces.
const LONGEST: usize = 4096;
/// The most lines that are an answer: whoever says more says it without end.
const MOST: u32 = 10_000;
/// The most lines that wait to be said.
const MOST_WAITING: usize = 1000;
/// The most secrets that are known again when they are repeated.
const MOST_SECRETS: usize = 16;
/// What stands for what must not be shown.
const HIDDEN: &str = "•••";
/// What a device calls what must not be shown.
const SECRETS: [&str; 4] = ["password", "passwort", "passcode", "passphrase"];

/// What is to be said, and to whom.
#[derive(Debug, Clone)]
pub struct SayPlan {
    /// To whom.
    pub to: SocketAddrV4,
    /// By what it is carried.
    pub by: CarriedBy,
    /// What ends a line.
    pub ends: LineBreak,
    /// How long an answer is waited for.
    pub wait: Duration,
    /// The lines, each said when the one before was answered or not.
    pub lines: Vec<SayLine>,
    /// Whether it goes on with what is typed.
    pub stays: bool,
    /// Tells its connection from others at the same time.
    pub number: u32,
}

/// A line to say.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SayLine {
    /// The line.
    pub text: String,
    /// What a right answer looks like, where that is known.
    pub right: Option<Pattern>,
}

/// What is told of it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum SayEvent {
    /// The device has taken the connection.
    Opened,
    /// This is said now.
    Said {
        /// The line.
        line: String,
        /// Whether the device has asked for something that must not be shown.
        is_secret: bool,
    },
    /// The device says this.
    Heard {
        /// The line.
        line: Said,
        /// Whether it is an answer to what was said.
        is_answer: bool,
    },
    /// What came of the line that was said last.
    Ended(SayResult),
    /// The connection is over.
    Closed(LinkEnd),
}

/// What came of a line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum SayResult {
    /// It was answered, and as is right, where that is known: the line that was, or else the last one.
    Answered(Said),
    /// It was answered otherwise than is right: the first line.
    Wrong(Said),
    /// Nothing was answered.
    Unanswered,
    /// It could not be said, or the connection was lost before an answer: why.
    Lost(LinkEnd),
}

impl SayResult {
    /// Whether it is not what was wanted.
    #[must_use]
    pub const fn is_failure(&self) -> bool {
        !matches!(self, Self::Answered(_))
    }

    /// What was answered, if anything was.
    #[must_use]
    pub const fn answer(&self) -> Option<&Said> {
        match self {
            Self::Answered(answer) | Self::Wrong(answer) => Some(answer),
            Self::Unanswered | Self::Lost(_) => None,
        }
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Phase {
    /// The connection is being opened.
    Opening,
    /// It may greet.
    Greeting(Duration),
    /// It may answer, until then.
    Asking(Duration),
    /// Nothing is asked.
    Idle,
    Over,
}

/// The conversation.
#[derive(Debug)]
pub struct Saying {
    plan: SayPlan,
    vantage: Vantage,
    phase: Phase,
    telnet: Option<Telnet>,
    waiting: VecDeque<SayLine>,
    /// What is being asked.
    current: Option<SayLine>,
    typed_end: bool,
    opened_at: Duration,
    /// What came and is no whole line yet, and when the last of it came.
    rest: Vec<u8>,
    heard_at: Duration,
    /// How many lines came since something was said, and the last one of them.
    count: u32,
    first: Option<Said>,
    last: Option<Said>,
    asks_for_secret: bool,
    /// What was said that must not be shown, whoever repeats it and when.
    secrets: VecDeque<Secret>,
    results: Vec<SayResult>,
    sends: VecDeque<Outgoing>,
    events: VecDeque<SayEvent>,
}

impl Saying {
    /// Says this from there.
    #[must_use]
    pub fn new(plan: SayPlan, vantage: Vantage) -> Self {
        let mut saying = Self {
            phase: Phase::Opening,
            telnet: (plan.by == CarriedBy::Telnet).then(Telnet::default),
            waiting: plan.lines.clone().into(),
            current: None,
            typed_end: !plan.stays,
            opened_at: Duration::ZERO,
            rest: Vec::new(),
            heard_at: Duration::ZERO,
            count: 0,
            first: None,
            last: None,
            asks_for_secret: false,
            secrets: VecDeque::new(),
            results: Vec::new(),
            sends: VecDeque::new(),
            events: VecDeque::new(),
            plan,
            vantage,
        };
        if saying.plan.by == CarriedBy::Udp {
            saying.phase = Phase::Idle;
        } else {
            saying.sends.push_back(Outgoing::Open { link: saying.link(), to: saying.plan.to });
        }
        saying
    }

    /// What came of each line that was said, in order.
    #[must_use]
    pub fn results(&self) -> &[SayResult] {
        &self.results
    }

    const fn link(&self) -> LinkId {
        LinkId { family: Way::Lines, number: self.plan.number }
    }

    fn send(&mut self, bytes: Vec<u8>) {
        self.sends.push_back(match self.plan.by {
            CarriedBy::Udp => {
                let seat = self.vantage.seat_beside(*self.plan.to.ip()).unwrap_or(0);
                Outgoing::Datagram { seat, to: self.plan.to, bytes }
            }
            CarriedBy::Tcp | CarriedBy::Telnet => Outgoing::Write { link: self.link(), bytes },
        });
    }

    /// Says the next line, or ends.
    fn go_on(&mut self, now: Duration) {
        match self.waiting.pop_front() {
            Some(line) => {
                let mut bytes = line.text.as_bytes().to_vec();
                bytes.extend(self.plan.ends.bytes());
                let bytes = if self.telnet.is_some() { telnet::as_sent(&bytes) } else { bytes };
                let is_secret = std::mem::take(&mut self.asks_for_secret);
                if is_secret && !line.text.is_empty() {
                    self.secrets.push_front(Secret::new(line.text.clone()));
                    self.secrets.truncate(MOST_SECRETS);
                }
                self.events.push_back(SayEvent::Said { line: line.text.clone(), is_secret });
                self.send(bytes);
                (self.count, self.first, self.last, self.heard_at) = (0, None, None, now);
                self.current = Some(line);
                self.phase = Phase::Asking(now + self.plan.wait);
            }
            None if self.typed_end => self.end(),
            None => self.phase = Phase::Idle,
        }
    }

    fn end(&mut self) {
        if self.plan.by != CarriedBy::Udp && self.phase != Phase::Over {
            self.sends.push_back(Outgoing::Close { link: self.link() });
        }
        self.phase = Phase::Over;
    }

    fn result(&mut self, result: SayResult) {
        self.current = None;
        self.results.push(result.clone());
        self.events.push_back(SayEvent::Ended(result));
    }

    fn lost(&mut self, end: LinkEnd) {
        self.take_rest();
        if self.current.is_some() {
            // Whoever hangs up after an answer has answered.
            let result = self.judged().unwrap_or(SayResult::Lost(end));
            self.result(result);
        }
        while self.waiting.pop_front().is_some() {
            self.result(SayResult::Lost(end));
        }
        self.events.push_back(SayEvent::Closed(end));
        self.phase = Phase::Over;
    }

    /// What the answers so far come to.
    fn judged(&mut self) -> Option<SayResult> {
        let last = self.last.clone()?;
        Some(match self.right() {
            // What came later may be of others.
            Some(_) if !self.is_right() => SayResult::Wrong(self.first.clone().unwrap_or(last)),
            _ => SayResult::Answered(last),
        })
    }

    /// What a right answer to the present line looks like, where that is known.
    fn right(&self) -> Option<&Pattern> {
        self.current.as_ref()?.right.as_ref()
    }

    /// Whether it was answered as is right, where that is known.
    fn is_right(&self) -> bool {
        self.right().zip(self.last.as_ref()).is_some_and(|(right, last)| right.matches(last.raw()))
    }

    /// Takes in what came; a datagram is a line, however it ends.
    fn hear_bytes(&mut self, now: Duration, bytes: &[u8], is_line: bool) {
        let text = match &mut self.telnet {
            Some(telnet) => {
                let (text, answer) = telnet.hear(bytes);
                if !answer.is_empty() {
                    self.send(answer);
                }
                text
            }
            None => bytes.to_vec(),
        };
        self.heard_at = now;
        for byte in text {
            match byte {
                b'\r' | b'\n' => self.take_rest(),
                _ => self.rest.push(byte),
            }
            if self.rest.len() >= LONGEST {
                self.take_rest();
            }
        }
        if is_line {
            self.take_rest();
        }
        if self.is_right()
            && let Some(result) = self.judged()
        {
            self.result(result);
            self.go_on(now);
        }
    }

    /// What came so far is a line.
    fn take_rest(&mut self) {
        let bytes = std::mem::take(&mut self.rest);
        if bytes.is_empty() || self.phase == Phase::Over {
            return;
        }
        let text = String::from_utf8_lossy(&bytes);
        let text = text.trim_matches(['\0', ' ', '\t']);
        if text.is_empty() {
            return;
        }
        let small = text.to_lowercase();
        self.asks_for_secret = SECRETS.iter().any(|word| small.contains(word));
        let is_answer = self.current.is_some();
        // Some repeat what they are told.
        let is_echo = self.current.as_ref().is_some_and(|line| line.text == text);
        let hide = |text: String, secret: &Secret| text.replace(secret.expose(), HIDDEN);
        let line = Said::from(self.secrets.iter().fold(text.to_owned(), hide));
        self.count += 1;
        // A right answer among others counts, whatever comes after it.
        if !self.is_right() {
            self.last = Some(line.clone());
        }
        if !is_echo {
            self.first.get_or_insert_with(|| line.clone());
        }
        self.events.push_back(SayEvent::Heard { line, is_answer });
        if self.count > MOST {
            self.sends.push_back(Outgoing::Close { link: self.link() });
            self.lost(LinkEnd::Torn);
        }
    }

    /// Whether it has said, by then, what it says to whoever comes, or had time for that. Most that speak telnet ask who it is.
    fn has_greeted(&self, by: Duration) -> bool {
        self.telnet.is_none() || self.count > 0 || by >= self.opened_at + NEGOTIATION
    }

    /// When what was answered so far is the whole answer. Where it is not the right one, that one may still come.
    fn settles_at(&self) -> Option<Duration> {
        let patience = if self.right().is_some() { 4 * QUIET } else { QUIET };
        self.last.as_ref().map(|_| self.heard_at + patience)
    }

    fn work(&mut self, now: Duration) {
        let is_quiet = self.heard_at + QUIET <= now;
        if is_quiet {
            // A question without an end of its line: login:
            self.take_rest();
        }
        match self.phase {
            Phase::Opening if now >= OPENING => {
                self.sends.push_back(Outgoing::Close { link: self.link() });
                self.lost(LinkEnd::Silent);
            }
            Phase::Greeting(until) if (is_quiet && self.has_greeted(now)) || until <= now => self.go_on(now),
            Phase::Asking(until) if until <= now || self.settles_at().is_some_and(|at| at <= now) => {
                let result = self.judged().unwrap_or(SayResult::Unanswered);
                self.result(result);
                self.go_on(now);
            }
            Phase::Idle if !self.waiting.is_empty() || self.typed_end => self.go_on(now),
            _ => {}
        }
    }
}

impl Conversation for Saying {
    type Event = SayEvent;

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        match heard {
            Heard::Link(link, news) if *link == self.link() && self.phase != Phase::Over => match news {
                LinkNews::Opened => {
                    self.events.push_back(SayEvent::Opened);
                    (self.heard_at, self.opened_at) = (now, now);
                    self.phase = Phase::Greeting(now + GREETING);
                }
                LinkNews::Bytes(bytes) => self.hear_bytes(now, bytes, false),
                LinkNews::Closed(end) => self.lost(*end),
            },
            Heard::Datagram(datagram)
                if self.plan.by == CarriedBy::Udp
                    && !self.vantage.means.frames
                    && datagram.from == self.plan.to =>
            {
                self.hear_bytes(now, datagram.bytes, true);
            }
            Heard::Frame(frame) if self.plan.by == CarriedBy::Udp => {
                if let Ok(Packet { carries: Carries::Udp { from, to, payload }, .. }) = Packet::parse(frame)
                    && from == self.plan.to
                    && self.vantage.is_own(*to.ip())
                {
                    self.hear_bytes(now, payload, true);
                }
            }
            Heard::Typed(Some(line)) if self.waiting.len() < MOST_WAITING => {
                self.waiting.push_back(SayLine { text: (*line).to_owned(), right: None });
            }
            Heard::Typed(None) => self.typed_end = true,
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
        let quiet = self.heard_at + QUIET;
        let half = (!self.rest.is_empty()).then_some(quiet);
        let next = match self.phase {
            Phase::Over => return None,
            Phase::Opening => OPENING,
            Phase::Greeting(until) if self.has_greeted(quiet) => until.min(quiet),
            Phase::Greeting(until) => until.min(self.opened_at + NEGOTIATION),
            Phase::Asking(until) => self.settles_at().map_or(until, |at| at.min(until)),
            Phase::Idle if !self.waiting.is_empty() || self.typed_end => Duration::ZERO,
            Phase::Idle => Duration::MAX,
        };
        Some(half.map_or(next, |half| half.min(next)))
    }

    fn wake(&mut self, now: Duration) {
        self.work(now);
    }

    fn next_event(&mut self) -> Option<SayEvent> {
        self.events.pop_front()
    }
}
