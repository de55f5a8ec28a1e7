//! To which brokers a component connects (ANSI E1.33, section 9.2.1, COMPONENT_SCOPE).
//!
//! ```text
//! asked: slot 2, from 1
//!  0  2  slot                              66  4  broker's IPv4 address
//!  2 63  scope, ended by a zero            70 16  its IPv6 address
//! 65  1  broker: 0 found by itself,        86  2  its port
//!        1 at the IPv4 address, 2 IPv6
//! ```

use std::net::{IpAddr, Ipv4Addr, Ipv6Addr, SocketAddr};

use super::text;

/// To which broker a component connects. Asked with the slot; told and set.
pub const COMPONENT_SCOPE: u16 = 0x0800;
/// The first slot.
pub const FIRST_SLOT: u16 = 1;
/// The most bytes of a scope.
pub const MOST_SCOPE: usize = 62;
const SCOPE: usize = MOST_SCOPE + 1;
const LENGTH: usize = 88;

/// A scope, and where its broker is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ComponentScope {
    /// Which of its scopes, from 1; most components have one.
    pub slot: u16,
    /// The scope.
    pub scope: String,
    /// The broker; `None` where it is found by DNS-SD.
    pub broker: Option<SocketAddr>,
}

impl ComponentScope {
    /// Reads the data; `None` when it is too short, or the broker is of a sort that there is not.
    #[must_use]
    pub fn read(data: &[u8]) -> Option<Self> {
        let data: &[u8; LENGTH] = data.first_chunk()?;
        let slot = u16::from_be_bytes([data[0], data[1]]);
        let scope = text::read(&data[2..2 + SCOPE]);
        let rest = &data[2 + SCOPE..];
        let port = u16::from_be_bytes([data[LENGTH - 2], data[LENGTH - 1]]);
        let ip = match rest[0] {
            0 => None,
            1 => Some(IpAddr::V4(Ipv4Addr::from(*rest[1..].first_chunk::<4>()?))),
            2 => Some(IpAddr::V6(Ipv6Addr::from(*rest[5..].first_chunk::<16>()?))),
            _ => return None,
        };
        Some(Self { slot, scope, broker: ip.map(|ip| SocketAddr::new(ip, port)) })
    }

    /// The data that tells or sets it.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut scope = text::cut(&self.scope, MOST_SCOPE);
        scope.resize(SCOPE, 0);
        let (sort, v4, v6) = match self.broker.map(|broker| broker.ip()) {
            None => (0, Ipv4Addr::UNSPECIFIED, Ipv6Addr::UNSPECIFIED),
            Some(IpAddr::V4(ip)) => (1, ip, Ipv6Addr::UNSPECIFIED),
            Some(IpAddr::V6(ip)) => (2, Ipv4Addr::UNSPECIFIED, ip),
        };
        let port = self.broker.map_or(0, |broker| broker.port());
        [&self.slot.to_be_bytes()[..], &scope, &[sort], &v4.octets(), &v6.octets(), &port.to_be_bytes()].concat()
    }
}
