//! One field that is not as wanted.

use std::fmt;
use std::net::Ipv4Addr;

use serde::de::{self, Deserializer};
use serde::ser::{SerializeStruct, Serializer};
use serde::{Deserialize, Serialize};

use super::{Field, Known, PortField, Tells, Value};

/// One field, planned and found.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Difference {
    /// Which field.
    pub field: Field,
    /// What it should be.
    pub planned: Value,
    /// What it is, as far as that was told.
    pub found: Known<Value>,
}

impl Difference {
    /// How `field` as `who` tells it differs from what is planned; `None` when it is as planned.
    #[must_use]
    pub fn between(field: Field, planned: Value, who: &dyn Tells) -> Option<Self> {
        let found = who.tells(field, &planned);
        let is_met = matches!(&found, Known::Told(told) if planned.is_met_by(told));
        (!is_met).then_some(Self { field, planned, found })
    }

    /// The same field as `who` tells it now; `None` when it is as planned.
    #[must_use]
    pub fn against(&self, who: &dyn Tells) -> Option<Self> {
        Self::between(self.field, self.planned.clone(), who)
    }

    /// What is planned, in words.
    #[must_use]
    pub fn planned_in_words(&self) -> String {
        match self.field {
            Field::Pages => "all heard".to_owned(),
            Field::Port(_, PortField::Presence) => "there".to_owned(),
            field => field.in_words(&self.planned),
        }
    }

    /// What was found, in words.
    #[must_use]
    pub fn found_in_words(&self) -> String {
        match &self.found {
            Known::Told(value) => self.field.in_words(value),
            Known::Untold => "not told".to_owned(),
            Known::CannotTell => "cannot be checked".to_owned(),
        }
    }

    /// The address that is planned, where it is about that.
    #[must_use]
    pub const fn planned_address(&self) -> Option<Ipv4Addr> {
        match (self.field, &self.planned) {
            (Field::Address, Value::Address(address)) => Some(*address),
            _ => None,
        }
    }

    /// Whether it is about where the address comes from, and that is to be DHCP.
    #[must_use]
    pub const fn wants_dhcp(&self) -> bool {
        matches!((self.field, &self.planned), (Field::Addressing, Value::Flag(true)))
    }

    /// Whether something else than planned is told. Otherwise nothing is told of this field.
    #[must_use]
    pub const fn is_told(&self) -> bool {
        matches!(self.found, Known::Told(_))
    }

    /// Whether this field could be told, and was not.
    #[must_use]
    pub const fn is_untold(&self) -> bool {
        matches!(self.found, Known::Untold)
    }

    /// Whether no message of the protocol tells this field, so that it can neither be set nor checked from here.
    #[must_use]
    pub const fn cannot_be_told(&self) -> bool {
        matches!(self.found, Known::CannotTell)
    }

    /// Of a text: whether the device keeps only the beginning of what is planned.
    #[must_use]
    pub fn is_cut_short(&self) -> bool {
        match (&self.planned, &self.found) {
            (Value::Text(planned), Known::Told(Value::Text(found))) => {
                !found.is_empty() && planned.raw().starts_with(found.raw())
            }
            _ => false,
        }
    }
}

impl fmt::Display for Difference {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match (self.field, &self.found) {
            (Field::Port(number, PortField::Presence), Known::Told(Value::Count(has))) => {
                return write!(f, "port {number} is planned, the node states {has}");
            }
            (Field::Pages, Known::Told(Value::Count(heard))) => {
                return write!(f, "only {heard} of its pages heard, look again");
            }
            _ => {}
        }
        let (field, planned) = (self.field, self.planned_in_words());
        match &self.found {
            Known::Told(_) => write!(f, "{field} is {}, planned {planned}", self.found_in_words()),
            Known::Untold => write!(f, "did not tell its {field}, planned {planned}"),
            Known::CannotTell => write!(f, "{field} cannot be checked from here, planned {planned}"),
        }
    }
}

impl Serialize for Difference {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        let mut object = to.serialize_struct("Difference", 4)?;
        object.serialize_field("field", &self.field.to_string())?;
        object.serialize_field("planned", &self.planned)?;
        let found = match &self.found {
            Known::Told(value) => Some(value),
            Known::Untold | Known::CannotTell => None,
        };
        object.serialize_field("found", &found)?;
        object.serialize_field("known", self.found.word())?;
        object.end()
    }
}

impl<'de> Deserialize<'de> for Difference {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        #[derive(Deserialize)]
        struct Written {
            field: String,
            planned: serde_json::Value,
            found: serde_json::Value,
            known: String,
        }
        let written = Written::deserialize(from)?;
        let field: Field = written.field.parse().map_err(de::Error::custom)?;
        let read = |value| Value::read(field, value).map_err(de::Error::custom);
        let found = match written.known.as_str() {
            "told" => Known::Told(read(&written.found)?),
            "untold" => Known::Untold,
            "cannot-tell" => Known::CannotTell,
            other => return Err(de::Error::unknown_variant(other, &["told", "untold", "cannot-tell"])),
        };
        Ok(Self { field, planned: read(&written.planned)?, found })
    }
}
