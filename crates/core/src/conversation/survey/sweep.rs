//! Sweep: ask address after address, the likely ones first.

use std::collections::HashSet;
use std::net::Ipv4Addr;
use std::time::Duration;

use crate::address::AddressRange;

/// The silent ones are asked again as long as all the asking stays below so many packets.
const MOST_PACKETS: u64 = 1024;
/// How long an answer may take on a local network.
pub(super) const ANSWER_TIME: Duration = Duration::from_millis(300);

/// Which address is next.
#[derive(Debug)]
pub(super) struct Sweep {
    likely: Vec<Ipv4Addr>,
    is_likely: HashSet<Ipv4Addr>,
    ranges: Vec<AddressRange>,
    /// Where it stands: an index into the likely ones, then into the ranges with the offset there.
    place: (usize, usize, u64),
    rounds_left: u64,
    total: u64,
    asked: u64,
    ended_at: Option<Duration>,
}

impl Sweep {
    /// Asks the likely ones and the ranges, the silent ones up to so many times, leaving out our own addresses.
    pub(super) fn new(likely: &[Ipv4Addr], ranges: &[AddressRange], own: &[Ipv4Addr], rounds: u64) -> Self {
        let mut is_likely = HashSet::new();
        let likely: Vec<Ipv4Addr> = likely
            .iter()
            .copied()
            .filter(|address| !own.contains(address) && is_likely.insert(*address))
            .collect();
        let ranges = disjoint(ranges);
        let in_ranges: u64 = ranges.iter().map(|range| range.len()).sum();
        let beside = likely.iter().filter(|address| !ranges.iter().any(|range| range.contains(**address)));
        let total = in_ranges + beside.count() as u64;
        Self {
            likely,
            is_likely,
            ranges,
            place: (0, 0, 0),
            rounds_left: (MOST_PACKETS / total.max(1)).clamp(1, rounds),
            total,
            asked: 0,
            ended_at: if total == 0 { Some(Duration::ZERO) } else { None },
        }
    }

    /// The next address to ask, leaving out those that `need_not`.
    pub(super) fn next(&mut self, now: Duration, need_not: impl Fn(Ipv4Addr) -> bool) -> Option<Ipv4Addr> {
        while self.ended_at.is_none() {
            match self.step() {
                Some(address) => {
                    self.asked += 1;
                    if !need_not(address) {
                        return Some(address);
                    }
                }
                None => {
                    self.rounds_left -= 1;
                    self.place = (0, 0, 0);
                    if self.rounds_left == 0 {
                        self.ended_at = Some(now);
                    }
                }
            }
        }
        None
    }

    /// The next address of this round.
    fn step(&mut self) -> Option<Ipv4Addr> {
        let (likely, range, offset) = &mut self.place;
        if let Some(address) = self.likely.get(*likely) {
            *likely += 1;
            return Some(*address);
        }
        while let Some(current) = self.ranges.get(*range) {
            let address = current.nth(*offset);
            match address {
                Some(address) => {
                    *offset += 1;
                    if !self.is_likely.contains(&address) {
                        return Some(address);
                    }
                }
                None => (*range, *offset) = (*range + 1, 0),
            }
        }
        None
    }

    /// Whether everybody was asked.
    pub(super) const fn is_over(&self) -> bool {
        self.ended_at.is_some()
    }

    /// When the last answer may come; `None` while it runs.
    pub(super) fn answered_by(&self) -> Option<Duration> {
        self.ended_at.map(|at| if self.total == 0 { at } else { at + ANSWER_TIME })
    }

    /// How many addresses were asked in this run, how many are to come at most.
    pub(super) fn progress(&self) -> (u64, u64) {
        let left =
            if self.is_over() { 0 } else { (self.total * self.rounds_left).saturating_sub(self.in_round()) };
        (self.asked, left)
    }

    fn in_round(&self) -> u64 {
        let (likely, range, offset) = self.place;
        self.ranges.iter().take(range).map(|range| range.len()).sum::<u64>() + offset + likely as u64
    }
}

/// The same addresses without any that stand twice, in the order given.
fn disjoint(ranges: &[AddressRange]) -> Vec<AddressRange> {
    let mut all: Vec<AddressRange> = Vec::new();
    for range in ranges {
        let mut pieces = vec![*range];
        for known in &all {
            pieces = pieces.into_iter().flat_map(|piece| piece.without(known)).collect();
        }
        all.extend(pieces);
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;

    fn range(text: &str) -> AddressRange {
        text.parse().unwrap()
    }

    fn all(sweep: &mut Sweep) -> Vec<Ipv4Addr> {
        std::iter::from_fn(|| sweep.next(Duration::ZERO, |_| false)).collect()
    }

    #[test]
    fn likely_addresses_come_first_and_none_twice_in_a_round() {
        let likely = [Ipv4Addr::new(10, 40, 1, 9), Ipv4Addr::new(10, 40, 0, 7), Ipv4Addr::new(192, 168, 0, 5)];
        let ranges = [range("10.40.1.8-10.40.1.10"), range("10.40.1.9-10.40.1.11")];
        let mut sweep = Sweep::new(&likely, &ranges, &[Ipv4Addr::new(10, 40, 0, 7)], 2);
        let asked: Vec<String> = all(&mut sweep).iter().map(ToString::to_string).collect();
        let round = ["10.40.1.9", "192.168.0.5", "10.40.1.8", "10.40.1.10", "10.40.1.11"];
        assert_eq!(asked, [round, round].concat());
        assert!(sweep.is_over());
        assert_eq!(sweep.progress().1, 0);
    }

    #[test]
    fn who_answered_is_not_asked_again() {
        let mut sweep = Sweep::new(&[], &[range("10.40.1.1-10.40.1.4")], &[], 2);
        let second = Ipv4Addr::new(10, 40, 1, 2);
        let asked: Vec<Ipv4Addr> = std::iter::from_fn(|| sweep.next(Duration::ZERO, |a| a == second)).collect();
        assert_eq!(asked.len(), 6);
        assert!(!asked.contains(&second));
    }

    #[test]
    fn a_large_range_is_asked_once() {
        let mut sweep = Sweep::new(&[], &[range("10.40.0.0/16")], &[], 2);
        assert_eq!(sweep.progress(), (0, 65_536));
        assert_eq!(all(&mut sweep).len(), 65_536);
    }

    #[test]
    fn nothing_to_ask_is_over_at_once() {
        let sweep = Sweep::new(&[], &[], &[], 2);
        assert!(sweep.is_over());
        assert_eq!(sweep.answered_by(), Some(Duration::ZERO));
    }
}
