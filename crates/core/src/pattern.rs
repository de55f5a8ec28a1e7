//! Patterns by which several devices are named at once.

use std::fmt;
use std::str::FromStr;

use glob::{MatchOptions, Pattern as Glob};
use serde::{Deserialize, Deserializer, Serialize, Serializer, de};

use crate::as_text;

/// A name in which `*` stands for any text, `?` for one character and `[ab]` for one of these; upper and lower case are one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pattern(Glob);

/// The text is no pattern.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("not a pattern: {0}")]
pub struct PatternError(String);

impl Pattern {
    /// Whether this name is meant.
    #[must_use]
    pub fn matches(&self, name: &str) -> bool {
        let options = MatchOptions { case_sensitive: false, ..MatchOptions::new() };
        self.0.matches_with(name, options)
    }

    /// Whether it may mean several.
    #[must_use]
    pub fn is_open(&self) -> bool {
        self.0.as_str().contains(['*', '?', '['])
    }

    /// As it was written.
    #[must_use]
    pub fn text(&self) -> &str {
        self.0.as_str()
    }
}

impl FromStr for Pattern {
    type Err = PatternError;

    fn from_str(text: &str) -> Result<Self, PatternError> {
        Glob::new(text).map(Self).map_err(|error| PatternError(error.msg.to_owned()))
    }
}

impl fmt::Display for Pattern {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.text())
    }
}

impl Serialize for Pattern {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        as_text::serialize(self, to)
    }
}

impl<'de> Deserialize<'de> for Pattern {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        String::deserialize(from)?.parse().map_err(de::Error::custom)
    }
}
