//! Calls: poll everybody by Art-Net, and ask single nodes for what is missing.
//!
//! A node may wait up to a second before it replies and should have replied within three (Art-Net 4, "ArtPoll").
//! Datagrams get lost, so the question is repeated, at most four times, early enough for every answer to fall
//! within the three seconds. A node of which a page got lost is asked once more by itself.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::art_net::IpProg;

use super::plan::{Concern, Extent, SurveyPlan};
use crate::census::{Census, FoundNode};
use crate::conversation::outbox::Outbox;
use crate::conversation::retries::Retries;
use crate::sheet::{RigSheet, SheetNode};

const POLLS: u32 = 4;
const POLL_EVERY: Duration = Duration::from_millis(600);
/// How often controllers poll (Art-Net 4, "ArtPoll"): so goes a survey without an end.
const POLL_LATER_EVERY: Duration = Duration::from_millis(2500);

/// Each so-manieth poll, and the first, goes out by the limited broadcast too: every device on the wire must take that in.
const LIMITED_EVERY: u32 = 3;

const ASKS: u32 = 4;
const ASK_EVERY: Duration = Duration::from_millis(400);

/// The most nodes asked one by one.
const MOST_ASKED: usize = 4096;

/// Who is polled and asked.
#[derive(Debug)]
pub(super) struct Calls {
    endless: bool,
    ask_settings: bool,
    concern: Concern,
    sheet: Option<RigSheet>,
    polls_sent: u32,
    /// When the last poll left, and how often one does later.
    polled_at: Duration,
    later_every: Duration,
    /// Nodes asked for their settings, or for pages that got lost; by their index in the census.
    asked: Retries<usize>,
}

impl Calls {
    pub(super) fn new(plan: &SurveyPlan) -> Self {
        Self {
            endless: plan.extent == Extent::Endless,
            ask_settings: plan.ask_settings,
            concern: plan.concern.clone(),
            sheet: plan.sheet.clone(),
            polls_sent: 0,
            polled_at: Duration::ZERO,
            later_every: POLL_LATER_EVERY,
            asked: Retries::new(ASKS, ASK_EVERY, MOST_ASKED),
        }
    }

    /// When everybody is polled next.
    pub(super) fn next_poll(&self) -> Option<Duration> {
        match self.polls_sent {
            0..POLLS => Some(POLL_EVERY * self.polls_sent),
            _ if self.endless => Some(self.polled_at + self.later_every),
            _ => None,
        }
    }

    /// One without an end polls so often, once the first polls have gone.
    pub(super) const fn poll_every(&mut self, every: Duration) {
        self.later_every = every;
    }

    /// Polls everybody, and those that no broadcast reaches; gives for the how-manieth time from 1, and whether those in other
    /// subnets were too.
    pub(super) fn poll(&mut self, now: Duration, outbox: &mut Outbox, calls: &[Ipv4Addr]) -> (u32, bool) {
        self.polls_sent += 1;
        self.polled_at = now;
        let limited = self.polls_sent.is_multiple_of(LIMITED_EVERY) || self.polls_sent == 1;
        outbox.poll_everybody(limited);
        for address in calls {
            outbox.poll(0, *address);
        }
        (self.polls_sent, limited)
    }

    /// Whether an answer of a single node is still waited for.
    pub(super) fn is_asking(&self) -> bool {
        self.asked.next_at().is_some()
    }

    /// When a single node is asked next.
    pub(super) fn next_ask(&self) -> Option<Duration> {
        self.asked.next_at()
    }

    /// Whether the node is to be asked for its settings, and for further pages.
    fn lacks(&self, census: &Census, outbox: &Outbox, index: usize) -> (bool, bool) {
        let node = &census.nodes()[index];
        if !node.is_node() || !outbox.reaches(node.address) || !self.concern.has_node(node) {
            return (false, false);
        }
        // What is locked is never asked for what only whoever sets it has to know.
        let is_locked = self.sheet.as_ref().is_some_and(|sheet| sheet.is_locked(node.address, node.mac));
        (self.ask_settings && !is_locked && node.settings.is_none(), !self.is_whole(node))
    }

    /// Whether every page was heard: as many ports as the node's kind has, or the sheet plans.
    fn is_whole(&self, node: &FoundNode) -> bool {
        let planned = self.sheet.as_ref().and_then(|sheet| {
            let by_mac =
                |one: &&SheetNode| node.mac.is_some() && one.mac.as_ref().map(|mac| mac.value) == node.mac;
            let planned = sheet.nodes.iter().find(by_mac)?;
            Some(sheet.kind_of(planned).map_or(0, |kind| kind.ports).max(planned.last_port()))
        });
        node.is_whole_with(planned.unwrap_or(0))
    }

    /// Takes in that something was heard of a node.
    pub(super) fn consider(&mut self, now: Duration, census: &Census, outbox: &Outbox, index: usize) {
        match self.lacks(census, outbox, index) {
            (false, false) => self.asked.answered(index),
            // Pages follow each other closely: only what is still missing a little later got lost.
            (settings, _) => {
                self.asked.ask(if settings { now } else { now + ASK_EVERY }, index);
            }
        }
    }

    /// Asks those whose turn it is.
    pub(super) fn ask(&mut self, now: Duration, census: &Census, outbox: &mut Outbox) {
        while let Some((index, nth)) = self.asked.next(now) {
            let (settings, pages) = self.lacks(census, outbox, index);
            let node = &census.nodes()[index];
            if settings {
                outbox.send(node.seat, node.address, IpProg::ASK.to_bytes());
            }
            if pages && !(nth == 1 && settings) {
                outbox.poll(node.seat, node.address);
            }
        }
    }
}
