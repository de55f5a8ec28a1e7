//! What became of several questions to one address in one way.

use std::time::Duration;

/// Questions, and how long each answer took.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Answers {
    asked: Vec<(Duration, Option<Duration>)>,
}

impl Answers {
    pub(super) fn ask(&mut self, now: Duration) {
        self.asked.push((now, None));
    }

    /// Takes in an answer to the question of this number, from 0; the last one where that is not known. A second answer says
    /// nothing more.
    pub(super) fn answer(&mut self, now: Duration, number: Option<usize>) {
        let place = number.unwrap_or(self.asked.len().wrapping_sub(1));
        if let Some((at, took)) = self.asked.get_mut(place) {
            took.get_or_insert(now.saturating_sub(*at));
        }
    }

    /// How many questions were asked.
    #[must_use]
    pub fn asked(&self) -> usize {
        self.asked.len()
    }

    /// How many were answered.
    #[must_use]
    pub fn answered(&self) -> usize {
        self.times().count()
    }

    /// The part of all questions that nobody answered, in percent.
    #[must_use]
    pub fn loss_percent(&self) -> usize {
        (self.asked() - self.answered()) * 100 / self.asked().max(1)
    }

    fn times(&self) -> impl Iterator<Item = Duration> + '_ {
        self.asked.iter().filter_map(|(_, took)| *took)
    }

    /// The shortest time an answer took.
    #[must_use]
    pub fn shortest(&self) -> Option<Duration> {
        self.times().min()
    }

    /// The longest.
    #[must_use]
    pub fn longest(&self) -> Option<Duration> {
        self.times().max()
    }

    /// The one in the middle: half of the answers took no longer.
    #[must_use]
    pub fn middle(&self) -> Option<Duration> {
        let mut all: Vec<Duration> = self.times().collect();
        all.sort_unstable();
        all.get(all.len().checked_sub(1)? / 2).copied()
    }

    /// Jitter: by how much one answer's time differs from the next one's, on average. `None` for fewer than two.
    #[must_use]
    pub fn jitter(&self) -> Option<Duration> {
        let all: Vec<Duration> = self.times().collect();
        let steps = u32::try_from(all.len().checked_sub(1)?).ok().filter(|steps| *steps > 0)?;
        Some(all.windows(2).map(|two| two[0].abs_diff(two[1])).sum::<Duration>() / steps)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const fn ms(millis: u64) -> Duration {
        Duration::from_millis(millis)
    }

    #[test]
    fn times_loss_and_jitter_are_those_of_the_answers() {
        let mut answers = Answers::default();
        assert_eq!((answers.loss_percent(), answers.middle(), answers.jitter()), (0, None, None));
        for i in 0..5 {
            answers.ask(ms(i * 100));
        }
        // The third is lost, the first one is answered twice, and last of all.
        answers.answer(ms(104), Some(1));
        answers.answer(ms(310), Some(3));
        answers.answer(ms(401), None);
        answers.answer(ms(420), Some(0));
        answers.answer(ms(500), Some(0));
        answers.answer(ms(500), Some(7));
        assert_eq!((answers.asked(), answers.answered(), answers.loss_percent()), (5, 4, 20));
        assert_eq!(
            (answers.shortest(), answers.middle(), answers.longest()),
            (Some(ms(1)), Some(ms(4)), Some(ms(420)))
        );
        // 420, 4, 10, 1: the steps are 416, 6 and 9.
        assert_eq!(answers.jitter(), Some(Duration::from_micros(143_666) + Duration::from_nanos(666)));
    }
}
