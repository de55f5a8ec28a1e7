//! A UDP datagram as a whole Ethernet frame (IEEE 802.3, RFC 791, RFC 768), for those who have no address yet.

use std::net::SocketAddrV4;

use etherparse::PacketBuilder;

use crate::packet::TIME_TO_LIVE;
use crate::{Carries, Layer, MacAddress, Packet, WireError};

/// The frame and what it carries.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct UdpFrame<'a> {
    /// The sender's MAC address.
    pub from_mac: MacAddress,
    /// Whom the frame is for.
    pub to_mac: MacAddress,
    /// The sender.
    pub from: SocketAddrV4,
    /// Whom the datagram is for.
    pub to: SocketAddrV4,
    /// What is carried.
    pub payload: &'a [u8],
}

impl<'a> UdpFrame<'a> {
    /// Reads a frame. Checksums are not looked at: a virtual cable hands over packets with unfinished ones.
    ///
    /// # Errors
    /// When the frame is broken or carries something else.
    pub fn parse(frame: &'a [u8]) -> Result<Self, WireError> {
        match Packet::parse(frame) {
            Ok(Packet { link: Some(link), carries: Carries::Udp { from, to, payload } }) => {
                Ok(Self { from_mac: link.from, to_mac: link.to, from, to, payload })
            }
            _ => Err(WireError::Foreign { layer: Layer::UdpFrame }),
        }
    }

    /// The frame as bytes; `None` when the payload is longer than a datagram can be.
    #[must_use]
    pub fn to_bytes(&self) -> Option<Vec<u8>> {
        let builder = PacketBuilder::ethernet2(self.from_mac.0, self.to_mac.0)
            .ipv4(self.from.ip().octets(), self.to.ip().octets(), TIME_TO_LIVE)
            .udp(self.from.port(), self.to.port());
        let mut bytes = Vec::with_capacity(builder.size(self.payload.len()));
        builder.write(&mut bytes, self.payload).ok()?;
        Some(bytes)
    }
}

#[cfg(test)]
mod tests {
    use std::net::Ipv4Addr;

    use super::*;

    fn frame(payload: &[u8]) -> UdpFrame<'_> {
        UdpFrame {
            from_mac: MacAddress([2, 0, 0, 0, 0, 7]),
            to_mac: MacAddress([0xff; 6]),
            from: SocketAddrV4::new(Ipv4Addr::UNSPECIFIED, 68),
            to: SocketAddrV4::new(Ipv4Addr::BROADCAST, 67),
            payload,
        }
    }

    #[test]
    fn a_frame_survives_both_ways_and_no_truncation_panics() {
        let bytes = frame(b"hello").to_bytes().unwrap();
        assert_eq!(UdpFrame::parse(&bytes), Ok(frame(b"hello")));
        for cut in 0..bytes.len() {
            assert_eq!(UdpFrame::parse(&bytes[..cut]), Err(WireError::Foreign { layer: Layer::UdpFrame }));
        }
    }

    #[test]
    fn what_is_too_long_is_not_written_and_arp_is_foreign() {
        assert_eq!(frame(&[0; 70_000]).to_bytes(), None);
        let arp = crate::Arp::probe(MacAddress([2; 6]), Ipv4Addr::LOCALHOST).to_bytes();
        assert_eq!(UdpFrame::parse(&arp).unwrap_err().to_string(), "this is no UDP frame");
    }
}
