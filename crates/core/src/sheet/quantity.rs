//! Watts and megabits: numbers with a unit, with as many decimals as people write.

use std::fmt;
use std::iter::Sum;

/// Electric power, to the milliwatt.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Default, Hash)]
pub struct Watts(u32);

/// Data in a second, to the kilobit.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Default, Hash)]
pub struct Rate(u32);

/// A number of the sheet with three decimals kept.
pub(crate) trait Quantity: Sized {
    /// What is expected where a number is not one of them.
    const EXPECTED: &'static str;

    /// From thousandths of the unit.
    fn from_thousandths(thousandths: u32) -> Self;
}

impl Watts {
    /// So many milliwatts.
    #[must_use]
    pub const fn from_milliwatts(milliwatts: u32) -> Self {
        Self(milliwatts)
    }

    /// In milliwatts.
    #[must_use]
    pub const fn milliwatts(self) -> u32 {
        self.0
    }
}

impl Rate {
    /// So many kilobits in a second.
    #[must_use]
    pub const fn from_kilobits(kilobits: u32) -> Self {
        Self(kilobits)
    }

    /// In kilobits in a second.
    #[must_use]
    pub const fn kilobits(self) -> u32 {
        self.0
    }
}

impl Quantity for Watts {
    const EXPECTED: &'static str = "watts, as in 12.95, without quotes";

    fn from_thousandths(thousandths: u32) -> Self {
        Self(thousandths)
    }
}

impl Quantity for Rate {
    const EXPECTED: &'static str = "megabits in a second, as in 1000, without quotes";

    fn from_thousandths(thousandths: u32) -> Self {
        Self(thousandths)
    }
}

impl Sum for Watts {
    fn sum<I: Iterator<Item = Self>>(all: I) -> Self {
        Self(all.fold(0, |sum, one| sum.saturating_add(one.0)))
    }
}

impl Sum for Rate {
    fn sum<I: Iterator<Item = Self>>(all: I) -> Self {
        Self(all.fold(0, |sum, one| sum.saturating_add(one.0)))
    }
}

fn decimal(thousandths: u32) -> String {
    let text = format!("{}.{:03}", thousandths / 1000, thousandths % 1000);
    text.trim_end_matches('0').trim_end_matches('.').to_owned()
}

impl fmt::Display for Watts {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} W", decimal(self.0))
    }
}

impl fmt::Display for Rate {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} Mbit/s", decimal(self.0))
    }
}
