//! Which identifiers are asked next, and who of them stays silent because it is known.

use std::collections::{BTreeSet, VecDeque};

use lantern_wire::llrp::Probe;
use lantern_wire::rdm::Uid;

/// So often in a row nobody new must answer before a range is done: a question may get lost.
const SILENT: u32 = 3;
/// The most targets kept; a network has hundreds.
const MOST_FOUND: usize = 16_384;

/// The ranges still to be asked. One with more known targets than fit in a question is cut where they lie: units of one maker
/// have neighbouring identifiers, which plain halving takes forty rounds to part.
#[derive(Debug)]
pub(super) struct Ranges {
    open: VecDeque<(Uid, Uid)>,
    found: BTreeSet<Uid>,
    /// How many were found when the first of the open ranges was last asked.
    before: usize,
    silent: u32,
}

impl Default for Ranges {
    fn default() -> Self {
        let open = VecDeque::from([(Uid::LOWEST, Uid::EVERYBODY)]);
        Self { open, found: BTreeSet::new(), before: 0, silent: 0 }
    }
}

impl Ranges {
    /// Somebody answered.
    pub(super) fn found(&mut self, uid: Uid) {
        if self.found.len() < MOST_FOUND {
            self.found.insert(uid);
        }
    }

    /// The next question: from, to, and who stays silent; `None` when everybody was found.
    pub(super) fn next(&mut self) -> Option<(Uid, Uid, Vec<Uid>)> {
        // What came since the last question shows whether it is worth asking again.
        self.silent = if self.found.len() > self.before { 0 } else { self.silent };
        if self.silent >= SILENT {
            self.open.pop_front();
            self.silent = 0;
        }
        let (lowest, highest) = self.first()?;
        self.silent += 1;
        self.before = self.found.len();
        Some((lowest, highest, self.found.range(lowest..=highest).copied().collect()))
    }

    /// The first range, cut until its known targets fit in one question.
    fn first(&mut self) -> Option<(Uid, Uid)> {
        loop {
            let (lowest, highest) = *self.open.front()?;
            let known: Vec<Uid> = self.found.range(lowest..=highest).copied().collect();
            if known.len() <= Probe::MOST_KNOWN {
                return Some((lowest, highest));
            }
            let middle = known[known.len() / 2];
            self.open.pop_front();
            self.open.push_front((middle, highest));
            self.open.push_front((lowest, Uid::of_number(middle.number() - 1)));
            self.silent = 0;
        }
    }

    /// Asks everybody once more.
    pub(super) fn again(&mut self) {
        let found = std::mem::take(&mut self.found);
        *self = Self { before: found.len(), found, silent: SILENT - 1, ..Self::default() };
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    /// Asks targets of which each answer gets lost with these chances in a hundred; gives the rounds it took, and how many
    /// were found.
    fn asked(targets: &[Uid], loss: u64) -> (usize, usize) {
        let (mut ranges, mut rounds, mut dice) = (Ranges::default(), 0, 7_u64);
        while let Some((lowest, highest, known)) = ranges.next() {
            rounds += 1;
            assert!(known.len() <= Probe::MOST_KNOWN && rounds < 200);
            let probe = Probe { lowest, highest, filter: lantern_wire::llrp::Filter::NONE, known };
            for uid in targets.iter().filter(|uid| probe.asks(**uid)) {
                dice = dice.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
                if (dice >> 33) % 100 >= loss {
                    ranges.found(*uid);
                }
            }
        }
        (rounds, ranges.found.len())
    }

    fn neighbours(count: u64) -> Vec<Uid> {
        (0..count).map(|i| Uid::of_number(0x7ff0_0010_0000 + i)).collect()
    }

    #[rstest]
    #[case::nobody(0, 0, 3)]
    #[case::one(1, 0, 4)]
    #[case::as_many_as_fit(200, 0, 4)]
    #[case::too_many(201, 0, 7)]
    #[case::a_thousand_neighbours(1000, 0, 25)]
    #[case::with_loss(200, 5, 6)]
    fn everybody_is_found_in_few_rounds(#[case] count: u64, #[case] loss: u64, #[case] most: usize) {
        let (rounds, found) = asked(&neighbours(count), loss);
        assert_eq!(found as u64, count);
        assert!(rounds <= most, "{rounds}");
    }

    #[test]
    fn asked_again_everybody_is_asked_once() {
        let mut ranges = Ranges::default();
        while ranges.next().is_some() {}
        ranges.again();
        assert!(ranges.next().is_some() && ranges.next().is_none());
    }
}
