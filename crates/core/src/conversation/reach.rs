//! Whether one address answers, by whatever way the system sends there.

use std::net::Ipv4Addr;
use std::time::Duration;

use super::{Conversation, Heard, Outgoing};

const ASKS: u32 = 3;
const ASK_EVERY: Duration = Duration::from_millis(200);
/// A router has to look for the address first.
const PATIENCE: Duration = Duration::from_millis(1200);

/// The conversation: three echo requests, and a good second of waiting.
#[derive(Debug)]
pub struct Reach {
    to: Ipv4Addr,
    asked: u32,
    due: bool,
    answered: bool,
    over: bool,
}

impl Reach {
    /// Asks this address.
    #[must_use]
    pub const fn new(to: Ipv4Addr) -> Self {
        Self { to, asked: 0, due: false, answered: false, over: false }
    }

    /// Whether it answered.
    #[must_use]
    pub const fn answered(&self) -> bool {
        self.answered
    }
}

impl Conversation for Reach {
    type Event = ();

    fn hear(&mut self, _: Duration, heard: &Heard<'_>) {
        if matches!(heard, Heard::Echo(from) if *from == self.to) {
            (self.answered, self.over) = (true, true);
        }
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        std::mem::take(&mut self.due).then_some(Outgoing::Echo { seat: 0, to: self.to })
    }

    fn wake_at(&self) -> Option<Duration> {
        let next = if self.asked < ASKS { ASK_EVERY * self.asked } else { PATIENCE };
        (!self.over).then_some(next)
    }

    fn wake(&mut self, now: Duration) {
        if self.asked < ASKS && ASK_EVERY * self.asked <= now {
            self.asked += 1;
            self.due = true;
        }
        self.over |= PATIENCE <= now;
    }

    fn next_event(&mut self) -> Option<()> {
        None
    }
}

#[cfg(test)]
mod tests {
    use super::super::script::scripted;
    use super::*;

    #[test]
    fn it_ends_with_the_answer_of_the_one_asked() {
        let [to, other] = [5, 6].map(|last| Ipv4Addr::new(10, 71, 0, last));
        let mut reach = Reach::new(to);
        reach.wake(Duration::ZERO);
        assert_eq!(reach.next_send(), Some(Outgoing::Echo { seat: 0, to }));
        assert_eq!(reach.next_send(), None);
        reach.hear(Duration::from_millis(5), &Heard::Echo(other));
        assert_eq!((reach.answered(), reach.wake_at()), (false, Some(ASK_EVERY)));
        reach.hear(Duration::from_millis(250), &Heard::Echo(to));
        assert_eq!((reach.answered(), reach.wake_at()), (true, None));
    }

    #[test]
    fn silence_ends_it_too() {
        let mut reach = Reach::new(Ipv4Addr::new(10, 71, 0, 5));
        let (asked, _) = scripted(&mut reach, &[]);
        assert_eq!((asked.len(), reach.answered()), (ASKS as usize, false));
    }
}
