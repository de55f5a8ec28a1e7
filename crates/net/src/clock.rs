//! The clock of a conversation. It stands still while this computer does: when the processors were taken by somebody else,
//! or whoever reads our output let us wait, nobody was silent, for nobody was listened to.

use std::time::{Duration, Instant};

/// How late a wait may end and still be one.
const LATE: Duration = Duration::from_millis(50);
/// For how long is listened after a stand, before anybody is called silent: what came meanwhile is heard first.
const CATCHING_UP: Duration = Duration::from_millis(50);

/// Time since a conversation began, as far as it was lived through.
#[derive(Debug)]
pub(crate) struct Clock {
    looked: Instant,
    now: Duration,
    caught_up: Duration,
}

impl Clock {
    pub(crate) fn start() -> Self {
        Self::start_at(Instant::now())
    }

    const fn start_at(at: Instant) -> Self {
        Self { looked: at, now: Duration::ZERO, caught_up: Duration::ZERO }
    }

    /// The time of the last look.
    pub(crate) const fn now(&self) -> Duration {
        self.now
    }

    /// Looks at the time, after a wait of at most `awaited`. What is much more than that does not count.
    pub(crate) fn look(&mut self, awaited: Duration) -> Duration {
        self.look_at(Instant::now(), awaited)
    }

    fn look_at(&mut self, at: Instant, awaited: Duration) -> Duration {
        let passed = at.saturating_duration_since(self.looked);
        self.looked = at;
        let was_catching_up = self.now < self.caught_up;
        // Something of it always counts: whoever is only ever late, or has his hands full with a flood, gets on all the same.
        self.now += passed.min(awaited + LATE);
        if passed > awaited + LATE && !was_catching_up {
            self.caught_up = self.now + CATCHING_UP;
        }
        self.now
    }

    /// How long to listen until something that is to be done at `at` is due.
    pub(crate) fn until(&self, at: Duration) -> Duration {
        at.max(self.caught_up).saturating_sub(self.now)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const fn ms(ms: u64) -> Duration {
        Duration::from_millis(ms)
    }

    #[test]
    fn time_passes_as_it_does() {
        let began = Instant::now();
        let mut clock = Clock::start_at(began);
        assert_eq!(clock.look_at(began + ms(3), ms(3)), ms(3));
        // A little late is nothing.
        assert_eq!(clock.look_at(began + ms(45), ms(10)), ms(45));
        assert_eq!(clock.until(ms(50)), ms(5));
        assert_eq!(clock.until(ms(40)), ms(0));
    }

    #[test]
    fn while_the_computer_stands_still_nobody_is_silent() {
        let began = Instant::now();
        let mut clock = Clock::start_at(began);
        // Waited for 20 ms, came back after 500: what was due then is due after what waits was heard.
        assert_eq!(clock.look_at(began + ms(500), ms(20)), ms(20) + LATE);
        assert_eq!(clock.until(ms(20)), CATCHING_UP);
        assert_eq!(clock.look_at(began + ms(510), CATCHING_UP), ms(30) + LATE);
        assert_eq!(clock.until(ms(20)), ms(40));
        assert_eq!(clock.look_at(began + ms(550), ms(40)), ms(70) + LATE);
        assert_eq!(clock.until(ms(20)), ms(0));
    }

    #[test]
    fn between_two_waits_it_may_stand_still_too() {
        let began = Instant::now();
        let mut clock = Clock::start_at(began);
        clock.look_at(began + ms(10), ms(10));
        assert_eq!(clock.look_at(began + ms(900), ms(0)), ms(10) + LATE);
        assert_eq!(clock.until(ms(5)), CATCHING_UP);
    }

    #[test]
    fn one_that_is_always_late_gets_on() {
        let (mut at, mut done) = (Instant::now(), 0);
        let mut clock = Clock::start_at(at);
        for _ in 0..100 {
            let wait = clock.until(clock.now());
            done += usize::from(wait.is_zero());
            at += wait + ms(300);
            clock.look_at(at, wait);
        }
        assert!(done >= 40, "{done}");
    }

    /// While more comes than can be heard at once, nothing is waited for, and every look is late.
    #[test]
    fn a_flood_does_not_stop_the_time() {
        let (mut at, mut done) = (Instant::now(), 0);
        let mut clock = Clock::start_at(at);
        let (over_at, mut looks) = (ms(3000), 0);
        while clock.now() < over_at {
            at += ms(120);
            clock.look_at(at, ms(0));
            done += usize::from(clock.until(clock.now()).is_zero());
            looks += 1;
            assert!(looks < 100);
        }
        assert!(done >= 20, "{done}");
    }
}
