//! The numbers by which objects are known.

use core::fmt;
use core::str::FromStr;

/// The number of an object: "1.3.6.1.2.1.1.5.0". It has at least two parts and at most 128 (RFC 3416, section 4.1).
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Oid(Vec<u32>);

/// A text that is no number of an object.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("not the number of an object, such as 1.3.6.1.2.1.1.5.0")]
pub struct OidError;

/// The most parts.
const MOST: usize = 128;

impl Oid {
    /// From its parts; `None` where that is no number of an object (ISO 8825-1, section 8.19).
    #[must_use]
    pub fn new(parts: Vec<u32>) -> Option<Self> {
        let is_rooted = matches!(parts[..], [0 | 1, 0..=39, ..] | [2, 0..=0x7fff_ffff, ..]);
        (is_rooted && parts.len() <= MOST).then_some(Self(parts))
    }

    /// Its parts.
    #[must_use]
    pub fn parts(&self) -> &[u32] {
        &self.0
    }

    /// Whether it is under this one, at whatever depth, or the same.
    #[must_use]
    pub fn is_in(&self, other: &Self) -> bool {
        self.0.starts_with(&other.0)
    }

    /// The one below it with this number.
    #[must_use]
    pub fn row(&self, number: u32) -> Self {
        Self([&self.0[..], &[number]].concat())
    }
}

impl FromStr for Oid {
    type Err = OidError;

    fn from_str(text: &str) -> Result<Self, OidError> {
        let parts = text.strip_prefix('.').unwrap_or(text).split('.');
        let is_plain = |part: &str| !part.is_empty() && part.bytes().all(|byte| byte.is_ascii_digit());
        let parts = parts.map(|part| part.parse().ok().filter(|_| is_plain(part))).collect::<Option<_>>();
        parts.and_then(Self::new).ok_or(OidError)
    }
}

impl fmt::Display for Oid {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (place, part) in self.0.iter().enumerate() {
            if place > 0 {
                f.write_str(".")?;
            }
            part.fmt(f)?;
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_read_and_shown() {
        for text in ["1.3.6.1.2.1.1.5.0", "2.999.3", "0.0"] {
            assert_eq!(text.parse::<Oid>().map(|oid| oid.to_string()), Ok(text.to_owned()));
        }
        assert_eq!(".1.3.6".parse::<Oid>().map(|oid| oid.to_string()), Ok("1.3.6".to_owned()));
        for text in ["", "1", "1.", "1.40", "3.1", "1.3.x", "1.3.-1", "1.3.4294967296", "1.3.+6", "1..3"] {
            assert_eq!(text.parse::<Oid>(), Err(OidError), "{text}");
        }
        assert_eq!(Oid::new(vec![1; 129]), None);
        let (tree, leaf): (Oid, Oid) = ("1.3.6".parse().unwrap(), "1.3.6.1".parse().unwrap());
        assert!(leaf.is_in(&tree) && !tree.is_in(&leaf) && tree.row(1) == leaf);
    }
}
