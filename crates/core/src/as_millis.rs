//! Serde for durations as whole milliseconds: `#[serde(with = "crate::as_millis")]`.

use std::time::Duration;

use serde::{Deserialize, Deserializer, Serializer};

pub(crate) fn serialize<S: Serializer>(duration: &Duration, to: S) -> Result<S::Ok, S::Error> {
    to.serialize_u64(u64::try_from(duration.as_millis()).unwrap_or(u64::MAX))
}

pub(crate) fn deserialize<'de, D: Deserializer<'de>>(from: D) -> Result<Duration, D::Error> {
    u64::deserialize(from).map(Duration::from_millis)
}
