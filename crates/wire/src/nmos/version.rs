//! Versions of the interfaces: `v1.3`.

use core::fmt;
use core::str::FromStr;

use serde_json::Value;

use super::page::{self, Trouble};

/// A version.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Version {
    /// What another one does not understand.
    pub major: u8,
    /// What only adds.
    pub minor: u8,
}

impl Version {
    /// The versions that are listed where an interface begins: `["v1.2/", "v1.3/"]`.
    ///
    /// # Errors
    /// When it is no such list.
    pub fn list(body: &[u8]) -> Result<Vec<Self>, Trouble> {
        let Value::Array(all) = page::json(body)? else { return Err(Trouble::Foreign) };
        let version = |one: &Value| one.as_str()?.trim_end_matches('/').parse().ok();
        Ok(all.iter().take(page::MOST).filter_map(version).collect())
    }

    /// Those of `api_ver=v1.2,v1.3`, as a service's text tells them.
    #[must_use]
    pub fn of_text(text: &str) -> Vec<Self> {
        text.split(',').filter_map(|one| one.trim().parse().ok()).collect()
    }
}

impl fmt::Display for Version {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "v{}.{}", self.major, self.minor)
    }
}

impl FromStr for Version {
    type Err = Trouble;

    fn from_str(text: &str) -> Result<Self, Trouble> {
        let parts = text.strip_prefix('v').and_then(|text| text.split_once('.')).ok_or(Trouble::Foreign)?;
        let number = |text: &str| text.parse().map_err(|_| Trouble::Foreign);
        Ok(Self { major: number(parts.0)?, minor: number(parts.1)? })
    }
}
