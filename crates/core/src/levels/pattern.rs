//! What is sent to try a universe.

use std::ops::RangeInclusive;
use std::str::FromStr;
use std::time::Duration;

use super::{SLOTS, Slots};

/// How long each slot of a chase is lit.
const CHASE_STEP: Duration = Duration::from_millis(500);
/// How long a ramp takes to the top, and down again.
const RAMP: Duration = Duration::from_secs(5);

/// What stands in the slots over time.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Pattern {
    /// These levels, all others 0.
    Still(Box<Slots>),
    /// One slot after the other at this level.
    Chase(u8),
    /// All of them up to this level and down again.
    Ramp(u8),
}

/// A level, or the same one for several slots in a row: `1=255`, `1-10=50%`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Setting {
    /// Slots, from 1.
    pub slots: RangeInclusive<usize>,
    /// Their level.
    pub level: u8,
}

/// Why something is no level.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum LevelError {
    /// It is neither 0 to 255 nor a share of a hundred.
    #[error("{0:?} is no level: write 0 to 255, or 0% to 100%")]
    Level(String),
    /// It names no slots.
    #[error("{0:?} names no slots: write 1=255 or 1-10=50%, slots from 1 to 512")]
    Slots(String),
}

/// Reads a level: 0 to 255, or 0% to 100%.
fn level(text: &str) -> Result<u8, LevelError> {
    let wrong = || LevelError::Level(text.to_owned());
    match text.strip_suffix('%') {
        Some(share) => {
            let share: u16 = share.trim().parse().map_err(|_| wrong())?;
            let level = (share * 255 + 50) / 100;
            u8::try_from(level).ok().filter(|_| share <= 100).ok_or_else(wrong)
        }
        None => text.trim().parse().map_err(|_| wrong()),
    }
}

impl FromStr for Setting {
    type Err = LevelError;

    fn from_str(text: &str) -> Result<Self, LevelError> {
        let wrong = || LevelError::Slots(text.to_owned());
        let (slots, value) = text.split_once('=').ok_or_else(wrong)?;
        let (first, last) = slots.split_once('-').unwrap_or((slots, slots));
        let slot = |text: &str| text.trim().parse().ok().filter(|slot| (1..=SLOTS).contains(slot));
        let (first, last) = (slot(first).ok_or_else(wrong)?, slot(last).ok_or_else(wrong)?);
        if first > last {
            return Err(wrong());
        }
        Ok(Self { slots: first..=last, level: level(value)? })
    }
}

impl Pattern {
    /// These levels; a later one of the same slot counts.
    #[must_use]
    pub fn of(settings: &[Setting]) -> Self {
        let mut slots = Box::new([0; SLOTS]);
        for setting in settings {
            setting.slots.clone().for_each(|slot| slots[slot - 1] = setting.level);
        }
        Self::Still(slots)
    }

    /// Reads the level of a pattern for all slots.
    ///
    /// # Errors
    /// When it is none.
    pub fn level(text: &str) -> Result<u8, LevelError> {
        level(text)
    }

    /// The same level in all slots.
    #[must_use]
    pub fn all(level: u8) -> Self {
        Self::Still(Box::new([level; SLOTS]))
    }

    /// What stands in the slots so long after the beginning.
    #[must_use]
    pub fn at(&self, since: Duration) -> Slots {
        match self {
            Self::Still(slots) => **slots,
            Self::Chase(level) => {
                let step = since.as_millis() / CHASE_STEP.as_millis();
                let lit = usize::try_from(step % SLOTS as u128).unwrap_or(0);
                std::array::from_fn(|slot| if slot == lit { *level } else { 0 })
            }
            Self::Ramp(level) => {
                let (whole, part) = (RAMP.as_millis(), since.as_millis() % (2 * RAMP.as_millis()));
                let height = if part <= whole { part } else { 2 * whole - part };
                [u8::try_from(u128::from(*level) * height / whole).unwrap_or(*level); SLOTS]
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case("1=255", Some((1..=1, 255)))]
    #[case("512=0", Some((512..=512, 0)))]
    #[case("1-10=50%", Some((1..=10, 128)))]
    #[case("3 - 4 = 100%", Some((3..=4, 255)))]
    #[case("0=1", None)]
    #[case("513=1", None)]
    #[case("9-3=1", None)]
    #[case("1=256", None)]
    #[case("1=101%", None)]
    #[case("1=-1", None)]
    #[case("1", None)]
    #[case("=", None)]
    fn a_setting_is_read(#[case] text: &str, #[case] read: Option<(RangeInclusive<usize>, u8)>) {
        assert_eq!(text.parse::<Setting>().ok().map(|setting| (setting.slots, setting.level)), read);
    }

    #[test]
    fn patterns_move_as_their_names_say() {
        let chase = Pattern::Chase(200);
        let lit = |millis: u64| {
            let slots = chase.at(Duration::from_millis(millis));
            let lit: Vec<usize> = (0..SLOTS).filter(|slot| slots[*slot] > 0).collect();
            (lit.len(), lit[0], slots[lit[0]])
        };
        assert_eq!(
            [lit(0), lit(499), lit(500), lit(511 * 500), lit(512 * 500)],
            [(1, 0, 200), (1, 0, 200), (1, 1, 200), (1, 511, 200), (1, 0, 200)]
        );
        let ramp = Pattern::Ramp(100);
        let height = |seconds: u64| ramp.at(Duration::from_secs(seconds))[7];
        assert_eq!([0, 1, 5, 9, 10, 15].map(height), [0, 20, 100, 20, 0, 100]);
        let still = Pattern::of(&["1-3=10".parse().unwrap(), "2=20".parse().unwrap()]).at(Duration::MAX);
        assert_eq!(still[..4], [10, 20, 10, 0]);
    }
}
