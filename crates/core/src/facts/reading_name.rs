//! What a reading of a kind is called.

use std::fmt;

/// The name of a reading: short enough to be carried about with the field that it names.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct ReadingName([u8; Self::LONGEST]);

impl ReadingName {
    /// The most bytes of a name.
    pub const LONGEST: usize = 32;

    /// `None` for an empty one, one that is too long, and one with what cannot be shown in it.
    #[must_use]
    pub fn new(name: &str) -> Option<Self> {
        let is_fine = !name.is_empty() && name.trim() == name && !name.chars().any(char::is_control);
        let mut bytes = [0; Self::LONGEST];
        bytes.get_mut(..name.len()).filter(|_| is_fine)?.copy_from_slice(name.as_bytes());
        Some(Self(bytes))
    }

    /// The name.
    #[must_use]
    pub fn as_str(&self) -> &str {
        let end = self.0.iter().position(|byte| *byte == 0).unwrap_or(Self::LONGEST);
        // It was a text when it was made.
        std::str::from_utf8(&self.0[..end]).unwrap_or_default()
    }
}

impl fmt::Display for ReadingName {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.as_str())
    }
}

impl fmt::Debug for ReadingName {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Debug::fmt(self.as_str(), f)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_is_kept_and_nonsense_is_none() {
        for name in ["dropouts", "stream 1", "Lautstärke", &"x".repeat(32)] {
            assert_eq!(ReadingName::new(name).map(|name| name.to_string()).as_deref(), Some(name));
        }
        for name in ["", " x", "a\0b", "a\nb", &"x".repeat(33)] {
            assert_eq!(ReadingName::new(name), None, "{name:?}");
        }
    }
}
