//! The flow of a stream as it arrives here: how many packets, what is missing of them, how evenly they come (RFC 3550).

use std::collections::BTreeSet;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::rtp::Rtp;

/// A packet so far ahead is the next one, with some missing; one so far behind is late; all else is a stream that began anew.
const MOST_AHEAD: u16 = 3000;
const MOST_BEHIND: u16 = 120;
/// The most kinds of payload that are kept.
const MOST_TYPES: usize = 8;

/// What came of a stream from one sender.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Flow {
    /// Who sends it.
    pub from: Ipv4Addr,
    /// The number that its packets bear.
    pub source: u32,
    /// How many packets came, each counted once.
    pub packets: u64,
    /// How many bytes they were, without the heads of UDP and IP.
    pub bytes: u64,
    /// How many did not come.
    pub lost: u64,
    /// In how many gaps: one or more in a row each.
    pub gaps: u64,
    /// How many came behind later ones.
    pub late: u64,
    /// How many came once more.
    pub doubled: u64,
    /// How often the count began anew somewhere else.
    pub restarts: u64,
    /// What their payload is called.
    pub payload_types: BTreeSet<u8>,
    /// The longest time in which none came.
    pub longest_pause: Duration,
    /// How uneven they come: the mean deviation (RFC 3550, section 6.4.1); `None` where the clock of the stream is not known.
    jitter: Option<Jitter>,
    first_at: Duration,
    last_at: Duration,
    /// The highest number so far, and which of the 128 up to it came.
    highest: u16,
    seen: u128,
}

/// How uneven packets come.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Jitter {
    /// Ticks in a second.
    clock: u32,
    /// When the last one came, and of when it is.
    last: (Duration, u32),
    /// Sixteen times the mean, in nanoseconds.
    sixteenfold: u64,
}

impl Flow {
    /// A flow whose first packet came now; its clock makes so many ticks in a second, where that is known.
    #[must_use]
    pub fn new(now: Duration, from: Ipv4Addr, packet: &Rtp, bytes: usize, clock: Option<u32>) -> Self {
        let jitter = clock.filter(|clock| *clock > 0);
        Self {
            from,
            source: packet.source,
            packets: 1,
            bytes: bytes as u64,
            lost: 0,
            gaps: 0,
            late: 0,
            doubled: 0,
            restarts: 0,
            payload_types: BTreeSet::from([packet.payload_type]),
            longest_pause: Duration::ZERO,
            jitter: jitter.map(|clock| Jitter { clock, last: (now, packet.timestamp), sixteenfold: 0 }),
            first_at: now,
            last_at: now,
            highest: packet.sequence,
            seen: 1,
        }
    }

    /// Takes in a further packet of it.
    pub fn take(&mut self, now: Duration, packet: &Rtp, bytes: usize) {
        self.longest_pause = self.longest_pause.max(now.saturating_sub(self.last_at));
        self.last_at = now;
        let ahead = packet.sequence.wrapping_sub(self.highest);
        let behind = self.highest.wrapping_sub(packet.sequence);
        if behind <= MOST_BEHIND {
            let own = 1_u128 << behind;
            if self.seen & own != 0 {
                self.doubled += 1;
                return;
            }
            // It was counted as lost when a later one came; with it a gap is closed, made smaller, or made two of.
            let came = |behind: u16| behind > MOST_BEHIND || self.seen & (1_u128 << behind) != 0;
            match (came(behind + 1), came(behind - 1)) {
                (true, true) => self.gaps = self.gaps.saturating_sub(1),
                (false, false) => self.gaps += 1,
                _ => {}
            }
            self.seen |= own;
            self.late += 1;
            self.lost = self.lost.saturating_sub(1);
        } else if ahead <= MOST_AHEAD {
            self.seen = self.seen.checked_shl(ahead.into()).unwrap_or(0) | 1;
            self.highest = packet.sequence;
            self.lost += u64::from(ahead - 1);
            self.gaps += u64::from(ahead > 1);
        } else {
            self.restarts += 1;
            (self.highest, self.seen) = (packet.sequence, 1);
        }
        self.packets += 1;
        self.bytes += bytes as u64;
        if self.payload_types.len() < MOST_TYPES {
            self.payload_types.insert(packet.payload_type);
        }
        if let Some(jitter) = &mut self.jitter {
            jitter.take(now, packet.timestamp);
        }
    }

    /// How uneven packets come, in the mean.
    #[must_use]
    pub fn jitter(&self) -> Option<Duration> {
        self.jitter.map(|jitter| Duration::from_nanos(jitter.sixteenfold / 16))
    }

    /// Packets and bits in a second; zero before there were two.
    #[must_use]
    pub fn rate(&self) -> (f64, f64) {
        let span = self.last_at.saturating_sub(self.first_at).as_secs_f64();
        if span <= 0.0 || self.packets < 2 {
            return (0.0, 0.0);
        }
        let share = (self.packets - 1) as f64 / self.packets as f64;
        ((self.packets - 1) as f64 / span, self.bytes as f64 * 8.0 * share / span)
    }

    /// When its first packet came, and its last.
    #[must_use]
    pub const fn span(&self) -> (Duration, Duration) {
        (self.first_at, self.last_at)
    }

    /// Whether it came whole and in order.
    #[must_use]
    pub const fn is_whole(&self) -> bool {
        self.lost == 0 && self.restarts == 0
    }
}

impl Jitter {
    fn take(&mut self, now: Duration, timestamp: u32) {
        let (last_at, last) = std::mem::replace(&mut self.last, (now, timestamp));
        let ticks = i64::from(timestamp.wrapping_sub(last).cast_signed());
        let meant = i128::from(ticks) * 1_000_000_000 / i128::from(self.clock);
        let came = i128::try_from(now.saturating_sub(last_at).as_nanos()).unwrap_or(i128::MAX);
        // One that is hours off says nothing of how evenly packets come.
        let off = u64::try_from((came - meant).unsigned_abs()).unwrap_or(u64::MAX).min(60_000_000_000);
        self.sixteenfold = self.sixteenfold - (self.sixteenfold + 8) / 16 + off;
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    const FROM: Ipv4Addr = Ipv4Addr::new(10, 40, 6, 1);

    fn packet(sequence: u16) -> Rtp {
        let timestamp = u32::from(sequence).wrapping_mul(48);
        Rtp { payload_type: 98, sequence, timestamp, source: 7, payload: 288 }
    }

    /// A packet each millisecond.
    fn flow(sequences: &[u16]) -> Flow {
        let mut all = (0..).map(Duration::from_millis).zip(sequences);
        let (first_at, first) = all.next().unwrap();
        let mut flow = Flow::new(first_at, FROM, &packet(*first), 300, Some(48_000));
        all.for_each(|(at, sequence)| flow.take(at, &packet(*sequence), 300));
        flow
    }

    #[rstest]
    #[case::whole(&[65_534, 65_535, 0, 1], (4, 0, 0, 0, 0, 0))]
    #[case::one_missing(&[1, 2, 4, 5], (4, 1, 1, 0, 0, 0))]
    #[case::over_the_end(&[65_534, 1, 2], (3, 2, 1, 0, 0, 0))]
    #[case::late(&[1, 2, 4, 3, 5], (5, 0, 0, 1, 0, 0))]
    #[case::late_in_a_gap(&[1, 5, 3, 6], (4, 2, 2, 1, 0, 0))]
    #[case::late_at_its_edge(&[1, 5, 4, 6], (4, 2, 1, 1, 0, 0))]
    #[case::doubled(&[1, 2, 2, 3, 1, 4], (4, 0, 0, 0, 2, 0))]
    #[case::late_and_doubled(&[1, 3, 2, 2, 4], (4, 0, 0, 1, 1, 0))]
    #[case::anew(&[1, 2, 30_000, 30_001], (4, 0, 0, 0, 0, 1))]
    #[case::far_ahead(&[1, 200, 201, 150], (4, 197, 2, 1, 0, 0))]
    fn what_is_missing_late_and_doubled_is_counted(
        #[case] sequences: &[u16],
        #[case] counted: (u64, u64, u64, u64, u64, u64),
    ) {
        let flow = flow(sequences);
        assert_eq!((flow.packets, flow.lost, flow.gaps, flow.late, flow.doubled, flow.restarts), counted);
    }

    #[test]
    fn rate_pause_and_jitter_are_as_they_come() {
        let mut even = flow(&[1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11]);
        let (packets, bits) = even.rate();
        assert!((packets - 1000.0).abs() < 1e-6 && (bits - 2_400_000.0).abs() < 1e-3, "{packets} {bits}");
        assert_eq!((even.jitter(), even.longest_pause), (Some(Duration::ZERO), Duration::from_millis(1)));
        // Four milliseconds late, and from then on even again: a quarter of a millisecond, which fades.
        even.take(Duration::from_millis(15), &packet(12), 300);
        assert_eq!(even.jitter(), Some(Duration::from_micros(250)));
        (13..113).for_each(|nth| even.take(Duration::from_millis(u64::from(nth) + 3), &packet(nth), 300));
        assert!(even.jitter() < Some(Duration::from_micros(1)), "{:?}", even.jitter());
        assert_eq!(even.longest_pause, Duration::from_millis(5));
        let unknown = Flow::new(Duration::ZERO, FROM, &packet(1), 300, None);
        assert_eq!((unknown.jitter(), unknown.rate()), (None, (0.0, 0.0)));
    }

    /// Whatever comes, what came and what is missing is no more than was sent.
    #[test]
    fn packets_by_chance_are_counted_within_bounds() {
        let mut state = 1_u64;
        let mut next = || {
            state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
            (state >> 33) as u16
        };
        for _ in 0..200 {
            let sequences: Vec<u16> = (0..500).map(|_| next()).collect();
            let flow = flow(&sequences);
            assert_eq!(flow.packets + flow.doubled, 500);
            assert!(flow.lost <= 500 * u64::from(MOST_AHEAD));
        }
    }
}
