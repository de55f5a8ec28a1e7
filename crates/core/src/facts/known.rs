//! What is known of a field. Only what was told can be as wanted.

/// What a device told of one of its fields.
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

    /// How it is known, in one word.
    #[must_use]
    pub const fn word(&self) -> &'static str {
        match self {
            Self::Told(_) => "told",
            Self::Untold => "untold",
            Self::CannotTell => "cannot-tell",
        }
    }
}
