//! Who asks, said without the password itself (Web Services Security, UsernameToken profile 1.0, section 3.1).

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use jiff::SignedDuration;
use jiff::civil::DateTime;
use sha1::{Digest, Sha1};

use super::vocabulary::{BASE64, PASSWORD_DIGEST, SECURITY, UTILITY};
use crate::xml::escaped;

/// A moment by a device's own clock, in UTC.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct Moment(pub(super) DateTime);

impl Moment {
    /// This moment of the calendar; `None` where there is none.
    #[must_use]
    pub fn new([year, month, day]: [i16; 3], [hour, minute, second]: [i8; 3]) -> Option<Self> {
        let (month, day) = (i8::try_from(month).ok()?, i8::try_from(day).ok()?);
        // A leap second is the one before it: what is said of it is true for minutes.
        DateTime::new(year, month, day, hour, minute, second.min(59), 0).ok().map(Self)
    }

    /// Reads the `Date` field of an answer over HTTP (RFC 9110, section 5.6.7).
    #[must_use]
    pub fn of_http(field: &str) -> Option<Self> {
        DateTime::strptime("%a, %d %b %Y %H:%M:%S GMT", field.trim()).ok().map(Self)
    }

    /// So many seconds later.
    #[must_use]
    pub fn later(self, seconds: u64) -> Self {
        let seconds = SignedDuration::from_secs(i64::try_from(seconds).unwrap_or(i64::MAX));
        Self(self.0.saturating_add(seconds))
    }
}

impl std::fmt::Display for Moment {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}Z", self.0.strftime("%Y-%m-%dT%H:%M:%S"))
    }
}

/// What proves that somebody knows the password, for one message.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Token {
    user: String,
    digest: String,
    nonce: String,
    created: String,
}

impl Token {
    /// For a message sent at that moment by the device's own clock, with a number that is not used twice.
    #[must_use]
    pub fn new(user: &str, password: &str, created: Moment, nonce: [u8; 16]) -> Self {
        let created = created.to_string();
        let mut hash = Sha1::new();
        hash.update(nonce);
        hash.update(created.as_bytes());
        hash.update(password.as_bytes());
        let digest = STANDARD.encode(hash.finalize());
        Self { user: user.to_owned(), digest, nonce: STANDARD.encode(nonce), created }
    }

    /// The header of an envelope that bears it.
    pub(super) fn to_header(&self) -> String {
        let Self { user, digest, nonce, created } = self;
        format!(
            "<s:Header><w:Security s:mustUnderstand=\"1\" xmlns:w=\"{SECURITY}\" xmlns:u=\"{UTILITY}\"><w:UsernameToken>\
             <w:Username>{}</w:Username><w:Password Type=\"{PASSWORD_DIGEST}\">{digest}</w:Password>\
             <w:Nonce EncodingType=\"{BASE64}\">{nonce}</w:Nonce><u:Created>{created}</u:Created>\
             </w:UsernameToken></w:Security></s:Header>",
            escaped(user)
        )
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The example of ONVIF's programmer's guide, section 6.1.1.3.
    #[test]
    fn the_example_of_the_guide_comes_out() {
        let nonce: [u8; 16] = STANDARD.decode("LKqI6G/AikKCQrN0zqZFlg==").unwrap().try_into().unwrap();
        let created = Moment::new([2010, 9, 16], [7, 50, 45]).unwrap();
        let token = Token::new("user", "userpassword", created, nonce);
        assert_eq!(created.to_string(), "2010-09-16T07:50:45Z");
        assert_eq!(token.digest, "tuOSpGlFlIXsozq4HFNeeGeFLEI=");
        assert!(!token.to_header().contains("userpassword"));
    }

    #[test]
    fn moments_go_on_over_the_end_of_a_year() {
        let last = Moment::new([1999, 12, 31], [23, 59, 60]).unwrap();
        assert_eq!(last.later(2).to_string(), "2000-01-01T00:00:01Z");
        assert_eq!(Moment::new([2026, 2, 30], [0, 0, 0]), None);
        let by_http = Moment::of_http("Sun, 06 Nov 1994 08:49:37 GMT").unwrap();
        assert_eq!(by_http.to_string(), "1994-11-06T08:49:37Z");
        assert_eq!(Moment::of_http("yesterday"), None);
        assert!(last.later(u64::MAX) > last);
    }
}
