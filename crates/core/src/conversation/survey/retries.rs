//! Questions to single devices: asked again until they are answered, or given up.

use std::collections::{BTreeSet, HashMap};
use std::hash::Hash;
use std::time::Duration;

/// Who was asked, and who is to be asked again. Whoever was given up is not asked any more.
#[derive(Debug)]
pub(super) struct Retries<K> {
    tries: u32,
    every: Duration,
    most: usize,
    asked: HashMap<K, Asked>,
    due: BTreeSet<(Duration, K)>,
}

#[derive(Debug, Clone, Copy)]
struct Asked {
    tries: u32,
    again_at: Duration,
}

impl<K: Copy + Ord + Hash> Retries<K> {
    /// Asks so often, at such intervals, so many at most.
    pub(super) fn new(tries: u32, every: Duration, most: usize) -> Self {
        Self { tries, every, most, asked: HashMap::new(), due: BTreeSet::new() }
    }

    /// Asks this one from then on, unless it was asked already. Gives whether it is the first time.
    pub(super) fn ask(&mut self, at: Duration, whom: K) -> bool {
        if self.asked.len() >= self.most || self.asked.contains_key(&whom) {
            return false;
        }
        self.asked.insert(whom, Asked { tries: 0, again_at: at });
        self.due.insert((at, whom));
        true
    }

    /// It answered; it need not be asked any more.
    pub(super) fn answered(&mut self, whom: K) {
        if let Some(asked) = self.asked.get(&whom) {
            self.due.remove(&(asked.again_at, whom));
        }
    }

    /// The next one to ask by now, and for which time from 1.
    pub(super) fn next(&mut self, now: Duration) -> Option<(K, u32)> {
        while let Some((at, whom)) = self.due.first().copied().filter(|(at, _)| *at <= now) {
            self.due.remove(&(at, whom));
            let Some(asked) = self.asked.get_mut(&whom) else { continue };
            asked.tries += 1;
            asked.again_at = now + self.every;
            // After the last try its answer is still waited for.
            if asked.tries <= self.tries {
                self.due.insert((asked.again_at, whom));
                return Some((whom, asked.tries));
            }
        }
        None
    }

    /// When to look again; `None` when no answer is waited for.
    pub(super) fn next_at(&self) -> Option<Duration> {
        self.due.first().map(|(at, _)| *at)
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
