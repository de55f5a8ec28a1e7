//! What carries requests to one unit, and its answers back.

use std::fmt::Debug;
use std::time::Duration;

use lantern_wire::rdm::{Message, Uid};

use super::Reading;
use crate::Said;
use crate::conversation::{Heard, Outgoing};

/// A way to one unit.
pub(in crate::family) trait Carrier: Debug {
    /// Who we are on it; `None` while nothing can be said.
    fn own(&self) -> Option<Uid>;

    /// The questions that read the whole unit.
    fn whole(&self, uid: Uid) -> Reading;

    /// A request as it is sent.
    fn send(&mut self, now: Duration, request: Message) -> Option<Outgoing>;

    /// The answers among what was heard.
    fn hear(&mut self, now: Duration, heard: &Heard<'_>) -> Vec<Message>;

    /// When it has something to do by itself.
    fn next_at(&self) -> Option<Duration> {
        None
    }

    /// Does what is due by now.
    fn work(&mut self, _now: Duration) {}

    /// Whether it is given up.
    fn is_over(&self) -> bool {
        false
    }

    /// The next thing that it sends by itself.
    fn next_send(&mut self) -> Option<Outgoing> {
        None
    }

    /// The next thing that is to be told of it.
    fn next_remark(&mut self) -> Option<Said> {
        None
    }
}
