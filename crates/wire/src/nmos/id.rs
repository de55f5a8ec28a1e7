//! How things are called among machines: a UUID, or a short word of letters, digits, `-` and `_`.

use core::fmt;
use core::str::FromStr;

/// The longest that is taken.
const LONGEST: usize = 64;

/// An identifier. It stands in paths as it is, so nothing else than letters, digits, `-` and `_` can be in it.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Id(String);

/// A text that is none.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("no identifier: letters, digits, - and _, 64 at most")]
pub struct IdError;

impl Id {
    /// As text.
    #[must_use]
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for Id {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl FromStr for Id {
    type Err = IdError;

    fn from_str(text: &str) -> Result<Self, IdError> {
        let is_fine = |byte: u8| byte.is_ascii_alphanumeric() || matches!(byte, b'-' | b'_');
        let fits = !text.is_empty() && text.len() <= LONGEST && text.bytes().all(is_fine);
        fits.then(|| Self(text.to_owned())).ok_or(IdError)
    }
}
