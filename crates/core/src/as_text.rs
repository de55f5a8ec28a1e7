//! Serde for types that are written as text: `#[serde(with = "crate::as_text")]`.

use std::fmt::Display;
use std::str::FromStr;

use serde::{Deserialize, Deserializer, Serializer, de};

pub(crate) fn serialize<T: Display, S: Serializer>(value: &T, to: S) -> Result<S::Ok, S::Error> {
    to.collect_str(value)
}

pub(crate) fn deserialize<'de, T, D>(from: D) -> Result<T, D::Error>
where
    T: FromStr<Err: Display>,
    D: Deserializer<'de>,
{
    String::deserialize(from)?.parse().map_err(de::Error::custom)
}

/// The same for `Option`; `None` is null.
pub(crate) mod option {
    use super::{Deserialize, Deserializer, Display, FromStr, Serializer, de};

    pub(crate) fn serialize<T: Display, S: Serializer>(value: &Option<T>, to: S) -> Result<S::Ok, S::Error> {
        match value {
            Some(value) => to.collect_str(value),
            None => to.serialize_none(),
        }
    }

    pub(crate) fn deserialize<'de, T, D>(from: D) -> Result<Option<T>, D::Error>
    where
        T: FromStr<Err: Display>,
        D: Deserializer<'de>,
    {
        let text = Option::<String>::deserialize(from)?;
        text.map(|text| text.parse().map_err(de::Error::custom)).transpose()
    }
}

/// The same for lists.
pub(crate) mod list {
    use super::{Deserialize, Deserializer, Display, FromStr, Serializer, de};

    pub(crate) fn serialize<T: Display, S: Serializer>(values: &[T], to: S) -> Result<S::Ok, S::Error> {
        to.collect_seq(values.iter().map(ToString::to_string))
    }

    pub(crate) fn deserialize<'de, T, D>(from: D) -> Result<Vec<T>, D::Error>
    where
        T: FromStr<Err: Display>,
        D: Deserializer<'de>,
    {
        let texts = Vec::<String>::deserialize(from)?;
        texts.iter().map(|text| text.parse().map_err(de::Error::custom)).collect()
    }
}
