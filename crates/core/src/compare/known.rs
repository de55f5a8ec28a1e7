//! What is known of a field. Only what was told can be as planned.

use std::fmt;

/// What a node told of one of its fields.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Known<T> {
    /// It told this.
    Told(T),
    /// It could tell, and did not: its answer was lost, is too old a form, or never came.
    Untold,
    /// No message of the protocol tells it.
    CannotTell,
}

impl<T> Known<T> {
    /// What was told, if it was.
    pub(crate) fn told(value: Option<T>) -> Self {
        value.map_or(Self::Untold, Self::Told)
    }

    /// In words, what was told by `say`.
    pub(crate) fn in_words(&self, say: impl Fn(&T) -> String) -> String {
        match self {
            Self::Told(value) => say(value),
            Self::Untold => "not told".to_owned(),
            Self::CannotTell => "cannot be checked".to_owned(),
        }
    }
}

impl<T: fmt::Display> fmt::Display for Known<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.in_words(T::to_string))
    }
}
