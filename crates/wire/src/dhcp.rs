//! DHCP, as clients, servers and relays speak it (RFC 2131, options of RFC 2132, RFC 3046 and RFC 6842).
//!
//! ```text
//!  0  1  1 to a server, 2 to a client     16  4  address being given
//!  1  1  hardware type 1                  24  4  the relay it came through
//!  2  1  6                                28 16  client's MAC address, padded
//!  4  4  transaction                     236  4  63 82 53 63
//! 10  2  flags: bit 15 answer by         240     options: code, length, value; 255 ends
//!        broadcast
//! 12  4  address the client has
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
    pub(super) const HOST_NAME: u8 = 12;
    pub(super) const REQUESTED: u8 = 50;
    pub(super) const LEASE_TIME: u8 = 51;
    pub(super) const KIND: u8 = 53;
    pub(super) const SERVER: u8 = 54;
    pub(super) const WISHES: u8 = 55;
    pub(super) const WORDS: u8 = 56;
    pub(super) const RENEW_AFTER: u8 = 58;
    pub(super) const REBIND_AFTER: u8 = 59;
    pub(super) const CLASS: u8 = 60;
    pub(super) const CLIENT: u8 = 61;
    pub(super) const RELAY: u8 = 82;
    pub(super) const END: u8 = 255;
}

/// What a relay adds: the port the client hangs on (RFC 3046, section 3.1).
const CIRCUIT: u8 = 1;
/// The most bytes an option holds; a longer value is cut.
const LONGEST_OPTION: usize = 255;

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
    /// I need it no more.
    pub const RELEASE: Self = Self(7);
    /// I have an address; what else is there to know?
    pub const INFORM: Self = Self(8);
}

/// A DHCP message.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Dhcp {
    /// Whether it goes to a client.
    pub to_client: bool,
    /// Which exchange it belongs to.
    pub transaction: u32,
    /// The client.
    pub client: MacAddress,
    /// What it is.
    pub kind: DhcpKind,
    /// Whether the client can hear no answer but one for everybody.
    pub by_broadcast: bool,
    /// The address the client has already; all zero for none.
    pub has: Ipv4Addr,
    /// The address being given; all zero for none.
    pub yours: Ipv4Addr,
    /// The relay it came through, or goes to; all zero for none.
    pub relay: Ipv4Addr,
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
    /// After how many seconds the client asks its server again (T1).
    pub renew_after: Option<u32>,
    /// After how many seconds it asks anybody (T2).
    pub rebind_after: Option<u32>,
    /// What the client calls itself, or shall be called: up to 255 bytes of any kind.
    pub host_name: Vec<u8>,
    /// What the client says it is: up to 255 bytes of any kind.
    pub class: Vec<u8>,
    /// Why a server refuses: up to 255 bytes of any kind.
    pub words: Vec<u8>,
    /// How the client wants to be known, as it said it; goes back to it (RFC 6842).
    pub client_id: Vec<u8>,
    /// What the relay added; goes back to it (RFC 3046, section 2.2).
    pub relay_info: Vec<u8>,
}

impl Dhcp {
    /// A client's message of this kind. It has no address yet, and is answered by broadcast.
    #[must_use]
    pub const fn from_client(kind: DhcpKind, transaction: u32, client: MacAddress) -> Self {
        Self {
            to_client: false,
            transaction,
            client,
            kind,
            by_broadcast: true,
            has: Ipv4Addr::UNSPECIFIED,
            yours: Ipv4Addr::UNSPECIFIED,
            relay: Ipv4Addr::UNSPECIFIED,
            requested: None,
            server: None,
            mask: None,
            router: None,
            lease: None,
            renew_after: None,
            rebind_after: None,
            host_name: Vec::new(),
            class: Vec::new(),
            words: Vec::new(),
            client_id: Vec::new(),
            relay_info: Vec::new(),
        }
    }

    /// A server's answer to this message, with what has to go back (RFC 2131, table 3).
    #[must_use]
    pub fn answer(&self, kind: DhcpKind, server: Ipv4Addr) -> Self {
        Self {
            to_client: true,
            // Whoever is refused may have an address that nobody answers to.
            by_broadcast: self.by_broadcast || kind == DhcpKind::NAK,
            has: if kind == DhcpKind::ACK { self.has } else { Ipv4Addr::UNSPECIFIED },
            relay: self.relay,
            server: Some(server),
            client_id: self.client_id.clone(),
            relay_info: self.relay_info.clone(),
            ..Self::from_client(kind, self.transaction, self.client)
        }
    }

    /// The port the client hangs on, as the relay calls it: bytes of any kind.
    #[must_use]
    pub fn circuit(&self) -> Option<&[u8]> {
        let mut rest = &self.relay_info[..];
        while let [code, length, after @ ..] = rest {
            let value = after.get(..usize::from(*length))?;
            if *code == CIRCUIT {
                return Some(value);
            }
            rest = &after[value.len()..];
        }
        None
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
        let address = |at: usize| Ipv4Addr::new(m[at], m[at + 1], m[at + 2], m[at + 3]);
        let mut message = Self {
            to_client: m[0] == 2,
            by_broadcast: m[10] & 0x80 != 0,
            has: address(12),
            yours: address(16),
            relay: address(24),
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
            let number = || word().map(u32::from_be_bytes);
            match code {
                option::KIND => self.kind = DhcpKind(value.first().copied().unwrap_or(0)),
                option::REQUESTED => self.requested = word().map(Ipv4Addr::from),
                option::SERVER => self.server = word().map(Ipv4Addr::from),
                option::MASK => self.mask = word().map(Ipv4Addr::from),
                option::ROUTER => self.router = word().map(Ipv4Addr::from),
                option::LEASE_TIME => self.lease = number(),
                option::RENEW_AFTER => self.renew_after = number(),
                option::REBIND_AFTER => self.rebind_after = number(),
                // What is too long for one option comes in several (RFC 3396); of these, the first is enough.
                option::HOST_NAME if self.host_name.is_empty() => self.host_name = value.to_vec(),
                option::CLASS if self.class.is_empty() => self.class = value.to_vec(),
                option::WORDS if self.words.is_empty() => self.words = value.to_vec(),
                option::CLIENT if self.client_id.is_empty() => self.client_id = value.to_vec(),
                option::RELAY if self.relay_info.is_empty() => self.relay_info = value.to_vec(),
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

    /// The message as bytes.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut out = vec![0; FIXED];
        out[0] = if self.to_client { 2 } else { 1 };
        out[1..3].copy_from_slice(&[1, 6]);
        out[4..8].copy_from_slice(&self.transaction.to_be_bytes());
        out[10] = if self.by_broadcast { 0x80 } else { 0 };
        out[12..16].copy_from_slice(&self.has.octets());
        out[16..20].copy_from_slice(&self.yours.octets());
        out[24..28].copy_from_slice(&self.relay.octets());
        out[28..34].copy_from_slice(&self.client.0);
        out[236..240].copy_from_slice(&COOKIE);
        let mut put = |code: u8, value: &[u8]| {
            let value = &value[..value.len().min(LONGEST_OPTION)];
            out.extend([code, u8::try_from(value.len()).unwrap_or(u8::MAX)]);
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
        let times = [
            (option::LEASE_TIME, self.lease),
            (option::RENEW_AFTER, self.renew_after),
            (option::REBIND_AFTER, self.rebind_after),
        ];
        for (code, seconds) in times {
            if let Some(seconds) = seconds {
                put(code, &seconds.to_be_bytes());
            }
        }
        if !self.to_client {
            put(option::WISHES, &[option::MASK, option::ROUTER, option::LEASE_TIME]);
        }
        // What the relay added goes last (RFC 3046, section 2.1).
        let texts = [
            (option::HOST_NAME, &self.host_name),
            (option::WORDS, &self.words),
            (option::CLASS, &self.class),
            (option::CLIENT, &self.client_id),
            (option::RELAY, &self.relay_info),
        ];
        for (code, text) in texts.into_iter().filter(|(_, text)| !text.is_empty()) {
            put(code, text);
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
        for message in [offer(), request.clone(), full(), request.answer(DhcpKind::NAK, Ipv4Addr::LOCALHOST)] {
            assert_eq!(Dhcp::parse(&message.to_bytes()).as_ref(), Ok(&message));
        }
    }

    /// A message that says all there is to say.
    fn full() -> Dhcp {
        Dhcp {
            by_broadcast: false,
            has: Ipv4Addr::new(10, 70, 0, 9),
            relay: Ipv4Addr::new(10, 70, 0, 254),
            renew_after: Some(30),
            rebind_after: Some(90),
            host_name: b"hall-amp-left".to_vec(),
            class: vec![0xff; 255],
            words: b"no".to_vec(),
            client_id: vec![1, 2, 0, 0, 0, 0, 7],
            relay_info: vec![2, 1, 9, 1, 4, b'g', b'i', b'1', b'7'],
            ..offer()
        }
    }

    #[test]
    fn an_answer_takes_back_what_has_to_go_back() {
        let asked = Dhcp { to_client: false, kind: DhcpKind::REQUEST, ..full() };
        let server = Ipv4Addr::new(10, 70, 0, 1);
        let answer = asked.answer(DhcpKind::ACK, server);
        assert_eq!(
            (answer.transaction, answer.client, answer.has, answer.relay, answer.server),
            (asked.transaction, asked.client, asked.has, asked.relay, Some(server))
        );
        assert_eq!((&answer.client_id, &answer.relay_info), (&asked.client_id, &asked.relay_info));
        assert!(!answer.by_broadcast && answer.host_name.is_empty());
        let refusal = asked.answer(DhcpKind::NAK, server);
        assert!(refusal.by_broadcast && refusal.has.is_unspecified());
    }

    #[test]
    fn the_circuit_is_found_among_what_the_relay_added() {
        assert_eq!(full().circuit(), Some(&b"gi17"[..]));
        let with = |relay_info: &[u8]| Dhcp { relay_info: relay_info.to_vec(), ..offer() };
        for (info, circuit) in [(&[][..], None), (&[1], None), (&[1, 9, 0], None), (&[1, 0], Some(&[][..]))] {
            assert_eq!(with(info).circuit(), circuit, "{info:?}");
        }
    }

    #[test]
    fn what_is_too_long_for_an_option_is_cut() {
        let long = Dhcp { host_name: vec![b'a'; 300], ..offer() };
        assert_eq!(Dhcp::parse(&long.to_bytes()).unwrap().host_name, vec![b'a'; 255]);
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
