//! Fixtures: what hangs on a universe, slot by slot.

use std::str::FromStr;

use super::fields::Fields;
use super::place::Placed;
use super::port::AskedUniverse;
use crate::Protocol;
use crate::universe::DeskBase;

/// Slots of a universe (ANSI E1.11, section 8.5: up to 512 after the start code).
pub const SLOTS: u32 = 512;

/// One fixture, or a row of equal ones back to back.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fixture {
    /// Its name.
    pub name: Placed<String>,
    /// The universe it hangs on.
    pub on: Placed<AskedUniverse>,
    /// Its first slot.
    pub slot: Placed<WantedSlot>,
    /// How many slots one of them takes.
    pub footprint: Placed<u32>,
    /// How many stand in a row.
    pub count: Option<Placed<u32>>,
}

/// Where a fixture starts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum WantedSlot {
    /// At this slot, 1 to 512.
    Fixed(u32),
    /// Not decided yet.
    Fill,
}

impl Fixture {
    /// How many slots the whole row takes.
    #[must_use]
    pub fn length(&self) -> u32 {
        self.footprint.value.saturating_mul(self.count.as_ref().map_or(1, |count| count.value))
    }

    /// First and last slot, where the first is known. The last may lie beyond the universe.
    #[must_use]
    pub fn slots(&self) -> Option<(u32, u32)> {
        match self.slot.value {
            WantedSlot::Fixed(first) => Some((first, first + self.length() - 1)),
            WantedSlot::Fill => None,
        }
    }
}

impl FromStr for WantedSlot {
    type Err = &'static str;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        const EXPECTED: &str = "a slot from 1 to 512, or \"fill\"";
        if text == "fill" {
            return Ok(Self::Fill);
        }
        text.parse().ok().filter(|slot| (1..=SLOTS).contains(slot)).map(Self::Fixed).ok_or(EXPECTED)
    }
}

pub(super) fn read(fields: &Fields<'_>, desk: DeskBase) -> Option<Fixture> {
    let name = fields.required("name", fields.text("name"), "\"mast-wash-1\"");
    let on = fields.parsed_or_number("on", |text| AskedUniverse::read(text, desk, Protocol::ArtNet));
    let on = fields.required("on", on, "\"0:0:0\"");
    if let Some(Placed { value: AskedUniverse::Fill(_), span }) = &on {
        fields.note(
            *span,
            "`on` cannot be filled in: only people know where a fixture hangs",
            "the universe it hangs on",
        );
    }
    let slot = fields.required("slot", fields.parsed_or_number("slot", str::parse), "1");
    let footprint = fields.required("footprint", fields.number("footprint", 1..=SLOTS), "14");
    let count = fields.number("count", 1..=SLOTS);
    fields.refuse_unknown_keys();
    Some(Fixture { name: name?, on: on?, slot: slot?, footprint: footprint?, count })
}
