//! Fixtures: what hangs on a universe, slot by slot.

use std::fmt;
use std::str::FromStr;

use lantern_wire::rdm::Uid;

use super::fields::Fields;
use super::place::{Placed, Span};
use super::port::AskedUniverse;
use crate::Protocol;
use crate::facts::{Field, FixtureSetting, Form, Value};
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
    /// Which of [`super::RigSheet::nodes`] it hangs behind, where several ports carry its universe.
    pub behind: Option<Placed<usize>>,
    /// The port of that, from 1.
    pub port: Option<Placed<u32>>,
    /// What it is to be labelled; of a row each with its number behind.
    pub label: Option<Placed<String>>,
    /// The mode each of them is to be in.
    pub mode: Option<Placed<WantedMode>>,
    /// Further settings of each.
    pub settings: Vec<(FixtureSetting, Placed<Value>)>,
    /// The RDM identifier of each, in the order of the row, as far as they are known.
    pub uids: Vec<Placed<Option<Uid>>>,
    /// Where they stand, all together.
    pub uid_list: Option<Span>,
}

/// A fixture whose reference is a name still.
#[derive(Debug)]
pub(super) struct Unplaced {
    pub(super) fixture: Fixture,
    pub(super) behind: Option<Placed<String>>,
}

/// What stands in the place of an identifier that is not known yet.
pub const UNKNOWN: &str = "unknown";

fn read_uid(text: &str) -> Result<Option<Uid>, &'static str> {
    if text == UNKNOWN {
        return Ok(None);
    }
    text.parse().map(Some).map_err(|_| "an RDM identifier like 7ff0:00000001, or \"unknown\"")
}

/// The mode a fixture is to be in: its personality, in the words of RDM.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum WantedMode {
    /// By its number, from 1.
    Number(u32),
    /// By what the fixture calls it.
    Words(String),
}

impl WantedMode {
    /// As a field of whoever is to be in it.
    #[must_use]
    pub fn field(&self) -> (Field, Value) {
        match self {
            Self::Number(number) => (Field::Mode, Value::Count(*number)),
            Self::Words(words) => (Field::ModeName, Value::Text(words.as_str().into())),
        }
    }
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
    /// What each of them is called: of a row the name with a number from 1.
    pub fn names(&self) -> impl Iterator<Item = String> {
        let (name, is_row) = (self.name.value.clone(), self.count.is_some());
        (1..=self.members()).map(move |number| if is_row { format!("{name}-{number}") } else { name.clone() })
    }

    /// How many there are.
    fn members(&self) -> u32 {
        self.count.as_ref().map_or(1, |count| count.value)
    }

    /// What one of the row, from 0, is to be labelled.
    #[must_use]
    pub fn label_of(&self, nth: u32) -> Option<String> {
        let label = &self.label.as_ref()?.value;
        Some(if self.count.is_some() { format!("{label} {}", nth + 1) } else { label.clone() })
    }

    /// What the last of them is to be labelled, which is the longest.
    #[must_use]
    pub fn longest_label(&self) -> Option<String> {
        self.label_of(self.members() - 1)
    }

    /// The identifier of one of the row, from 0, where it is known.
    #[must_use]
    pub fn uid(&self, nth: u32) -> Option<Uid> {
        self.uids.get(nth as usize)?.value
    }

    /// The first slot of one of the row, from 0, where it is decided.
    #[must_use]
    pub fn slot_of(&self, nth: u32) -> Option<u32> {
        match self.slot.value {
            WantedSlot::Fixed(first) => Some(first + nth * self.footprint.value),
            WantedSlot::Fill => None,
        }
    }

    /// How many slots the whole row takes.
    #[must_use]
    pub fn length(&self) -> u32 {
        self.footprint.value.saturating_mul(self.members())
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

impl fmt::Display for WantedMode {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Number(number) => write!(f, "{number}"),
            Self::Words(words) => f.write_str(words),
        }
    }
}

impl FromStr for WantedMode {
    type Err = &'static str;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        const EXPECTED: &str = "the number of a mode, 1 to 255, or what the fixture calls it";
        match text.parse::<u32>() {
            Ok(number) if (1..=255).contains(&number) => Ok(Self::Number(number)),
            Err(_) if !text.trim().is_empty() => Ok(Self::Words(text.trim().to_owned())),
            _ => Err(EXPECTED),
        }
    }
}

pub(super) fn read(fields: &Fields<'_>, desk: DeskBase) -> Option<Unplaced> {
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
    let (behind, port) = (fields.text("behind"), fields.number("port", 1..=1024));
    if let (None, Some(port)) = (&behind, &port) {
        fields.note(port.span, "`port` without the node that it is of", "a line like behind = \"quay-north\"");
    }
    let label = fields.text("label");
    let mode = fields.parsed_or_number("mode", str::parse);
    let settings =
        FixtureSetting::ALL.into_iter().filter_map(|setting| Some((setting, read_setting(fields, setting)?)));
    let settings = settings.collect();
    let (uids, uid_list) = (fields.list_by("uid", read_uid), fields.span_of("uid"));
    let room = count.as_ref().map_or(1, |count| count.value as usize);
    if let Some(first) = uids.get(room) {
        fields.note(
            first.span,
            format!("`uid` names more than the {room} there are"),
            "one for each, in the order of the row",
        );
    }
    fields.refuse_unknown_keys();
    let fixture = Fixture {
        name: name?,
        on: on?,
        slot: slot?,
        footprint: footprint?,
        count,
        behind: None,
        port,
        label,
        mode,
        settings,
        uids,
        uid_list,
    };
    Some(Unplaced { fixture, behind })
}

fn read_setting(fields: &Fields<'_>, setting: FixtureSetting) -> Option<Placed<Value>> {
    let key = setting.key();
    let placed = |span, value| Placed { value, span };
    match setting.form() {
        Form::OnOff => fields.flag(key).map(|on| placed(on.span, Value::Flag(on.value))),
        Form::Level => fields.number(key, 0..=255).map(|level| placed(level.span, Value::Count(level.value))),
        Form::Words(words) => fields.word(key, words).and_then(|byte| {
            let value = setting.value(&[byte.value])?;
            Some(placed(byte.span, value))
        }),
        Form::Scene => fields.parsed_by(key, |text| setting.read(text)),
    }
}
