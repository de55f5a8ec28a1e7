//! Where a service of the web is: the beginning of a URL without encryption (RFC 9110, section 4.2.1).

use core::fmt;
use core::net::{Ipv4Addr, SocketAddrV4};

const HTTP: u16 = 80;
/// The longest path that is taken.
const LONGEST: usize = 2048;

/// Address, port and path of a service.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Place {
    /// Address and port, as they are stated. The address may be another one than the device has.
    pub at: SocketAddrV4,
    /// The path, with the `/` before it.
    pub path: String,
}

impl Place {
    /// Reads `http://ADDRESS[:PORT][/PATH]`; `None` for anything else.
    #[must_use]
    pub fn parse(text: &str) -> Option<Self> {
        Self::read(text, |host| host.parse().ok())
    }

    /// The same, where a host that is a name stands for the one that has this address: whoever names itself means itself.
    #[must_use]
    pub fn parse_named(text: &str, own: Ipv4Addr) -> Option<Self> {
        Self::read(text, |host| host.parse().ok().or((!host.is_empty() && !host.starts_with('[')).then_some(own)))
    }

    fn read(text: &str, address: impl Fn(&str) -> Option<Ipv4Addr>) -> Option<Self> {
        let rest = text.strip_prefix("http://")?;
        let (host, path) = rest.split_at(rest.find('/').unwrap_or(rest.len()));
        let (host, port) = host.split_once(':').map_or(Some((host, HTTP)), |(host, port)| {
            port.parse().ok().filter(|port| *port != 0).map(|port| (host, port))
        })?;
        let path = if path.is_empty() { "/" } else { path };
        // What stands in a request line may not end it.
        if path.len() > LONGEST || !path.bytes().all(|byte| byte.is_ascii_graphic()) {
            return None;
        }
        Some(Self { at: SocketAddrV4::new(address(host)?, port), path: path.to_owned() })
    }
}

impl fmt::Display for Place {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "http://{}{}", self.at, self.path)
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case("http://10.60.1.1:8080/x/", Some("http://10.60.1.1:8080/x/"))]
    #[case("http://10.60.1.1", Some("http://10.60.1.1:80/"))]
    #[case("http://hall.local:81/x", None)]
    #[case("https://10.60.1.1/", None)]
    #[case("http://10.60.1.1:0/", None)]
    #[case("http://10.60.1.1/a b", None)]
    #[case("http://[fe80::1]/", None)]
    fn places_are_read(#[case] text: &str, #[case] place: Option<&str>) {
        assert_eq!(Place::parse(text).map(|place| place.to_string()).as_deref(), place);
    }

    #[test]
    fn who_names_itself_means_itself() {
        let own = Ipv4Addr::new(10, 60, 1, 1);
        let named = |text| Place::parse_named(text, own).map(|place| place.at.to_string());
        assert_eq!(named("http://hall.local:81/x").as_deref(), Some("10.60.1.1:81"));
        assert_eq!(named("http://10.60.1.9/").as_deref(), Some("10.60.1.9:80"));
        assert_eq!((named("http:///x"), named("http://[fe80::1]/")), (None, None));
    }
}
