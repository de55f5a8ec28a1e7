//! Politeness: how many packets a second leave at most. A show may be running on the same wire.

use std::time::Duration;

/// How far a sender that was held up may catch up at once.
const BURST: Duration = Duration::from_millis(20);

/// Lets so many packets a second pass, evenly.
#[derive(Debug, Clone, Copy)]
pub(super) struct Pace {
    interval: Duration,
    next: Duration,
}

impl Pace {
    /// The pace of everything that need not be faster.
    pub(super) const USUAL: u32 = 500;

    pub(super) fn new(per_second: u32) -> Self {
        Self { interval: Duration::from_secs(1) / per_second.max(1), next: Duration::ZERO }
    }

    /// Whether another packet may leave now; counts it when it may.
    pub(super) fn lets_pass(&mut self, now: Duration) -> bool {
        if self.next > now {
            return false;
        }
        self.next = self.next.max(now.saturating_sub(BURST)) + self.interval;
        true
    }

    /// When the next packet may leave.
    pub(super) const fn next(&self) -> Duration {
        self.next
    }

    /// How long so many packets take.
    pub(super) fn time_for(&self, packets: usize) -> Duration {
        self.interval.saturating_mul(u32::try_from(packets).unwrap_or(u32::MAX))
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case(500)]
    #[case(2000)]
    #[case(1)]
    fn no_second_has_more_than_the_pace_and_a_burst(#[case] per_second: u32) {
        let mut pace = Pace::new(per_second);
        let mut passed = 0;
        for milli in 0..3000 {
            while pace.lets_pass(Duration::from_millis(milli)) {
                passed += 1;
            }
        }
        // The last millisecond may still be ahead.
        assert!((per_second * 3 - per_second / 1000..=per_second * 3 + 1).contains(&passed), "{passed}");
    }

    #[test]
    fn who_was_held_up_catches_up_only_a_little() {
        let mut pace = Pace::new(500);
        let at = Duration::from_secs(10);
        let passed = (0..100).filter(|_| pace.lets_pass(at)).count();
        assert_eq!(passed, 11);
        assert!(pace.next() > at);
    }
}
