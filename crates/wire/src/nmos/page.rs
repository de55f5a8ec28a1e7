//! What comes back: JSON, or an error in JSON.

use serde_json::Value;

use super::Id;

/// The most entries of one list that are looked at.
pub(super) const MOST: usize = 8192;
/// The longest text that is kept.
const LONGEST_TEXT: usize = 256;

/// Why an answer says nothing.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum Trouble {
    /// It is no JSON, or not what belongs there.
    #[error("this is no answer of NMOS")]
    Foreign,
}

/// What is said with a code that is no good one: `{"code": 423, "error": "…", "debug": …}` (IS-04, "APIs: Error codes").
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Fault {
    /// What it says, in its own words; empty where it says nothing.
    pub says: String,
}

impl Fault {
    /// Reads one. What cannot be read says nothing.
    #[must_use]
    pub fn read(body: &[u8]) -> Self {
        let said = json(body).unwrap_or_default();
        let own = text(&said, "error").filter(|text| !text.is_empty());
        Self { says: own.or_else(|| text(&said, "debug")).unwrap_or_default() }
    }
}

/// Any JSON. How deep it may go the reader bounds.
pub(super) fn json(body: &[u8]) -> Result<Value, Trouble> {
    serde_json::from_slice(body).map_err(|_| Trouble::Foreign)
}

/// A text, as much of it as is kept.
pub(super) fn text(of: &Value, key: &str) -> Option<String> {
    of.get(key)?.as_str().map(kept)
}

pub(super) fn kept(text: &str) -> String {
    text.chars().take(LONGEST_TEXT).collect()
}

/// An identifier; `None` for none, for null and for what is none.
pub(super) fn id(of: &Value, key: &str) -> Option<Id> {
    of.get(key)?.as_str()?.parse().ok()
}

/// A number that is no larger than it may be.
pub(super) fn number<T: TryFrom<u64>>(of: &Value, key: &str) -> Option<T> {
    of.get(key)?.as_u64()?.try_into().ok()
}

/// The entries of a list; none where it is no list.
pub(super) fn entries<'a>(of: &'a Value, key: &str) -> impl Iterator<Item = &'a Value> + use<'a> {
    of.get(key).and_then(Value::as_array).into_iter().flatten().take(MOST)
}
