//! The line with which a device greets (section 5.1 of class 1).

use md5::{Digest, Md5};

use crate::{Layer, WireError};

/// How a device greets whoever connects.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Greeting {
    /// It takes questions from anybody.
    Open,
    /// It wants a password; this is to be mixed with it.
    Locked(String),
    /// The password was wrong.
    Refused,
}

impl Greeting {
    /// Reads the line, without its end.
    ///
    /// # Errors
    /// When it is no greeting.
    pub fn parse(line: &str) -> Result<Self, WireError> {
        let foreign = WireError::Foreign { layer: Layer::Pjlink };
        let (word, rest) = line.split_once(' ').ok_or(foreign)?;
        if !word.eq_ignore_ascii_case("PJLINK") {
            return Err(foreign);
        }
        match rest.split_once(' ').unwrap_or((rest, "")) {
            ("0", "") => Ok(Self::Open),
            ("1", random) if is_random(random) => Ok(Self::Locked(random.to_owned())),
            (word, "") if word.eq_ignore_ascii_case("ERRA") => Ok(Self::Refused),
            _ => Err(foreign),
        }
    }

    /// What stands before the first question, given the password; nothing for a device that wants none.
    #[must_use]
    pub fn answer(&self, password: &str) -> String {
        match self {
            Self::Locked(random) => {
                let digest = Md5::new().chain_update(random).chain_update(password).finalize();
                digest.iter().map(|byte| format!("{byte:02x}")).collect()
            }
            Self::Open | Self::Refused => String::new(),
        }
    }
}

/// Eight hexadecimal digits; some send fewer or more.
fn is_random(text: &str) -> bool {
    (1..=64).contains(&text.len()) && text.bytes().all(|byte| byte.is_ascii_graphic())
}
