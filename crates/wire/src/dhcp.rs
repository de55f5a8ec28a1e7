//! DHCP, as a client speaks and hears it (RFC 2131, options of RFC 2132).
//!
//! ```text
//!  0  1  1 to a server, 2 to a client     16  4  address being given
//!  1  1  hardware type 1                  28 16  client's MAC address, padded
//!  2  1  6                               236  4  63 82 53 63
//!  4  4  transaction                     240     options: code, length, value; 255 ends
//! 10  2  flags: bit 15 answer by broadcast
//! ```

use std::net::{Ipv4Addr, SocketAddrV4};

use crate::{Arp, Layer, MacAddress, UdpFrame, WireError};

/// The port of servers.
pub const SERVER_PORT: u16 = 67;
/// The port of clients.
pub const CLIENT_PORT: u16 = 68;

const FIXED: usize = 240;
const COOKIE: [u8; 4] = [0x63, 0x82, 0x53, 0x63];
/// Servers of old take nothing shorter (RFC 1542, section 2.1).
const SHORTEST_SENT: usize = 300;

mod option {
    pub(super) const PAD: u8 = 0;
    pub(super) const MASK: u8 = 1;
    pub(super) const ROUTER: u8 = 3;
    pub(super) const REQUESTED: u8 = 50;
    pub(super) const LEASE_TIME: u8 = 51;
    pub(super) const KIND: u8 = 53;
    pub(super) const SERVER: u8 = 54;
    pub(super) const WISHES: u8 = 55;
    pub(super) const END: u8 = 255;
}

/// What a DHCP message is (RFC 2132, section 9.6).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct DhcpKind(pub u8);

impl DhcpKind {
    /// Is there a server?
    pub const DISCOVER: Self = Self(1);
    /// You could have this.
    pub const OFFER: Self = Self(2);
    /// I would like it.
    pub const REQUEST: Self = Self(3);
    /// Somebody has it already.
    pub const DECLINE: Self = Self(4);
    /// It is yours.
    pub const ACK: Self = Self(5);
    /// You cannot have it.
    pub const NAK: Self = Self(6);
}

/// A DHCP message, as far as a client needs it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Dhcp {
    /// Whether it goes to a client.
    pub to_client: bool,
    /// Which exchange it belongs to.
    pub transaction: u32,
    /// The client.
    pub client: MacAddress,
    /// What it is.
    pub kind: DhcpKind,
    /// The address being given; all zero for none.
    pub yours: Ipv4Addr,
    /// The address asked for.
    pub requested: Option<Ipv4Addr>,
    /// The server.
    pub server: Option<Ipv4Addr>,
    /// The mask that goes with the address.
    pub mask: Option<Ipv4Addr>,
    /// The first gateway.
    pub router: Option<Ipv4Addr>,
    /// For how many seconds the address is given.
    pub lease: Option<u32>,
}

impl Dhcp {
    /// A client's message of this kind.
    #[must_use]
    pub const fn from_client(kind: DhcpKind, transaction: u32, client: MacAddress) -> Self {
        Self {
            to_client: false,
            transaction,
            client,
            kind,
            yours: Ipv4Addr::UNSPECIFIED,
            requested: None,
            server: None,
            mask: None,
            router: None,
            lease: None,
        }
    }

    /// Reads a message.
    ///
    /// # Errors
    /// When it is shorter than its fixed part, an option runs past its end, or it is no DHCP.
    pub fn parse(datagram: &[u8]) -> Result<Self, WireError> {
        let m: &[u8; FIXED] = datagram.first_chunk().ok_or(WireError::Short {
            layer: Layer::Dhcp,
            offset: 0,
            needed: FIXED,
            available: datagram.len(),
        })?;
        if m[236..240] != COOKIE || m[1..3] != [1, 6] {
            return Err(WireError::Foreign { layer: Layer::Dhcp });
        }
        let mut message = Self {
            to_client: m[0] == 2,
            yours: Ipv4Addr::new(m[16], m[17], m[18], m[19]),
            ..Self::from_client(
                DhcpKind(0),
                u32::from_be_bytes([m[4], m[5], m[6], m[7]]),
                MacAddress(core::array::from_fn(|i| m[28 + i])),
            )
        };
        message.read_options(datagram)?;
        if message.kind == DhcpKind(0) { Err(WireError::Foreign { layer: Layer::Dhcp }) } else { Ok(message) }
    }

    fn read_options(&mut self, datagram: &[u8]) -> Result<(), WireError> {
        let mut at = FIXED;
        while let Some(code) = datagram.get(at).copied().filter(|code| *code != option::END) {
            if code == option::PAD {
                at += 1;
                continue;
            }
            let length = usize::from(*datagram.get(at + 1).unwrap_or(&u8::MAX));
            let available = datagram.len().saturating_sub(at + 2);
            let short = WireError::Short { layer: Layer::Dhcp, offset: at + 2, needed: length, available };
            let value = datagram.get(at + 2..at + 2 + length).ok_or(short)?;
            let word = || value.first_chunk::<4>().copied();
            match code {
                option::KIND => self.kind = DhcpKind(value.first().copied().unwrap_or(0)),
                option::REQUESTED => self.requested = word().map(Ipv4Addr::from),
                option::SERVER => self.server = word().map(Ipv4Addr::from),
                option::MASK => self.mask = word().map(Ipv4Addr::from),
                option::ROUTER => self.router = word().map(Ipv4Addr::from),
                option::LEASE_TIME => self.lease = word().map(u32::from_be_bytes),
                _ => {}
            }
            at += 2 + length;
        }
        Ok(())
    }

    /// A client's message as a frame to everybody, from one that has no address yet (RFC 2131, section 4.1).
    #[must_use]
    pub fn to_client_frame(&self) -> Option<Vec<u8>> {
        let payload = self.to_bytes();
        let frame = UdpFrame {
            from_mac: self.client,
            to_mac: Arp::EVERYBODY,
            from: SocketAddrV4::new(Ipv4Addr::UNSPECIFIED, CLIENT_PORT),
            to: SocketAddrV4::new(Ipv4Addr::BROADCAST, SERVER_PORT),
            payload: &payload,
        };
        frame.to_bytes()
    }

    /// The message as bytes. A client's asks the server to answer by broadcast, since it has no address yet.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut out = vec![0; FIXED];
        out[0] = if self.to_client { 2 } else { 1 };
        out[1..3].copy_from_slice(&[1, 6]);
        out[4..8].copy_from_slice(&self.transaction.to_be_bytes());
        out[10] = 0x80;
        out[16..20].copy_from_slice(&self.yours.octets());
        out[28..34].copy_from_slice(&self.client.0);
        out[236..240].copy_from_slice(&COOKIE);
        let mut put = |code: u8, value: &[u8]| {
            out.extend([code, u8::try_from(value.len()).unwrap_or(0)]);
            out.extend(value);
        };
        put(option::KIND, &[self.kind.0]);
        let addresses = [
            (option::REQUESTED, self.requested),
            (option::SERVER, self.server),
            (option::MASK, self.mask),
            (option::ROUTER, self.router),
        ];
        for (code, address) in addresses {
            if let Some(address) = address {
                put(code, &address.octets());
            }
        }
        if let Some(lease) = self.lease {
            put(option::LEASE_TIME, &lease.to_be_bytes());
        }
        if !self.to_client {
            put(option::WISHES, &[option::MASK, option::ROUTER, option::LEASE_TIME]);
        }
        out.push(option::END);
        out.resize(out.len().max(SHORTEST_SENT), 0);
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn offer() -> Dhcp {
        Dhcp {
            to_client: true,
            yours: Ipv4Addr::new(10, 70, 0, 100),
            server: Some(Ipv4Addr::new(10, 70, 0, 1)),
            mask: Some(Ipv4Addr::new(255, 255, 255, 0)),
            router: Some(Ipv4Addr::new(10, 70, 0, 1)),
            lease: Some(3600),
            ..Dhcp::from_client(DhcpKind::OFFER, 0x1234_5678, MacAddress([2, 0, 0, 0, 0, 7]))
        }
    }

    #[test]
    fn messages_survive_both_ways() {
        let request = Dhcp {
            requested: Some(Ipv4Addr::new(10, 70, 0, 100)),
            ..Dhcp::from_client(DhcpKind::REQUEST, 7, MacAddress([2; 6]))
        };
        for message in [offer(), request] {
            assert_eq!(Dhcp::parse(&message.to_bytes()), Ok(message));
        }
    }

    #[test]
    fn every_truncation_is_an_error_or_the_end_of_the_options() {
        let bytes = offer().to_bytes();
        let end = bytes.iter().rposition(|byte| *byte == option::END).unwrap();
        for cut in 0..end {
            if let Ok(short) = Dhcp::parse(&bytes[..cut]) {
                assert!(short.lease.is_none(), "cut after {cut}");
            }
        }
        assert_eq!(
            Dhcp::parse(&bytes[..100]).unwrap_err().to_string(),
            "DHCP needs 240 bytes from offset 0, but only 100 are there"
        );
        assert!(Dhcp::parse(&bytes[..end]).is_ok(), "an end mark may be missing");
    }

    #[test]
    fn other_bootp_messages_are_foreign() {
        let mut bytes = offer().to_bytes();
        bytes[236] = 0;
        assert_eq!(Dhcp::parse(&bytes), Err(WireError::Foreign { layer: Layer::Dhcp }));
        assert_eq!(
            Dhcp::parse(&{
                let mut bare = offer().to_bytes();
                bare.truncate(FIXED);
                bare
            }),
            Err(WireError::Foreign { layer: Layer::Dhcp })
        );
    }
}
