//! Facts: what devices tell of themselves, field by field, whatever the protocol.
//!
//! A [`Field`] is one of the trade's closed list, a [`Value`] what it can hold, and [`Known`] whether it was told. A
//! [`Difference`] is a field that is not as wanted: the one vocabulary for comparing, showing, planning, writing, reading
//! back and the logbook.

mod behaviour;
mod difference;
mod field;
mod fixture_setting;
mod known;
mod own_value;
mod patched;
mod reading_name;
mod value;

use std::collections::{BTreeMap, BTreeSet};

use serde::{Deserialize, Deserializer, Serialize, Serializer, de, ser};

pub use difference::Difference;
pub use field::{Field, PortField};
pub use fixture_setting::{FixtureSetting, Form};
pub use known::Known;
pub use own_value::OwnValue;
pub use patched::Patched;
pub use reading_name::ReadingName;
pub use value::Value;

/// Somebody who tells fields.
pub trait Tells {
    /// What it tells of `field`. Where it tells several (a port that works both ways), the one that is `wanted` is given.
    fn tells(&self, field: Field, wanted: &Value) -> Known<Value>;
}

/// What was told, and what could have been.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Facts {
    told: BTreeMap<Field, Value>,
    able: BTreeSet<Field>,
}

impl Facts {
    /// Nothing told yet of these, which can be.
    #[must_use]
    pub fn able(fields: &[Field]) -> Self {
        Self { told: BTreeMap::new(), able: fields.iter().copied().collect() }
    }

    /// Takes in what was told.
    pub fn learn(&mut self, field: Field, value: Value) {
        self.told.insert(field, value);
    }

    /// Takes over what another one tells, where this one does not.
    pub fn complete(&mut self, other: &Self) {
        for (field, value) in &other.told {
            self.told.entry(*field).or_insert_with(|| value.clone());
        }
        self.able.extend(&other.able);
    }

    /// This cannot be told after all.
    pub fn cannot_tell(&mut self, field: Field) {
        self.told.remove(&field);
        self.able.remove(&field);
    }

    /// This can be told too.
    pub fn can_tell(&mut self, field: Field) {
        self.able.insert(field);
    }

    /// Forgets what was told of this field, which can be told still.
    pub fn forget_one(&mut self, field: Field) {
        self.told.remove(&field);
    }

    /// Forgets what was told: only what is told from now on counts.
    pub fn forget(&mut self) {
        self.told.clear();
    }

    /// What was told of this field.
    #[must_use]
    pub fn get(&self, field: Field) -> Option<&Value> {
        self.told.get(&field)
    }

    /// Everything told, in the order of fields.
    pub fn told(&self) -> impl Iterator<Item = (Field, &Value)> {
        self.told.iter().map(|(field, value)| (*field, value))
    }

    /// How many ports it has anything to tell of, and whether this one is among them.
    fn ports(&self, number: u32) -> (usize, bool) {
        let fields = self.told.keys().chain(&self.able);
        let ports: BTreeSet<u32> = fields.filter_map(|field| field.port()).collect();
        (ports.len(), ports.contains(&number))
    }

    /// Whether everything that can be was told.
    #[must_use]
    pub fn is_whole(&self) -> bool {
        self.able.iter().all(|field| self.told.contains_key(field))
    }
}

/// As it is written down: each field told with its value, and the names of those that could have been.
#[derive(Serialize, Deserialize)]
struct Written {
    told: BTreeMap<String, serde_json::Value>,
    untold: Vec<String>,
}

impl Serialize for Facts {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        let value = |value: &Value| serde_json::to_value(value).map_err(ser::Error::custom);
        let told = self.told.iter().map(|(field, told)| Ok((field.to_string(), value(told)?)));
        let untold = self.able.iter().filter(|field| !self.told.contains_key(field)).map(ToString::to_string);
        Written { told: told.collect::<Result<_, _>>()?, untold: untold.collect() }.serialize(to)
    }
}

impl<'de> Deserialize<'de> for Facts {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        let written = Written::deserialize(from)?;
        let mut facts = Self::default();
        for (name, value) in &written.told {
            let field: Field = name.parse().map_err(de::Error::custom)?;
            facts.able.insert(field);
            facts.learn(field, Value::read(field, value).map_err(de::Error::custom)?);
        }
        for name in &written.untold {
            facts.able.insert(name.parse().map_err(de::Error::custom)?);
        }
        Ok(facts)
    }
}

impl Tells for Facts {
    fn tells(&self, field: Field, _: &Value) -> Known<Value> {
        match self.told.get(&field) {
            Some(value) => Known::Told(value.clone()),
            None if self.able.contains(&field) => Known::Untold,
            None => match field {
                // Who tells anything of a port has it.
                Field::Port(number, PortField::Presence) => match self.ports(number) {
                    (0, _) => Known::CannotTell,
                    (_, true) => Known::Told(Value::Count(number)),
                    (count, false) => Known::Told(Value::Count(count.try_into().unwrap_or(u32::MAX))),
                },
                _ => Known::CannotTell,
            },
        }
    }
}

#[cfg(test)]
mod tests;
