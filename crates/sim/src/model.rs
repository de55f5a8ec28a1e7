//! The invented models of the simulated nodes.

use serde::Deserialize;

/// A model of gateway by the invented maker Marrowbright.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
pub enum Model {
    /// Four ports on one page.
    #[serde(rename = "marrowbright-four")]
    Four,
    /// Two outputs, and little that can be told: neither DHCP, sACN, RDM, direction nor data loss.
    #[serde(rename = "marrowbright-two")]
    Two,
    /// Eight ports on two pages.
    #[serde(rename = "marrowbright-eight")]
    Eight,
}

impl Model {
    /// ESTA code of the maker, from the range for prototypes.
    pub const ESTA: u16 = 0x7ff0;

    /// OEM code.
    #[must_use]
    pub const fn oem(self) -> u16 {
        match self {
            Self::Four => 0x7ff4,
            Self::Two => 0x7ff2,
            Self::Eight => 0x7ff8,
        }
    }

    /// Whether all that Art-Net has words for can be told to it.
    #[must_use]
    pub const fn is_able(self) -> bool {
        !matches!(self, Self::Two)
    }

    /// How many pages of four ports it has.
    #[must_use]
    pub const fn pages(self) -> usize {
        match self {
            Self::Two | Self::Four => 1,
            Self::Eight => 2,
        }
    }
}
