//! What a frame or an IP packet carries, as far as anybody here wants to know.

use std::net::{Ipv4Addr, SocketAddrV4};

use etherparse::{Icmpv4Type, IpNumber, NetSlice, PacketBuilder, SlicedPacket, TransportSlice};

use crate::{Arp, Igmp, Layer, Lldp, MacAddress, WireError, igmp};

/// How many routers a packet may pass: none of ours should, but servers look at it.
pub(crate) const TIME_TO_LIVE: u8 = 64;

/// A frame, or an IP packet without one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Packet<'a> {
    /// Sender and receiver of the frame; `None` for a bare IP packet.
    pub link: Option<Link>,
    /// What it carries.
    pub carries: Carries<'a>,
}

/// Both ends of a frame.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Link {
    /// Who sent it.
    pub from: MacAddress,
    /// Whom it is for.
    pub to: MacAddress,
}

/// What a packet carries.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Carries<'a> {
    /// ARP.
    Arp(Arp),
    /// A datagram.
    Udp {
        /// The sender.
        from: SocketAddrV4,
        /// Whom it is for.
        to: SocketAddrV4,
        /// The payload.
        payload: &'a [u8],
    },
    /// An echo request (RFC 792).
    EchoRequest {
        /// Who asks.
        from: Ipv4Addr,
        /// Whom.
        to: Ipv4Addr,
        /// Which of its questions it is.
        number: u16,
    },
    /// An answer to an echo request (RFC 792).
    EchoReply {
        /// Who answers.
        from: Ipv4Addr,
        /// Whom.
        to: Ipv4Addr,
        /// The asker's mark.
        mark: u16,
        /// Which of its questions is answered.
        number: u16,
    },
    /// Group membership.
    Igmp {
        /// The sender; all zero where it has none.
        from: Ipv4Addr,
        /// The message.
        message: Igmp,
    },
    /// What a switch tells.
    Lldp(Lldp),
    /// Some other IP packet.
    Other {
        /// The sender.
        from: Ipv4Addr,
    },
}

impl<'a> Packet<'a> {
    /// Reads an Ethernet frame. Checksums are not looked at: a virtual cable hands over packets with unfinished ones.
    ///
    /// # Errors
    /// When it is broken or carries neither ARP, LLDP nor IPv4.
    pub fn parse(frame: &'a [u8]) -> Result<Self, WireError> {
        let short = WireError::Short { layer: Layer::Frame, offset: 0, needed: 14, available: frame.len() };
        let head: &[u8; 14] = frame.first_chunk().ok_or(short)?;
        let mac = |at: usize| MacAddress(core::array::from_fn(|i| head[at + i]));
        let link = Some(Link { from: mac(6), to: mac(0) });
        let carries = match u16::from_be_bytes([head[12], head[13]]) {
            0x0806 => Carries::Arp(Arp::parse(frame)?),
            crate::lldp::ETHER_TYPE => Carries::Lldp(Lldp::parse(frame)?),
            _ => {
                let sliced = SlicedPacket::from_ethernet(frame);
                carried(&sliced.map_err(|_| WireError::Foreign { layer: Layer::Frame })?)?
            }
        };
        Ok(Self { link, carries })
    }

    /// Reads an IPv4 packet without a frame around it.
    ///
    /// # Errors
    /// When it is broken or no IPv4.
    pub fn parse_ip(packet: &'a [u8]) -> Result<Self, WireError> {
        let sliced = SlicedPacket::from_ip(packet).map_err(|_| WireError::Foreign { layer: Layer::Frame })?;
        Ok(Self { link: None, carries: carried(&sliced)? })
    }
}

fn carried<'a>(sliced: &SlicedPacket<'a>) -> Result<Carries<'a>, WireError> {
    let Some(NetSlice::Ipv4(ip)) = &sliced.net else { return Err(WireError::Foreign { layer: Layer::Frame }) };
    let (from, to) = (ip.header().source_addr(), ip.header().destination_addr());
    match &sliced.transport {
        Some(TransportSlice::Udp(udp)) => Ok(Carries::Udp {
            from: SocketAddrV4::new(from, udp.source_port()),
            to: SocketAddrV4::new(to, udp.destination_port()),
            payload: udp.payload(),
        }),
        Some(TransportSlice::Icmpv4(icmp)) => match icmp.icmp_type() {
            Icmpv4Type::EchoReply(echo) => Ok(Carries::EchoReply { from, to, mark: echo.id, number: echo.seq }),
            Icmpv4Type::EchoRequest(echo) => Ok(Carries::EchoRequest { from, to, number: echo.seq }),
            _ => Ok(Carries::Other { from }),
        },
        _ if ip.payload().ip_number == IpNumber(igmp::PROTOCOL) && !ip.payload().fragmented => {
            Ok(Carries::Igmp { from, message: Igmp::parse(ip.payload().payload)? })
        }
        _ => Ok(Carries::Other { from }),
    }
}

/// A frame that asks for an echo (RFC 792): whose question it is, and which of them.
#[must_use]
pub fn echo_request(link: Link, from: Ipv4Addr, to: Ipv4Addr, mark: u16, number: u16) -> Vec<u8> {
    let builder = PacketBuilder::ethernet2(link.from.0, link.to.0)
        .ipv4(from.octets(), to.octets(), TIME_TO_LIVE)
        .icmpv4_echo_request(mark, number);
    let mut out = Vec::with_capacity(builder.size(0));
    // An empty payload always fits.
    builder.write(&mut out, &[]).unwrap_or(());
    out
}

/// A bare IPv4 packet that carries a datagram; `None` when the payload is longer than a datagram can be.
#[must_use]
pub fn udp_packet(from: SocketAddrV4, to: SocketAddrV4, payload: &[u8]) -> Option<Vec<u8>> {
    let builder =
        PacketBuilder::ipv4(from.ip().octets(), to.ip().octets(), TIME_TO_LIVE).udp(from.port(), to.port());
    let mut out = Vec::with_capacity(builder.size(payload.len()));
    builder.write(&mut out, payload).ok()?;
    Some(out)
}

/// A bare IPv4 packet that asks for an echo, or answers.
#[must_use]
pub fn echo_packet(asks: bool, from: Ipv4Addr, to: Ipv4Addr, mark: u16, number: u16) -> Vec<u8> {
    let builder = PacketBuilder::ipv4(from.octets(), to.octets(), TIME_TO_LIVE);
    let builder =
        if asks { builder.icmpv4_echo_request(mark, number) } else { builder.icmpv4_echo_reply(mark, number) };
    let mut out = Vec::with_capacity(builder.size(0));
    builder.write(&mut out, &[]).unwrap_or(());
    out
}

/// A frame that carries a group membership message from a querier (RFC 2236, section 2: one hop only).
#[must_use]
pub fn igmp_frame(from_mac: MacAddress, from: Ipv4Addr, to: Ipv4Addr, message: &[u8]) -> Vec<u8> {
    let builder =
        PacketBuilder::ethernet2(from_mac.0, MacAddress::of_group(to).0).ipv4(from.octets(), to.octets(), 1);
    let mut out = Vec::with_capacity(builder.size(message.len()));
    builder.write(&mut out, IpNumber(igmp::PROTOCOL), message).unwrap_or(());
    out
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    const A: Ipv4Addr = Ipv4Addr::new(10, 40, 0, 7);
    const B: Ipv4Addr = Ipv4Addr::new(10, 40, 1, 100);
    const LINK: Link = Link { from: MacAddress([2; 6]), to: MacAddress([4; 6]) };

    #[rstest]
    #[case::arp(Arp::probe(LINK.from, B).to_bytes())]
    #[case::echo(echo_request(LINK, A, B, 7, 1))]
    #[case::igmp(igmp_frame(LINK.from, A, igmp::EVERY_HOST, &Igmp::general_query()))]
    #[case::lldp(Lldp { from: LINK.from, chassis: "x".into(), port: "1".into(), ..Lldp::default() }.to_bytes())]
    fn a_frame_is_read_and_no_truncation_panics(#[case] frame: Vec<u8>) {
        let packet = Packet::parse(&frame).unwrap();
        assert_eq!(packet.link.map(|link| link.from), Some(LINK.from));
        for cut in 0..frame.len() {
            assert!(Packet::parse(&frame[..cut]).is_err(), "cut after {cut}");
        }
    }

    #[test]
    fn an_echo_reply_says_who_answers_whom() {
        let packet = echo_packet(false, B, A, 77, 3);
        let expected = Carries::EchoReply { from: B, to: A, mark: 77, number: 3 };
        assert_eq!(Packet::parse_ip(&packet), Ok(Packet { link: None, carries: expected }));
    }

    #[test]
    fn a_query_is_seen_with_its_sender() {
        let frame = igmp_frame(LINK.from, A, igmp::EVERY_HOST, &Igmp::general_query());
        let message = Igmp::Query { group: None, version: 2 };
        assert_eq!(Packet::parse(&frame).unwrap().carries, Carries::Igmp { from: A, message });
        assert_eq!(frame[..6], [0x01, 0x00, 0x5e, 0, 0, 1]);
    }

    #[test]
    fn a_datagram_without_a_frame_is_read() {
        let (from, to) = (SocketAddrV4::new(B, 6454), SocketAddrV4::new(A, 6454));
        let bytes = udp_packet(from, to, b"hello").unwrap();
        assert_eq!(Packet::parse_ip(&bytes).unwrap().carries, Carries::Udp { from, to, payload: b"hello" });
        assert_eq!(udp_packet(from, to, &[0; 70_000]), None);
        assert!(Packet::parse_ip(&[0x60; 60]).is_err(), "IPv6");
    }
}
