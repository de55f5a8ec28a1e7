//! Upload: gives one node a file, block by block (Art-Net 4, section "ArtFirmwareMaster"), and believes only the version it
//! tells afterwards.
//!
//! A reply does not say to which block it belongs. So whenever a block went out more than once, as many replies may come, and
//! the next block waits until they have: otherwise the second reply to one block would be taken for the answer to the next,
//! which the node may never have got.

mod sending;

use std::collections::VecDeque;
use std::time::Duration;

use lantern_wire::Packet;
use lantern_wire::art_net::{FirmwareReply, PORT, ReplyWord};

use super::outbox::Outbox;
use super::pace::Pace;
use super::{Conversation, Heard, Outcome, Outgoing, Talk, TalkEvent, Vantage, shifts, sightings};
use crate::census::{FoundNode, Sighting, Subject, Told};
use crate::change::Change;
use crate::facts::{Difference, Field, Known};
use crate::firmware::Image;

use sending::{Sending, Turn};

/// How often a node is asked whether it is there, and how long an answer is waited for (Art-Net 4, "ArtPoll").
const ASKS: u32 = 6;
const ANSWER_TIME: Duration = Duration::from_millis(1200);
/// How often a node that restarts is called, and everybody is asked for it.
const CALL_EVERY: Duration = Duration::from_millis(1500);
const CALL_EVERYBODY_EVERY: Duration = Duration::from_millis(2700);
/// How long a node may go on telling the old version before it has begun to restart.
const BEFORE_RESTART: Duration = Duration::from_secs(20);
/// How often the new version has to be told before it is believed.
const TOLD_TWICE: u32 = 2;
/// How often progress is told: every so many blocks.
const TELL_EVERY: u32 = 16;

/// The conversation that sends one file to one node.
#[derive(Debug)]
pub(crate) struct Upload {
    image: Image,
    differences: Vec<Difference>,
    vantage: Vantage,
    outbox: Outbox,
    events: VecDeque<TalkEvent>,
    restart_time: Duration,
    node: FoundNode,
    before: Option<FoundNode>,
    phase: Phase,
    outcome: Option<Outcome>,
}

#[derive(Debug)]
enum Phase {
    /// Whether it is there, and as it was.
    Greeting { asked: u32, again_at: Duration },
    /// Block after block.
    Sending(Sending),
    /// The file is there, or was given up: what does it say now?
    Judging(Judging),
}

#[derive(Debug, Clone, Copy)]
struct Judging {
    since: Duration,
    again_at: Duration,
    everybody_at: Duration,
    /// How many blocks it took, where it was given up before the last.
    stuck: Option<u32>,
    /// Whether the node itself said that it failed.
    failed: bool,
    /// How often it has told the new version.
    told: u32,
    /// Whether it was heard at all.
    heard: bool,
}

impl Upload {
    pub(crate) fn new(
        node: &FoundNode,
        change: &Change,
        image: Image,
        vantage: Vantage,
        restart_time: Duration,
    ) -> Self {
        let mut node = node.clone();
        node.settled = true;
        node.last_heard = Duration::ZERO;
        node.pages.iter_mut().for_each(|page| page.heard = Duration::ZERO);
        Self {
            image,
            differences: change.differences.clone(),
            outbox: Outbox::with_pace(vantage.seats.clone(), Pace::USUAL),
            vantage,
            events: VecDeque::new(),
            restart_time,
            node,
            before: None,
            phase: Phase::Greeting { asked: 0, again_at: Duration::ZERO },
            outcome: None,
        }
    }

    fn end(&mut self, outcome: Outcome) {
        self.events.push_back(TalkEvent::Ended(0, outcome.clone()));
        self.outcome = Some(outcome);
    }

    fn open(&self) -> Vec<Difference> {
        self.differences.iter().filter_map(|difference| difference.against(&self.node)).collect()
    }

    /// Takes in what somebody told of himself.
    fn take(&mut self, now: Duration, sighting: &Sighting) {
        let Told::PollReply(reply) = &sighting.told else { return };
        let is_ours = match self.node.mac {
            Some(mac) => reply.mac == mac,
            None => sighting.from == self.node.address && !reply.mac.is_known(),
        };
        let root = reply.root_elsewhere();
        if root.is_some_and(|root| root == self.node.address) {
            return self.node.learn(sighting);
        }
        if sighting.from == self.node.address && !is_ours && matches!(self.phase, Phase::Greeting { .. }) {
            let other = super::Other { mac: Some(reply.mac).filter(|mac| mac.is_known()), name: sighting.name() };
            return self.end(Outcome::Stranger(other));
        }
        if !is_ours {
            return;
        }
        let was_at = self.node.address;
        self.node.learn(sighting);
        match &mut self.phase {
            Phase::Greeting { .. } if self.node.address != was_at => {
                let there = self.node.address;
                self.end(Outcome::Elsewhere(there));
            }
            Phase::Greeting { .. } => self.greeted(now),
            Phase::Judging(judging) => {
                judging.heard = true;
                let is_new = self.node.firmware == self.image.version();
                judging.told = if is_new { judging.told + 1 } else { 0 };
                // Its own pages are told one after the other; the next time it is asked it has told them all.
                judging.again_at = judging.again_at.min(now + CALL_EVERY);
            }
            Phase::Sending(_) => {}
        }
    }

    fn greeted(&mut self, now: Duration) {
        self.before = Some(self.node.clone());
        self.events.push_back(TalkEvent::Sent(0));
        self.phase = Phase::Sending(Sending::new(now, self.image.blocks()));
        self.work(now);
    }

    /// Takes in what the node says to a block; `framed` where it was only seen passing by.
    fn hear_reply(&mut self, now: Duration, word: ReplyWord, framed: bool) {
        let Phase::Sending(sending) = &mut self.phase else { return };
        let block = sending.block();
        let turn = sending.hear(now, word, framed);
        self.turn(now, block, turn);
    }

    /// Goes where the sending of blocks has come to.
    fn turn(&mut self, now: Duration, block: u32, turn: Turn) {
        let of = self.image.blocks();
        match turn {
            Turn::Stay => {}
            Turn::Send(next) => {
                if next != block && next % TELL_EVERY == 0 {
                    self.events.push_back(TalkEvent::Passed { taken: next, of });
                }
                let bytes = self.image.block(next).to_bytes();
                self.outbox.send(self.node.seat, self.node.address, bytes);
            }
            Turn::AllSent => {
                self.events.push_back(TalkEvent::Passed { taken: of, of });
                self.events.push_back(TalkEvent::Restarting);
                self.judge_from(now, None, false);
            }
            Turn::Failed => self.judge_from(now, None, true),
            Turn::Stuck => self.judge_from(now, Some(block), false),
        }
    }

    fn judge_from(&mut self, now: Duration, stuck: Option<u32>, failed: bool) {
        self.phase = Phase::Judging(Judging {
            since: now,
            again_at: now + CALL_EVERY,
            everybody_at: now + CALL_EVERYBODY_EVERY,
            stuck,
            failed,
            told: 0,
            heard: false,
        });
    }

    fn work(&mut self, now: Duration) {
        if self.outcome.is_some() {
            return;
        }
        match &mut self.phase {
            Phase::Greeting { again_at, .. } if *again_at > now => {}
            Phase::Greeting { asked, .. } if *asked >= ASKS => self.end(Outcome::Silent { written: false }),
            Phase::Greeting { asked, again_at } => {
                *asked += 1;
                *again_at = now + ANSWER_TIME;
                if *asked % 3 == 0 {
                    self.outbox.poll_everybody(false);
                } else {
                    self.outbox.poll(self.node.seat, self.node.address);
                }
            }
            Phase::Sending(sending) => {
                let block = sending.block();
                let turn = sending.wake(now);
                self.turn(now, block, turn);
            }
            Phase::Judging(judging) => {
                let judging = *judging;
                self.judge(now, judging);
            }
        }
    }

    /// When it has had its time to tell what it runs. One that did not get the whole file does not restart with it.
    fn judged_at(&self, judging: Judging) -> Duration {
        let restarts = !judging.failed && judging.stuck.is_none();
        judging.since + if restarts { self.restart_time } else { BEFORE_RESTART.min(self.restart_time) }
    }

    fn judge(&mut self, now: Duration, mut judging: Judging) {
        let over = self.judged_at(judging);
        if judging.told >= TOLD_TWICE {
            return self.conclude();
        }
        if now >= over {
            return self.give_up(judging);
        }
        if judging.again_at > now {
            return;
        }
        judging.again_at = now + CALL_EVERY;
        self.outbox.poll(self.node.seat, self.node.address);
        if judging.everybody_at <= now && !judging.heard {
            judging.everybody_at = now + CALL_EVERYBODY_EVERY;
            self.outbox.poll_everybody(true);
        }
        self.phase = Phase::Judging(judging);
    }

    /// It tells the new version. Whether anything else has changed with it?
    fn conclude(&mut self) {
        let before = self.before.as_ref().unwrap_or(&self.node);
        let shifted = shifts(&before.told(), &self.node.told(), &self.differences);
        if before.address != self.node.address {
            let there = self.node.address;
            return self.end(Outcome::Elsewhere(there));
        }
        self.events.push_back(TalkEvent::Confirmed(0));
        self.end(if shifted.is_empty() { Outcome::Done } else { Outcome::MovedAlong(shifted) });
    }

    fn give_up(&mut self, judging: Judging) {
        let open = self.open();
        let of = self.image.blocks();
        let outcome = match judging.stuck {
            Some(taken) => Outcome::HalfSent { taken, of, answers: judging.heard },
            None if !judging.heard => Outcome::Silent { written: true },
            // It is as wanted, told once only; or it was sent what it had.
            None if open.is_empty() && !judging.failed => Outcome::Done,
            None if open.is_empty() => Outcome::Refused(self.failed_again()),
            None => Outcome::Refused(open),
        };
        self.end(outcome);
    }

    /// It has the same version as before, and said that it did not take it again.
    fn failed_again(&self) -> Vec<Difference> {
        let told = |difference: &Difference| Difference { found: Known::Untold, ..difference.clone() };
        self.differences.iter().filter(|difference| difference.field == Field::Firmware).map(told).collect()
    }
}

impl Talk for Upload {
    fn outcome(&self) -> Option<&Outcome> {
        self.outcome.as_ref()
    }

    fn subject(&self) -> Subject {
        Subject::of_node(&self.node)
    }
}

impl Conversation for Upload {
    type Event = TalkEvent;

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        if self.outcome.is_some() {
            return;
        }
        match heard {
            Heard::Datagram(datagram) if datagram.from.ip() == &self.node.address => {
                if let Ok(reply) = FirmwareReply::parse(datagram.bytes) {
                    self.hear_reply(now, reply.word, false);
                }
            }
            Heard::Frame(frame) => {
                if let Some(word) = framed_reply(frame, self.node.address) {
                    self.hear_reply(now, word, true);
                }
            }
            _ => {}
        }
        let (_, seen) = sightings(&self.vantage, now, heard);
        for sighting in &seen {
            if self.outcome.is_none() {
                self.take(now, sighting);
            }
        }
        self.outbox.release(now);
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.outbox.next()
    }

    fn wake_at(&self) -> Option<Duration> {
        if self.outcome.is_some() {
            return None;
        }
        let own = match &self.phase {
            Phase::Greeting { again_at, .. } => *again_at,
            Phase::Sending(sending) => sending.wake_at(),
            Phase::Judging(judging) if judging.told >= TOLD_TWICE => Duration::ZERO,
            Phase::Judging(judging) => judging.again_at.min(self.judged_at(*judging)),
        };
        Some(self.outbox.release_at().map_or(own, |at| at.min(own)))
    }

    fn wake(&mut self, now: Duration) {
        self.work(now);
        self.outbox.release(now);
    }

    fn next_event(&mut self) -> Option<TalkEvent> {
        self.events.pop_front()
    }
}

/// What the node says to a block, in a frame that passed by.
fn framed_reply(frame: &[u8], node: std::net::Ipv4Addr) -> Option<ReplyWord> {
    let packet = Packet::parse(frame).ok()?;
    match packet.carries {
        lantern_wire::Carries::Udp { from, to, payload } if *from.ip() == node && to.port() == PORT => {
            FirmwareReply::parse(payload).ok().map(|reply| reply.word)
        }
        _ => None,
    }
}
