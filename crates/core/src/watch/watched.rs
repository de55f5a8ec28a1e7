//! One device that is watched.

use std::fmt;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;

use super::board::Polls;
use super::reports::Reports;
use super::{Ask, Counter, Counts, Curve, News, Question};
use crate::Said;
use crate::census::Way;
use crate::facts::{Field, Value};

/// So many questions in a row without an answer, each of them repeated, and it does not answer so any more.
const SILENT_AFTER: u32 = 2;
/// So many where they cannot be repeated.
const SILENT_AFTER_FAR: u32 = 3;
/// Whoever was heard within this time is still heard.
const LATELY: Duration = Duration::from_secs(3);
/// An address counts as held for so long after it was last heard there.
pub(super) const HELD_FOR: Duration = Duration::from_secs(10);
/// The most addresses of one device that are kept.
const MOST_ADDRESSES: usize = 8;

/// Whether a device answers.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum State {
    /// It answered in every way it ever did.
    Answers,
    /// It is heard, and has never answered.
    Heard,
    /// It answers, but no longer in this way.
    Lacks(Way),
    /// It has stopped answering, and is still heard.
    OnlyHeard,
    /// Nothing is heard of it any more.
    Silent,
    /// The sheet has it, and it was not seen yet.
    NotSeen,
}

impl State {
    /// Whether somebody should look.
    #[must_use]
    pub const fn is_bad(self) -> bool {
        !matches!(self, Self::Answers | Self::Heard)
    }
}

impl fmt::Display for State {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Answers => f.write_str("answers"),
            Self::Heard => f.write_str("heard"),
            Self::Lacks(way) => write!(f, "no {way}"),
            Self::OnlyHeard => f.write_str("only heard"),
            Self::Silent => f.write_str("silent"),
            Self::NotSeen => f.write_str("not seen"),
        }
    }
}

/// A device, and how it has fared.
#[derive(Debug, Clone)]
pub struct Watched {
    /// What the sheet calls it.
    pub planned: Option<String>,
    /// What it calls itself.
    pub name: Said,
    /// What it is, in words.
    pub what: Said,
    /// Its MAC address, where that is known.
    pub mac: Option<MacAddress>,
    /// Its address; all zero when it has none.
    pub address: Ipv4Addr,
    /// Whether it answers.
    pub state: State,
    /// Since when, from the beginning of the watch.
    pub since: Duration,
    /// Echoes, or where it answers none questions by ARP.
    pub contact: Curve,
    /// Polls of Art-Net.
    pub polls: Curve,
    /// How often it fell silent.
    pub silences: u32,
    /// How often it started anew.
    pub restarts: u32,
    /// How long it was silent, all silences that are over together.
    pub silent_for: Duration,
    /// When it was last heard; `None` for never.
    pub last_heard: Option<Duration>,
    /// Its place among the census's nodes.
    pub node: Option<usize>,
    /// How often it tells of itself unasked, as far as the ways say in which it is heard.
    pub(super) rhythm: Option<Duration>,
    /// What it counts of its own faults.
    pub counts: Counts,
    pub(super) reports: Reports,
    pub(super) told: Vec<(Field, Value)>,
    pub(super) held: Vec<(Ipv4Addr, Duration)>,
    pub(super) contested: Option<(Ipv4Addr, MacAddress)>,
    /// Whether it hears polls to its subnet's broadcast address: one with another mask hears only those to everybody.
    pub(super) hears_directed: bool,
    /// Whether it cannot be asked by itself from here, so that no question to it is repeated.
    pub(super) is_far: bool,
    /// Whether the question that was asked last went to that address, and how many such went unanswered in a row.
    pub(super) asked_directed: bool,
    pub(super) directed_missed: u32,
    /// Whether it is asked by ARP, since it never answers an echo.
    pub(super) by_arp: bool,
    pub(super) is_gone: bool,
}

impl Watched {
    pub(super) fn new(mac: Option<MacAddress>, address: Ipv4Addr) -> Self {
        Self {
            planned: None,
            name: Said::default(),
            what: Said::default(),
            mac,
            address,
            state: State::NotSeen,
            since: Duration::ZERO,
            contact: Curve::default(),
            polls: Curve::default(),
            silences: 0,
            restarts: 0,
            silent_for: Duration::ZERO,
            last_heard: None,
            node: None,
            rhythm: None,
            counts: Counts::default(),
            reports: Reports::default(),
            told: Vec::new(),
            held: Vec::new(),
            contested: None,
            hears_directed: false,
            is_far: false,
            asked_directed: false,
            directed_missed: 0,
            by_arp: false,
            is_gone: false,
        }
    }

    /// What to call it: as the sheet does, as it does itself, or by its address.
    #[must_use]
    pub fn title(&self) -> String {
        match &self.planned {
            Some(planned) => planned.clone(),
            None if !self.name.is_empty() => self.name.to_string(),
            None if !self.address.is_unspecified() => self.address.to_string(),
            None => self.mac.map_or_else(|| "somebody".to_owned(), |mac| mac.to_string()),
        }
    }

    /// The better of its two curves: echoes where it answers them, since an Art-Net node may wait up to a second at random before
    /// it answers a poll.
    #[must_use]
    pub fn curve(&self) -> &Curve {
        if self.contact.ever_answered() || !self.polls.ever_answered() { &self.contact } else { &self.polls }
    }

    /// The question to it alone.
    pub(super) const fn asked_by_itself(&self, number: u16) -> Ask {
        let question = if self.by_arp { Question::Arp } else { Question::Echo(number) };
        Ask { to: self.address, mac: self.mac, question }
    }

    /// Everybody was polled, by this subnet's broadcast address or by the one of all.
    pub(super) fn polled(&mut self, now: Duration, limited: bool) {
        let was_missed = self.polls.missed() > 0;
        self.directed_missed = match self.asked_directed && was_missed {
            true => self.directed_missed + 1,
            false if was_missed => self.directed_missed,
            false => 0,
        };
        if self.last_heard.is_none() || (self.polls.asked() > 0 && !self.polls.ever_answered()) {
            return;
        }
        // Its answer to the one before may still be under way.
        if (limited || self.hears_directed) && !self.polls.is_open() {
            self.polls.ask(now, 0);
            self.asked_directed = !limited;
        }
    }

    /// It answered a poll.
    pub(super) fn answered_poll(&mut self, now: Duration, polls: Polls) {
        self.hears_directed |= polls.is_of_directed(now);
        // It heard only the one to everybody: what it seemed to answer before was somebody else's poll.
        if !self.asked_directed && self.directed_missed > 0 {
            (self.hears_directed, self.directed_missed) = (false, 0);
        }
        if !self.polls.ever_answered() && !self.polls.is_open() {
            self.polls.ask(polls.last, 0);
        }
        self.polls.answer(now, None);
    }

    /// Takes in that it was heard at this address; gives the one it had, if this one is new.
    pub(super) fn heard_at(&mut self, now: Duration, address: Ipv4Addr) -> Option<Ipv4Addr> {
        self.last_heard = Some(now);
        if address.is_unspecified() {
            return None;
        }
        self.held.retain(|(one, at)| *one == address || *at + HELD_FOR > now);
        match self.held.iter_mut().find(|(one, _)| *one == address) {
            Some((_, at)) => {
                *at = now;
                // The one it had is held no more.
                if self.held.iter().all(|(one, _)| *one != self.address) {
                    return Some(std::mem::replace(&mut self.address, address));
                }
                None
            }
            None => {
                let is_first = self.held.is_empty() && (self.address.is_unspecified() || self.address == address);
                if self.held.len() < MOST_ADDRESSES {
                    self.held.push((address, now));
                }
                if is_first || self.held.len() == 1 {
                    let before = std::mem::replace(&mut self.address, address);
                    return (!is_first && !before.is_unspecified()).then_some(before);
                }
                None
            }
        }
    }

    /// Whether it was heard at this address lately.
    pub(super) fn holds(&self, now: Duration, address: Ipv4Addr) -> bool {
        self.held.iter().any(|(one, at)| *one == address && *at + HELD_FOR > now)
    }

    /// Takes in what a page of it reports; gives what is new of that.
    pub(super) fn reports(&mut self, now: Duration, bind_index: u8, report: &Said) -> Vec<News> {
        let news = self.reports.take(now, bind_index, report);
        self.restarts += u32::from(news.contains(&News::Restarted));
        news
    }

    /// Its own count of the messages it answered (Art-Net 4, ArtPollReply "NodeReport").
    #[must_use]
    pub fn count(&self) -> Counter {
        self.reports.count()
    }

    /// What it is now, from what was answered and heard; gives what is new of that.
    pub(super) fn judge(&mut self, now: Duration) -> Option<News> {
        let state = self.state_now(now)?;
        if state == self.state {
            return None;
        }
        let (before, since) = (self.state, self.since);
        (self.state, self.since) = (state, now);
        match (before, state) {
            (State::NotSeen, _) => Some(News::Seen(self.address)),
            (_, State::Silent) => {
                self.silences += 1;
                self.since = self.last_heard.unwrap_or(now);
                Some(News::Silent)
            }
            (State::Silent, _) => {
                let away = now.saturating_sub(since);
                self.silent_for += away;
                Some(News::Back(away))
            }
            (_, State::Lacks(way)) => Some(News::Lacks(way)),
            (_, State::OnlyHeard) => Some(News::OnlyHeard),
            (State::Lacks(way), State::Answers) => Some(News::AnswersBy(way)),
            (State::OnlyHeard, State::Answers) => {
                Some(News::AnswersBy(if self.polls.ever_answered() { Way::ArtNet } else { Way::Echo }))
            }
            _ => None,
        }
    }

    fn state_now(&self, now: Duration) -> Option<State> {
        let heard = self.last_heard?;
        let quiet = now.saturating_sub(heard);
        let (contact, polls) = (&self.contact, &self.polls);
        // Two ways that fail at once say as much as one that fails twice.
        let both = contact.ever_answered() && polls.ever_answered() && contact.missed() > 0 && polls.missed() > 0;
        let enough = if self.is_far { SILENT_AFTER_FAR } else { SILENT_AFTER };
        let lost = |curve: &Curve| curve.ever_answered() && (both || curve.missed() >= enough);
        let well = |curve: &Curve| curve.ever_answered() && !lost(curve);
        Some(match (contact, polls) {
            (contact, polls) if well(contact) && lost(polls) => State::Lacks(Way::ArtNet),
            (contact, polls) if lost(contact) && well(polls) => State::Lacks(Way::Echo),
            (contact, polls) if well(contact) || well(polls) => State::Answers,
            // It answered once, and does no more.
            (contact, polls) if lost(contact) || lost(polls) => {
                if quiet < self.rhythm.unwrap_or_default() + LATELY { State::OnlyHeard } else { State::Silent }
            }
            // It never answered: only what it tells unasked says that it is there.
            _ => match self.rhythm {
                Some(rhythm) if quiet > rhythm * 3 => State::Silent,
                _ => State::Heard,
            },
        })
    }
}
