//! Walking along a cable: unit after unit shows itself, and a person says which place of the sheet it is.

use std::collections::VecDeque;

use super::{OpenCable, Place};
use crate::census::FoundFixture;

/// How often a unit is shown at most: one that was put off comes once more, behind the others.
const MOST_SHOWN: u32 = 2;

/// How far somebody is with one cable.
#[derive(Debug, Clone)]
pub struct Walk {
    cable: OpenCable,
    /// The units still to be told apart, the present one first, each with how often it was shown.
    left: VecDeque<(usize, u32)>,
    /// The unit of each place, where it is known.
    units: Vec<Option<usize>>,
    /// The places that were said, in the order in which they were.
    said: Vec<usize>,
    /// Those that were passed over, and why.
    passed: Vec<(usize, String)>,
}

impl Walk {
    /// At the beginning of this cable. Who answers nothing cannot show itself.
    #[must_use]
    pub fn along(cable: OpenCable) -> Self {
        let (able, mute): (Vec<usize>, Vec<usize>) =
            (0..cable.units.len()).partition(|unit| cable.units[*unit].answers());
        Self {
            left: able.into_iter().map(|unit| (unit, 1)).collect(),
            units: vec![None; cable.places.len()],
            said: Vec::new(),
            passed: mute.into_iter().map(|unit| (unit, "it answers nothing".to_owned())).collect(),
            cable,
        }
    }

    /// The cable.
    #[must_use]
    pub fn cable(&self) -> &str {
        &self.cable.cable
    }

    /// The unit whose turn it is; `None` when all were shown, or every place is known.
    #[must_use]
    pub fn present(&self) -> Option<&FoundFixture> {
        let (unit, _) = self.left.front().filter(|_| self.units.contains(&None))?;
        self.cable.units.get(*unit)
    }

    /// Every place, with the unit that it is where that is known.
    pub fn places(&self) -> impl Iterator<Item = (&Place, Option<&FoundFixture>)> {
        let unit = |unit: &Option<usize>| unit.and_then(|unit| self.cable.units.get(unit));
        self.cable.places.iter().zip(self.units.iter().map(unit))
    }

    /// How many units there are, and the how manieth it is.
    #[must_use]
    pub fn how_far(&self) -> (usize, usize) {
        (self.said.len() + self.passed.len() + 1, self.cable.units.len())
    }

    /// The present unit is the one of this place, by its number. Gives whether that was open.
    pub fn is_at(&mut self, place: usize) -> bool {
        if self.units.get(place) != Some(&None) {
            return false;
        }
        let Some((unit, _)) = self.left.pop_front() else { return false };
        self.units[place] = Some(unit);
        self.said.push(place);
        true
    }

    /// It is not to be seen now: once more later, and then passed over.
    pub fn later(&mut self) {
        match self.left.pop_front() {
            Some((unit, shown)) if shown < MOST_SHOWN && !self.left.is_empty() => {
                self.left.push_back((unit, shown + 1));
            }
            Some((unit, _)) => self.passed.push((unit, "nobody saw it".to_owned())),
            None => {}
        }
    }

    /// It cannot be shown, for this reason.
    pub fn cannot(&mut self, why: String) {
        self.passed.extend(self.left.pop_front().map(|(unit, _)| (unit, why)));
    }

    /// The last place that was said was wrong: it is open again, and its unit has its turn again. Gives which.
    pub fn back(&mut self) -> Option<&Place> {
        let place = self.said.pop()?;
        let unit = self.units[place].take()?;
        self.left.push_front((unit, 1));
        self.cable.places.get(place)
    }

    /// Those that were passed over, and why.
    pub fn passed(&self) -> impl Iterator<Item = (&FoundFixture, &str)> {
        self.passed.iter().filter_map(|(unit, why)| Some((self.cable.units.get(*unit)?, why.as_str())))
    }
}

#[cfg(test)]
mod tests {
    use lantern_wire::rdm::Uid;

    use super::*;
    use crate::census::{Behind, Health};
    use crate::facts::{Facts, Field, Value};
    use crate::rework::InRow;
    use crate::universe::PortAddress;

    fn unit(number: u32, answers: bool) -> FoundFixture {
        let mut facts = Facts::able(&[Field::StartAddress]);
        if answers {
            facts.learn(Field::StartAddress, Value::Count(1));
        }
        let universe = PortAddress::new(0).unwrap();
        let behind = Behind { address: [10, 40, 1, 1].into(), mac: None, page: 1, slot: 0, universe };
        FoundFixture { uid: Uid::of_number(u64::from(number)), behind, facts, health: Health::default() }
    }

    fn walk(units: Vec<FoundFixture>) -> Walk {
        let place = |nth| Place {
            at: InRow { fixture: 0, nth },
            name: format!("wash-{}", nth + 1),
            slot: Some(1 + 10 * nth),
            footprint: 10,
        };
        Walk::along(OpenCable { cable: "quay 1".to_owned(), places: (0..3).map(place).collect(), units })
    }

    fn present(walk: &Walk) -> Option<u64> {
        walk.present().map(|unit| unit.uid.number())
    }

    #[test]
    fn each_place_gets_the_unit_that_was_seen_there() {
        let mut walk = walk(vec![unit(1, true), unit(2, true), unit(3, true)]);
        assert!(walk.is_at(2));
        assert!(!walk.is_at(2), "it is taken");
        assert_eq!(present(&walk), Some(2));
        assert!(!walk.is_at(9));
        assert!(walk.is_at(0) && walk.is_at(1));
        assert_eq!(present(&walk), None);
        let is: Vec<Option<u64>> = walk.places().map(|(_, unit)| unit.map(|unit| unit.uid.number())).collect();
        assert_eq!(is, [Some(2), Some(3), Some(1)]);
    }

    #[test]
    fn who_is_mute_or_not_seen_is_passed_over_and_who_was_put_off_comes_again() {
        let mut walk = walk(vec![unit(1, false), unit(2, true), unit(3, true)]);
        assert_eq!(present(&walk), Some(2));
        walk.later();
        assert_eq!(present(&walk), Some(3));
        walk.cannot("it does not answer any more".to_owned());
        assert_eq!(present(&walk), Some(2));
        walk.later();
        assert_eq!(present(&walk), None);
        let passed: Vec<(u64, &str)> = walk.passed().map(|(unit, why)| (unit.uid.number(), why)).collect();
        let why = [(1, "it answers nothing"), (3, "it does not answer any more"), (2, "nobody saw it")];
        assert_eq!(passed, why);
    }

    #[test]
    fn what_was_wrong_is_said_again() {
        let mut walk = walk(vec![unit(1, true), unit(2, true)]);
        assert_eq!(walk.back(), None);
        walk.is_at(1);
        assert_eq!(walk.back().map(|place| place.name.clone()), Some("wash-2".to_owned()));
        assert_eq!((present(&walk), walk.how_far()), (Some(1), (1, 2)));
    }
}
