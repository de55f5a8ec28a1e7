//! What a device tells of itself in its scopes (ONVIF core, section 7.3.2.2): `onvif://www.onvif.org/name/Stage%20left`.

const PREFIX: &str = "onvif://www.onvif.org/";

/// One scope.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Scope {
    /// As it is written.
    pub text: String,
    /// Whether it can be changed; what is told by a search does not say so.
    pub configurable: bool,
}

/// What a scope can be about.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Topic {
    /// What its owner calls it.
    Name,
    /// Where it stands.
    Location,
    /// Its model.
    Hardware,
}

impl Topic {
    const fn word(self) -> &'static str {
        match self {
            Self::Name => "name",
            Self::Location => "location",
            Self::Hardware => "hardware",
        }
    }
}

impl Scope {
    /// As it is written.
    #[must_use]
    pub fn parse(text: &str) -> Self {
        Self { text: text.to_owned(), configurable: false }
    }

    /// A scope that says this.
    #[must_use]
    pub fn about(topic: Topic, value: &str) -> Self {
        Self { text: format!("{PREFIX}{}/{}", topic.word(), coded(value)), configurable: true }
    }

    /// Whether it is of ONVIF.
    #[must_use]
    pub fn is_onvif(&self) -> bool {
        self.rest().is_some()
    }

    /// What it says about this; `None` where it is about something else.
    #[must_use]
    pub fn says(&self, topic: Topic) -> Option<String> {
        let (word, value) = self.rest()?.split_once('/')?;
        word.eq_ignore_ascii_case(topic.word()).then(|| decoded(value))
    }

    fn rest(&self) -> Option<&str> {
        let (start, rest) = self.text.split_at_checked(PREFIX.len())?;
        start.eq_ignore_ascii_case(PREFIX).then_some(rest)
    }
}

/// Letters, digits and `-._~` as they are, all else as percent and two digits (RFC 3986, section 2).
fn coded(text: &str) -> String {
    let plain = |byte: u8| byte.is_ascii_alphanumeric() || b"-._~".contains(&byte);
    let one = |byte: u8| if plain(byte) { char::from(byte).to_string() } else { format!("%{byte:02X}") };
    text.bytes().map(one).collect()
}

/// A percent that is followed by no two digits stands for itself.
fn decoded(text: &str) -> String {
    let bytes = text.as_bytes();
    let (mut out, mut at) = (Vec::with_capacity(bytes.len()), 0);
    while let Some(byte) = bytes.get(at) {
        let coded = (*byte == b'%').then(|| text.get(at + 1..at + 3)).flatten();
        let coded = coded.filter(|pair| pair.bytes().all(|one| one.is_ascii_hexdigit()));
        let value = coded.and_then(|pair| u8::from_str_radix(pair, 16).ok());
        out.push(value.unwrap_or(*byte));
        at += if value.is_some() { 3 } else { 1 };
    }
    String::from_utf8_lossy(&out).into_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_written_is_read_again() {
        for value in ["Stage left", "Bühne 1/2", "50 % + x", "", "plain-name_1.~"] {
            let scope = Scope::about(Topic::Location, value);
            assert!(scope.text.is_ascii() && !scope.text.contains(' '), "{}", scope.text);
            assert_eq!(scope.says(Topic::Location).as_deref(), Some(value));
            assert_eq!(scope.says(Topic::Name), None);
        }
    }

    #[test]
    fn carelessly_written_ones_are_read_as_far_as_they_go() {
        let says = |text: &str| Scope::parse(text).says(Topic::Name);
        assert_eq!(says("ONVIF://www.onvif.org/Name/100%"), Some("100%".to_owned()));
        assert_eq!(says("onvif://www.onvif.org/name/%zz%+1%2"), Some("%zz%+1%2".to_owned()));
        assert_eq!(says("onvif://www.onvif.org/name/%ff%c3%a9"), Some("\u{fffd}é".to_owned()));
        assert_eq!(says("onvif://www.onvif.org/name"), None);
        assert_eq!(says("http://else/name/x"), None);
        assert!(!Scope::parse("é").is_onvif());
    }
}
