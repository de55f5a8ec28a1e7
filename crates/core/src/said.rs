//! What the network says, kept apart from what people write.

use std::fmt::{self, Write};

use serde::{Deserialize, Serialize};

/// Text that came from the network. Showing or storing it escapes everything that could move a cursor, change a
/// colour, reverse the reading order or hide: control characters, format characters, line separators.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Default, Serialize, Deserialize)]
#[serde(into = "String", from = "String")]
pub struct Said(String);

impl Said {
    /// The text exactly as it was said, for comparing only.
    #[must_use]
    pub fn raw(&self) -> &str {
        &self.0
    }

    /// Whether nothing was said.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }
}

impl From<String> for Said {
    fn from(text: String) -> Self {
        Self(text)
    }
}

impl From<&str> for Said {
    fn from(text: &str) -> Self {
        Self(text.to_owned())
    }
}

impl From<Said> for String {
    fn from(said: Said) -> Self {
        said.to_string()
    }
}

impl fmt::Display for Said {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for c in self.0.chars() {
            if is_plain(c) {
                f.write_char(c)?;
            } else if u32::from(c) < 0x100 {
                write!(f, "\\x{:02x}", u32::from(c))?;
            } else {
                write!(f, "\\u{{{:x}}}", u32::from(c))?;
            }
        }
        Ok(())
    }
}

fn is_plain(c: char) -> bool {
    let hidden = matches!(c,
        '\u{ad}' | '\u{61c}' | '\u{180e}' | '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}'
        | '\u{2060}'..='\u{206f}' | '\u{fe00}'..='\u{fe0f}' | '\u{feff}' | '\u{fff9}'..='\u{fffb}'
        | '\u{e0000}'..='\u{e0fff}');
    !c.is_control() && !hidden
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case("Quay north mast, Tür 3", "Quay north mast, Tür 3")]
    #[case("\u{1b}[2Jgone", "\\x1b[2Jgone")]
    #[case("a\nb\tc\r", "a\\x0ab\\x09c\\x0d")]
    #[case("\u{9b}31mred", "\\x9b31mred")]
    #[case("abc\u{202e}cba", "abc\\u{202e}cba")]
    #[case("zero\u{200b}width", "zero\\u{200b}width")]
    fn nothing_reaches_the_screen_unescaped(#[case] said: &str, #[case] shown: &str) {
        assert_eq!(Said::from(said).to_string(), shown);
        assert_eq!(serde_json::to_value(Said::from(said)).unwrap(), shown);
    }
}
