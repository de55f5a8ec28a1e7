//! How long devices take to answer an echo.

use std::collections::HashMap;
use std::net::Ipv4Addr;
use std::time::Duration;

use super::MOST_ECHOES;
use crate::conversation::{Outgoing, Vantage};

/// When each was asked, and how long the quickest answer took.
#[derive(Debug, Default)]
pub(super) struct EchoTimes {
    now: Duration,
    asked: HashMap<(Ipv4Addr, u16), Duration>,
    took: HashMap<Ipv4Addr, Duration>,
}

impl EchoTimes {
    /// It is so late now: what is sent before the next such word leaves at this moment.
    pub(super) const fn tick(&mut self, now: Duration) {
        self.now = now;
    }

    /// Something leaves.
    pub(super) fn leaves(&mut self, outgoing: &Outgoing) {
        let question = match outgoing {
            Outgoing::Echo { to, number, .. } => Some((*to, *number)),
            Outgoing::Frame(frame) => Vantage::echo_question(frame),
            _ => None,
        };
        if let Some(question) = question.filter(|_| self.asked.len() < MOST_ECHOES) {
            self.asked.entry(question).or_insert(self.now);
        }
    }

    /// The answer to that question has come.
    pub(super) fn answered(&mut self, from: Ipv4Addr, number: u16) {
        if let Some(asked) = self.asked.get(&(from, number)) {
            let took = self.now.saturating_sub(*asked);
            let known = self.took.entry(from).or_insert(took);
            *known = took.min(*known);
        }
    }

    /// How long the quickest answer of each address took.
    pub(super) const fn all(&self) -> &HashMap<Ipv4Addr, Duration> {
        &self.took
    }
}
