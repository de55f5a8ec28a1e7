//! Questions to single devices: asked again until they are answered, or given up.

use std::collections::HashMap;
use std::hash::Hash;
use std::time::Duration;

use super::deadlines::Deadlines;

/// Who was asked, and who is to be asked again. Whoever was given up is not asked any more.
#[derive(Debug)]
pub(crate) struct Retries<K> {
    tries: u32,
    every: Duration,
    /// How many times as long each answer is waited for as the one before.
    growth: u32,
    most: usize,
    /// How often each was asked.
    asked: HashMap<K, u32>,
    due: Deadlines<K>,
}

impl<K: Copy + Ord + Hash> Retries<K> {
    /// Asks so often, at such intervals, so many at most.
    pub(crate) fn new(tries: u32, every: Duration, most: usize) -> Self {
        Self { tries, every, growth: 1, most, asked: HashMap::new(), due: Deadlines::default() }
    }

    /// The same with intervals of which each is twice as long as the one before.
    pub(crate) fn doubling(self) -> Self {
        Self { growth: 2, ..self }
    }

    /// Asks this one from then on, unless it was asked already. Gives whether it is the first time.
    pub(crate) fn ask(&mut self, at: Duration, whom: K) -> bool {
        if self.asked.len() >= self.most || self.asked.contains_key(&whom) {
            return false;
        }
        self.asked.insert(whom, 0);
        self.due.set(whom, Some(at));
        true
    }

    /// Whether it was asked at least once.
    pub(crate) fn was_asked(&self, whom: K) -> bool {
        self.asked.get(&whom).is_some_and(|tries| *tries > 0)
    }

    /// It answered; it need not be asked any more.
    pub(crate) fn answered(&mut self, whom: K) {
        self.due.set(whom, None);
    }

    /// The next one to ask by now, and for which time from 1.
    pub(crate) fn next(&mut self, now: Duration) -> Option<(K, u32)> {
        while let Some((_, whom)) = self.due.first().filter(|(at, _)| *at <= now) {
            let tries = self.asked.entry(whom).or_default();
            *tries += 1;
            // After the last try its answer is still waited for.
            if *tries <= self.tries {
                self.due.set(whom, Some(now + self.every * self.growth.pow(*tries - 1)));
                return Some((whom, *tries));
            }
            self.due.set(whom, None);
        }
        None
    }

    /// When to look again; `None` when no answer is waited for.
    pub(crate) fn next_at(&self) -> Option<Duration> {
        self.due.first().map(|(at, _)| at)
    }

    /// Until when an answer is waited for, as far as it is known now.
    pub(crate) fn last_at(&self) -> Option<Duration> {
        self.due.last_at()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const EVERY: Duration = Duration::from_millis(250);

    #[test]
    fn the_silent_are_asked_to_the_last_try_and_those_who_answer_once() {
        let mut retries = Retries::new(3, EVERY, 10);
        assert!(retries.ask(Duration::ZERO, 'a') && retries.ask(Duration::ZERO, 'b'));
        let (mut asked, mut end) = (Vec::new(), Duration::ZERO);
        while let Some(at) = retries.next_at() {
            end = at;
            asked.extend(std::iter::from_fn(|| retries.next(at)).map(|(whom, nth)| (at.as_millis(), whom, nth)));
            retries.answered('b');
            assert!(!retries.ask(at, 'a'), "given up or not, nobody is asked anew");
        }
        assert_eq!(asked, [(0, 'a', 1), (0, 'b', 1), (250, 'a', 2), (500, 'a', 3)]);
        assert_eq!(end, 3 * EVERY, "the last answer is waited for");
    }

    #[test]
    fn no_more_are_asked_than_there_is_room_for() {
        let mut retries = Retries::new(1, EVERY, 2);
        let taken = (0..5).filter(|whom| retries.ask(Duration::ZERO, *whom)).count();
        assert_eq!(taken, 2);
    }
}
