//! Session announcements (RFC 2974): somebody tells everybody about a stream.
//!
//! ```text
//! 0  1  version 1 in bits 7–5, bit 4 IPv6 source, 2 delete, 1 encrypted, 0 compressed
//! 1  1  length of the authentication, in words of four bytes
//! 2  2  hash of the message     4  4 (or 16)  originating source
//!       authentication, then the payload's type up to a NUL, then the payload
//! ```

use std::net::Ipv4Addr;

use crate::{Layer, WireError};

/// The UDP port of every announcement.
pub const PORT: u16 = 9875;
/// The groups announcements go to: site-local and global scope (section 3).
pub const GROUPS: [Ipv4Addr; 2] = [Ipv4Addr::new(239, 255, 255, 255), Ipv4Addr::new(224, 2, 127, 254)];
/// The type of a payload that is SDP; also when none is stated.
pub const SDP: &str = "application/sdp";

const FIXED: usize = 8;

/// An announcement, or that one is over.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Sap<'a> {
    /// Whether the session is over.
    pub delete: bool,
    /// Whether the payload is compressed or encrypted: then it says nothing to us but who announces.
    pub is_opaque: bool,
    /// Tells announcements of one source apart.
    pub hash: u16,
    /// Who announces.
    pub origin: Ipv4Addr,
    /// The type of the payload; `application/sdp` where none is stated.
    pub payload_type: &'a str,
    /// The payload. A deletion carries only the first lines of it.
    pub payload: &'a [u8],
}

impl<'a> Sap<'a> {
    /// Reads a datagram. A source of IPv6 cannot be read.
    ///
    /// # Errors
    /// When it is shorter than it says, or no announcement that can be read.
    pub fn parse(datagram: &'a [u8]) -> Result<Self, WireError> {
        let short = |needed| WireError::Short { layer: Layer::Sap, offset: 0, needed, available: datagram.len() };
        let head: &[u8; FIXED] = datagram.first_chunk().ok_or_else(|| short(FIXED))?;
        if head[0] >> 5 != 1 || head[0] & 0b1_0000 != 0 {
            return Err(WireError::Foreign { layer: Layer::Sap });
        }
        let start = FIXED + usize::from(head[1]) * 4;
        let rest = datagram.get(start..).ok_or_else(|| short(start))?;
        let (payload_type, payload) = split_type(rest);
        Ok(Self {
            delete: head[0] & 0b100 != 0,
            is_opaque: head[0] & 0b11 != 0,
            hash: u16::from_be_bytes([head[2], head[3]]),
            origin: Ipv4Addr::new(head[4], head[5], head[6], head[7]),
            payload_type,
            payload,
        })
    }

    /// The announcement as bytes.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut out = vec![0x20 | if self.delete { 0b100 } else { 0 } | u8::from(self.is_opaque), 0];
        out.extend(self.hash.to_be_bytes());
        out.extend(self.origin.octets());
        out.extend(self.payload_type.as_bytes());
        out.push(0);
        out.extend(self.payload);
        out
    }
}

/// The type may be missing; then the payload is SDP and starts with its version (section 6).
fn split_type(rest: &[u8]) -> (&str, &[u8]) {
    if rest.starts_with(b"v=0") {
        return (SDP, rest);
    }
    let typed = rest.iter().position(|byte| *byte == 0).and_then(|end| {
        let name = core::str::from_utf8(&rest[..end]).ok()?;
        Some((name, &rest[end + 1..]))
    });
    typed.unwrap_or((SDP, rest))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_payload_without_a_type_is_sdp() {
        let datagram = [&[0x20, 0, 1, 2, 10, 60, 1, 20][..], b"v=0\r\ns=x\r\n"].concat();
        let sap = Sap::parse(&datagram).unwrap();
        assert_eq!((sap.payload_type, sap.payload), (SDP, &b"v=0\r\ns=x\r\n"[..]));
    }

    #[test]
    fn authentication_is_passed_over_and_must_be_there() {
        let datagram = [&[0x20, 1, 1, 2, 10, 60, 1, 20][..], &[9; 4], b"application/sdp\0v=0"].concat();
        assert_eq!(Sap::parse(&datagram).unwrap().payload, b"v=0");
        assert_eq!(
            Sap::parse(&datagram[..10]).unwrap_err().to_string(),
            "SAP needs 12 bytes from offset 0, but only 10 are there"
        );
    }

    #[test]
    fn what_is_compressed_or_encrypted_tells_who_announces_and_no_more() {
        for head in [0x22, 0x21] {
            let datagram = [head, 0, 1, 2, 10, 60, 1, 20, 0x78, 0x9c];
            let sap = Sap::parse(&datagram).unwrap();
            assert_eq!((sap.is_opaque, sap.origin), (true, Ipv4Addr::new(10, 60, 1, 20)));
        }
    }

    #[test]
    fn what_is_of_ipv6_or_of_another_version_is_foreign() {
        for head in [0x30, 0x40, 0] {
            let foreign = WireError::Foreign { layer: Layer::Sap };
            assert_eq!(Sap::parse(&[head, 0, 1, 2, 10, 60, 1, 20]), Err(foreign));
        }
    }
}
