//! Which clock leads each domain, over time.

use std::collections::BTreeMap;
use std::time::Duration;

use lantern_wire::ptp::{Announce, ClockIdentity};

use super::{Happening, News};

/// Whoever is not announced for so long leads no more: three times the usual interval (IEEE 1588-2008, annex J.3).
const AWAY: Duration = Duration::from_secs(6);
/// The most grandmasters of one domain that are told apart.
const MOST: usize = 8;

/// A grandmaster as it was announced.
#[derive(Debug, Clone, Copy)]
struct Leader {
    clock: ClockIdentity,
    first: Duration,
    last: Duration,
}

#[derive(Debug, Clone, Default)]
struct Domain {
    leaders: Vec<Leader>,
    /// Who was told of last as leading.
    told: Option<ClockIdentity>,
    /// Whether it was told that several lead.
    is_contested: bool,
}

/// The domains that were heard of.
#[derive(Debug, Clone, Default)]
pub(super) struct Clocks(BTreeMap<u8, Domain>);

impl Clocks {
    pub(super) fn take(&mut self, now: Duration, announce: &Announce) {
        let domain = self.0.entry(announce.domain).or_default();
        let clock = announce.grandmaster;
        if let Some(leader) = domain.leaders.iter_mut().find(|leader| leader.clock == clock) {
            leader.last = now;
        } else if domain.leaders.len() < MOST {
            domain.leaders.push(Leader { clock, first: now, last: now });
        }
    }

    /// A second has passed: tells what has become of whom.
    pub(super) fn roll(&mut self, now: Duration, news: &mut Vec<Happening>) {
        for (number, domain) in &mut self.0 {
            domain.leaders.retain(|leader| now < leader.last + AWAY);
            if let Some(what) = domain.change() {
                news.push(Happening { at: now, who: format!("clock of domain {number}"), news: what });
            }
        }
    }
}

impl Domain {
    fn change(&mut self) -> Option<News> {
        match (self.told, &self.leaders[..]) {
            (Some(gone), []) => {
                (self.told, self.is_contested) = (None, false);
                Some(News::ClockWent(gone))
            }
            (_, []) => None,
            (told, [only]) => {
                let was_contested = std::mem::take(&mut self.is_contested);
                self.told = Some(only.clock);
                (told != self.told || was_contested).then_some(News::ClockLeads(only.clock))
            }
            // One that has heard a better one falls silent at once: several that go on do not hear each other.
            (told, [first, .., last]) => {
                let beside = self.leaders.iter().map(|one| one.last).min()?;
                if !self.is_contested && last.first + AWAY <= beside {
                    self.is_contested = true;
                    let other = if told == Some(first.clock) { last.clock } else { first.clock };
                    return Some(News::SecondClock(other));
                }
                None
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const A: ClockIdentity = ClockIdentity([0, 0, 0, 0xff, 0xfe, 0, 0, 1]);
    const B: ClockIdentity = ClockIdentity([0, 0, 0, 0xff, 0xfe, 0, 0, 2]);

    fn announce(grandmaster: ClockIdentity) -> Announce {
        let bytes = [&[0x0b, 2][..], &[0; 62]].concat();
        Announce { grandmaster, ..Announce::parse(&bytes).unwrap().unwrap() }
    }

    /// Which clocks are announced in each second, and what is told when.
    fn told(seconds: &[(std::ops::Range<u64>, ClockIdentity)]) -> Vec<(u64, News)> {
        let mut clocks = Clocks::default();
        let mut all = Vec::new();
        for second in 0..60 {
            let now = Duration::from_secs(second);
            for (_, clock) in seconds.iter().filter(|(range, _)| range.contains(&second)) {
                clocks.take(now, &announce(*clock));
            }
            let mut news = Vec::new();
            clocks.roll(now, &mut news);
            all.extend(news.into_iter().map(|one| (second, one.news)));
        }
        all
    }

    #[test]
    fn one_that_leads_and_goes() {
        assert_eq!(told(&[(5..20, A)]), [(5, News::ClockLeads(A)), (25, News::ClockWent(A))]);
    }

    #[test]
    fn one_that_makes_way_is_no_rival() {
        assert_eq!(told(&[(0..20, A), (19..60, B)]), [(0, News::ClockLeads(A)), (25, News::ClockLeads(B))]);
    }

    #[test]
    fn two_that_do_not_hear_each_other_are_told_once_and_the_end_of_it_too() {
        let expected = [(0, News::ClockLeads(A)), (16, News::SecondClock(B)), (45, News::ClockLeads(A))];
        assert_eq!(told(&[(0..60, A), (10..40, B)]), expected);
    }

    #[test]
    fn a_flood_of_leaders_is_bounded() {
        let mut clocks = Clocks::default();
        for n in 0..=255 {
            clocks.take(Duration::ZERO, &announce(ClockIdentity([n; 8])));
        }
        assert_eq!(clocks.0[&0].leaders.len(), MOST);
    }
}
