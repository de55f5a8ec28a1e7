//! Watch: asks everybody again and again, at a stated pace, and tells what changes.
//!
//! It is a survey without an end, which finds and joins; beside it every device is asked by itself once a round, spread
//! evenly over it. When many answers are lost at once, it is the network that is slow: then it is asked less often.

use std::collections::VecDeque;
use std::net::SocketAddrV4;
use std::time::Duration;

use lantern_wire::art_net::PORT;
use lantern_wire::{Arp, ArpOperation, Packet};

use super::pace::Pace;
use super::{
    Conversation, Extent, Heard, OnCables, Outgoing, Survey, SurveyEvent, SurveyPlan, Vantage, listen, outbox,
};
use crate::census::{Census, Told};
use crate::watch::{Ask, Board, Happening, News, Question};

/// How long it is looked who is there already: every answer is due by then.
const BASELINE: Duration = Duration::from_millis(3500);
/// When single devices are asked for the first time: most are known by then.
const FIRST_ROUND: Duration = Duration::from_millis(1500);
/// How often it is looked whether everybody has answered.
const LOOK_EVERY: Duration = Duration::from_millis(250);
const SECOND: Duration = Duration::from_secs(1);
/// How long a fixture may take to be read, behind others on its cable.
const READING: Duration = Duration::from_secs(15);
/// However slow the network is, rounds are at most so many times as long as meant.
const SLOWEST: u32 = 4;
/// So much of all answers lost, in percent, and the network is slow; and so much, and it is well again.
const SLOW: u32 = 30;
const WELL: u32 = 10;
/// The numbers of our echoes begin here: those of the survey are below.
const FIRST_NUMBER: u16 = 0x100;

/// How a watch asks.
#[derive(Debug, Clone)]
pub struct WatchPlan {
    /// What it begins with, and goes on with.
    pub survey: SurveyPlan,
    /// How often everybody is asked.
    pub every: Duration,
    /// Packets a second to single devices, at most.
    pub pace: u32,
    /// After how long it ends; `None` for never.
    pub end: Option<Duration>,
}

impl WatchPlan {
    /// How often everybody is asked, unless wanted otherwise: as often as desks poll (Art-Net 4, "ArtPoll").
    pub const EVERY: Duration = Duration::from_millis(2500);
    /// Packets a second to single devices, unless wanted otherwise.
    pub const PACE: u32 = 500;
}

/// The conversation.
#[derive(Debug)]
pub struct Watch {
    survey: Survey,
    vantage: Vantage,
    board: Board,
    every: Duration,
    pace: Pace,
    per_second: u32,
    end: Option<Duration>,
    /// How many times as long as meant a round takes.
    stretch: u32,
    round_began: Duration,
    number: u16,
    /// Whose turn it is to be asked by itself.
    turn: usize,
    ask_at: Duration,
    look_at: Duration,
    judge_at: Duration,
    roll_at: Duration,
    learn_at: Duration,
    ready: VecDeque<Outgoing>,
    news: VecDeque<Happening>,
    asked: u64,
    over: bool,
}

impl Watch {
    /// Begins with its first [`Conversation::wake`].
    #[must_use]
    pub fn new(plan: WatchPlan) -> Self {
        let board = Board::new(plan.survey.sheet.as_ref(), BASELINE);
        let board = match plan.survey.on_cables {
            OnCables::Watch(every) => board.with_fixtures(every + READING),
            _ => board,
        };
        let vantage = plan.survey.vantage.clone();
        let survey = Survey::new(SurveyPlan { extent: Extent::Endless, ends_early: false, ..plan.survey });
        Self {
            survey,
            vantage,
            board,
            every: plan.every,
            pace: Pace::new(plan.pace),
            per_second: plan.pace.max(1),
            end: plan.end,
            stretch: 1,
            round_began: FIRST_ROUND,
            number: FIRST_NUMBER,
            turn: 0,
            ask_at: FIRST_ROUND,
            look_at: LOOK_EVERY,
            judge_at: BASELINE + plan.every,
            roll_at: SECOND,
            learn_at: BASELINE,
            ready: VecDeque::new(),
            news: VecDeque::new(),
            asked: 0,
            over: false,
        }
    }

    /// Everybody who is watched.
    #[must_use]
    pub const fn board(&self) -> &Board {
        &self.board
    }

    /// All that was heard.
    #[must_use]
    pub const fn census(&self) -> &Census {
        self.survey.census()
    }

    /// Whether it is still looked who is there already.
    #[must_use]
    pub fn is_looking(&self, now: Duration) -> bool {
        now < BASELINE
    }

    /// How long one round takes now.
    #[must_use]
    pub fn round(&self) -> Duration {
        let devices = u32::try_from(self.board.len()).unwrap_or(u32::MAX);
        let least = (SECOND / self.per_second).saturating_mul(devices);
        (self.every * self.stretch).max(least)
    }

    /// How many questions went to single devices.
    #[must_use]
    pub const fn asked(&self) -> u64 {
        self.asked
    }

    /// What asks this, if this computer can.
    fn question(&self, ask: Ask) -> Option<Outgoing> {
        let to = ask.to;
        let seat = self.vantage.seat_beside(to)?;
        match ask.question {
            Question::Poll => {
                Some(Outgoing::Datagram { seat, to: SocketAddrV4::new(to, PORT), bytes: outbox::poll() })
            }
            Question::Arp => self.vantage.who_has(to),
            Question::Echo(number) => self.vantage.echo(to, ask.mac, number),
        }
    }

    fn send(&mut self, ask: Ask) {
        if let Some(outgoing) = self.question(ask) {
            self.asked += 1;
            self.ready.push_back(outgoing);
        }
    }

    fn can_ask(&self) -> bool {
        !self.vantage.is_on_loopback() && (self.vantage.means.echo || self.vantage.means.frames)
    }

    /// Asks those whose turn it is.
    fn ask(&mut self, now: Duration) {
        while self.ask_at <= now && self.can_ask() {
            if self.turn >= self.board.len() {
                let next = self.round_began + self.round();
                if next > now {
                    self.ask_at = next;
                    return;
                }
                (self.turn, self.round_began) = (0, now);
                self.number = self.number.checked_add(1).unwrap_or(FIRST_NUMBER);
                if self.board.len() == 0 {
                    continue;
                }
            }
            if !self.pace.lets_pass(now) {
                self.ask_at = self.pace.next();
                return;
            }
            let turn = self.turn;
            self.turn += 1;
            let step = self.round() / u32::try_from(self.board.len().max(1)).unwrap_or(u32::MAX);
            self.ask_at = self.round_began + step * u32::try_from(self.turn).unwrap_or(u32::MAX);
            let frames = self.vantage.frames_from().is_some();
            let far = self.board.address(turn).is_none_or(|address| self.vantage.seat_beside(address).is_none());
            self.board.note_far(turn, far);
            if far {
                continue;
            }
            if let Some(ask) = self.board.ask(now, turn, self.number, frames) {
                self.send(ask);
            }
        }
    }

    fn look(&mut self, now: Duration) {
        let (again, lost) = self.board.look(now);
        // What the pace does not let pass is not repeated: then the network has enough to do.
        for ask in again {
            if self.pace.lets_pass(now) {
                self.send(ask);
            }
        }
        // What a change of the pace does shows a round later.
        if now >= self.judge_at {
            self.judge_at = now + self.round();
            match lost {
                SLOW.. if self.stretch < SLOWEST => {
                    if self.stretch == 1 {
                        self.board.tell(now, "network".to_owned(), News::Slower(lost));
                    }
                    self.stretch *= 2;
                }
                0..=WELL if self.stretch > 1 => {
                    self.stretch /= 2;
                    if self.stretch == 1 {
                        self.board.tell(now, "network".to_owned(), News::AsMeant);
                    }
                }
                _ => {}
            }
        }
        self.survey.poll_every(self.every * self.stretch);
    }

    fn follow(&mut self, now: Duration) {
        while let Some(event) = self.survey.next_event() {
            if let SurveyEvent::Asked { limited, .. } = event {
                // On loopback nothing else reaches the wire.
                self.board.polled(now, limited || self.vantage.is_on_loopback());
            }
        }
        self.news.extend(self.board.take_news());
    }

    fn hear_frame(&mut self, now: Duration, frame: &[u8]) {
        if let Ok(arp) = Arp::parse(frame) {
            let is_answer = arp.operation == ArpOperation::REPLY && self.vantage.is_own(arp.target);
            if is_answer && Some(arp.sender_mac) != self.vantage.own_mac {
                self.board.answered(now, Some(arp.sender_mac), arp.sender, None);
            }
        } else if let Ok(packet) = Packet::parse(frame)
            && let Some((mac, from, number)) = self.vantage.echo_answer(&packet)
        {
            self.board.answered(now, mac, from, Some(number));
        }
    }
}

impl Conversation for Watch {
    type Event = Happening;

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        let (_, sightings) = listen::sightings(&self.vantage, now, heard);
        let mut is_known = false;
        // Without frames our own broadcasts come back to us.
        let is_ours = |from| self.vantage.is_own(from) && !self.vantage.means.frames;
        for sighting in sightings.iter().filter(|sighting| !is_ours(sighting.from)) {
            is_known = self.board.take(now, sighting) && matches!(sighting.told, Told::Levels(_));
        }
        match heard {
            Heard::Echo { from, number } => self.board.answered(now, None, *from, Some(*number)),
            Heard::Frame(frame) if !is_known => self.hear_frame(now, frame),
            _ => {}
        }
        // Levels that go on as before, at many a second, say nothing new to a survey.
        if !is_known {
            self.survey.hear(now, heard);
        }
        self.follow(now);
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.ready.pop_front().or_else(|| self.survey.next_send())
    }

    fn wake_at(&self) -> Option<Duration> {
        if self.over {
            return None;
        }
        let asks = self.can_ask().then_some(self.ask_at);
        let own = [self.look_at, self.roll_at, self.learn_at];
        own.into_iter().chain(asks).chain(self.end).chain(self.survey.wake_at()).min()
    }

    fn wake(&mut self, now: Duration) {
        if self.survey.wake_at().is_some_and(|at| at <= now) {
            self.survey.wake(now);
        }
        self.ask(now);
        if self.look_at <= now {
            self.look_at = now + LOOK_EVERY;
            self.look(now);
        }
        if self.roll_at <= now {
            self.roll_at += SECOND * u32::try_from((now - self.roll_at).as_secs() + 1).unwrap_or(u32::MAX);
            self.board.roll(now);
        }
        if self.learn_at <= now {
            self.learn_at = now + self.round();
            let devices = self.census().devices(&self.survey.viewpoint());
            self.board.learn(now, &devices, self.survey.census());
        }
        self.over = self.end.is_some_and(|end| end <= now);
        self.follow(now);
    }

    fn next_event(&mut self) -> Option<Happening> {
        self.news.pop_front()
    }
}
