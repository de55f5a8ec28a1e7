//! Which identifiers are asked next, and who of them stays silent because it is known.

use std::collections::BTreeSet;

use lantern_wire::llrp::Probe;
use lantern_wire::rdm::Uid;

/// So often in a row nobody new must answer before a range is done: a question may get lost.
const SILENT: u32 = 3;
/// The most targets kept; a network has hundreds.
const MOST_FOUND: usize = 16_384;

/// The ranges still to be asked, all side by side: nobody answers in two. One with more known targets than fit in a question is
/// cut where they lie: units of one maker have neighbouring identifiers, which plain halving takes forty rounds to part.
#[derive(Debug)]
pub(super) struct Ranges {
    open: Vec<Range>,
    found: BTreeSet<Uid>,
}

/// A range that is asked for those who are not known yet.
#[derive(Debug, Clone, Copy)]
struct Range {
    lowest: Uid,
    highest: Uid,
    /// How many were known in it when it was asked last.
    before: usize,
    /// How often in a row nobody new answered since.
    silent: u32,
}

/// A question: from, to, and who stays silent.
pub(super) type Question = (Uid, Uid, Vec<Uid>);

impl Default for Ranges {
    fn default() -> Self {
        Self { open: vec![Range::of(Uid::LOWEST, Uid::EVERYBODY)], found: BTreeSet::new() }
    }
}

impl Range {
    const fn of(lowest: Uid, highest: Uid) -> Self {
        Self { lowest, highest, before: 0, silent: 0 }
    }
}

impl Ranges {
    /// Somebody answered.
    pub(super) fn found(&mut self, uid: Uid) {
        if self.found.len() < MOST_FOUND {
            self.found.insert(uid);
        }
    }

    /// The next questions; none when everybody was found.
    pub(super) fn next(&mut self) -> Vec<Question> {
        let mut questions = Vec::new();
        for range in std::mem::take(&mut self.open) {
            let known = self.known(range);
            // What came since the last question shows whether it is worth asking again.
            let silent = if known.len() > range.before { 0 } else { range.silent };
            if silent >= SILENT {
                continue;
            }
            for piece in pieces(Range { silent, ..range }, &known) {
                let known = self.known(piece);
                self.open.push(Range { before: known.len(), silent: piece.silent + 1, ..piece });
                questions.push((piece.lowest, piece.highest, known));
            }
        }
        questions
    }

    fn known(&self, range: Range) -> Vec<Uid> {
        self.found.range(range.lowest..=range.highest).copied().collect()
    }

    /// Asks everybody once more.
    pub(super) fn again(&mut self) {
        let found = std::mem::take(&mut self.found);
        let all = Range { before: found.len(), silent: SILENT - 1, ..Range::of(Uid::LOWEST, Uid::EVERYBODY) };
        // The pieces are asked as often as the whole would be.
        *self = Self { open: vec![all], found };
    }
}

/// A range, cut until what is known of each piece fits in one question.
fn pieces(range: Range, known: &[Uid]) -> Vec<Range> {
    if known.len() <= Probe::MOST_KNOWN {
        return vec![range];
    }
    let (below, above) = known.split_at(known.len() / 2);
    let middle = above[0];
    let low = Range { highest: Uid::of_number(middle.number() - 1), ..range };
    let high = Range { lowest: middle, ..range };
    [pieces(low, below), pieces(high, above)].concat()
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    /// Asks targets of which each answer gets lost with these chances in a hundred; gives the rounds it took, and how many
    /// were found.
    fn asked(targets: &[Uid], loss: u64) -> (usize, usize) {
        let (mut ranges, mut rounds, mut dice) = (Ranges::default(), 0, 7_u64);
        loop {
            let probes: Vec<Probe> = ranges
                .next()
                .into_iter()
                .map(|(lowest, highest, known)| {
                    assert!(known.len() <= Probe::MOST_KNOWN && rounds < 200);
                    Probe { lowest, highest, filter: lantern_wire::llrp::Filter::NONE, known }
                })
                .collect();
            if probes.is_empty() {
                break;
            }
            rounds += 1;
            for uid in targets.iter().filter(|uid| probes.iter().any(|probe| probe.asks(**uid))) {
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
    #[case::too_many(201, 0, 4)]
    #[case::a_thousand_neighbours(1000, 0, 4)]
    #[case::with_loss(200, 5, 6)]
    #[case::a_thousand_with_loss(1000, 5, 7)]
    fn everybody_is_found_in_few_rounds(#[case] count: u64, #[case] loss: u64, #[case] most: usize) {
        let (rounds, found) = asked(&neighbours(count), loss);
        assert_eq!(found as u64, count);
        assert!(rounds <= most, "{rounds}");
    }

    #[test]
    fn asked_again_everybody_is_asked_once() {
        let mut ranges = Ranges::default();
        neighbours(500).into_iter().for_each(|uid| ranges.found(uid));
        while !ranges.next().is_empty() {}
        ranges.again();
        assert!(ranges.next().len() > 2 && ranges.next().is_empty());
    }
}
