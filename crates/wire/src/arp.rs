//! ARP for IPv4 over Ethernet (RFC 826), and the probes and announcements of RFC 5227.
//!
//! ```text
//!  0  6  Ethernet destination      20  2  operation
//!  6  6  Ethernet source           22  6  sender's MAC address
//! 12  2  Ethernet type 0x0806      28  4  sender's address; zero in a probe
//! 14  2  hardware type 1           32  6  target's MAC address
//! 16  2  protocol type 0x0800      38  4  target's address
//! 18  1  6, and 1 more: 4
//! ```

use core::fmt;
use std::net::Ipv4Addr;

use crate::{Layer, MacAddress, WireError};

const FIXED: [u8; 8] = [0x08, 0x06, 0x00, 0x01, 0x08, 0x00, 6, 4];

/// An ARP message with its Ethernet header.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Arp {
    /// Whom the frame is for.
    pub to: MacAddress,
    /// Who sent the frame.
    pub from: MacAddress,
    /// What it is.
    pub operation: ArpOperation,
    /// The MAC address the sender states.
    pub sender_mac: MacAddress,
    /// The address the sender states; all zero in a probe.
    pub sender: Ipv4Addr,
    /// The MAC address of the target, where it is known.
    pub target_mac: MacAddress,
    /// The address asked for.
    pub target: Ipv4Addr,
}

/// What an ARP message is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct ArpOperation(pub u16);

impl ArpOperation {
    /// Who has this address?
    pub const REQUEST: Self = Self(1);
    /// I have.
    pub const REPLY: Self = Self(2);
}

impl Arp {
    /// Length of the frame, without padding, in bytes.
    pub const LENGTH: usize = 42;
    /// The MAC address that means everybody.
    pub const EVERYBODY: MacAddress = MacAddress([0xff; 6]);

    /// "Has anybody this address?", asked without claiming an address of one's own (RFC 5227, section 1.1).
    #[must_use]
    pub const fn probe(own: MacAddress, target: Ipv4Addr) -> Self {
        Self {
            to: Self::EVERYBODY,
            from: own,
            operation: ArpOperation::REQUEST,
            sender_mac: own,
            sender: Ipv4Addr::UNSPECIFIED,
            target_mac: MacAddress::UNKNOWN,
            target,
        }
    }

    /// "This address is mine now" (RFC 5227, section 1.1).
    #[must_use]
    pub const fn announcement(own: MacAddress, address: Ipv4Addr) -> Self {
        Self { sender: address, ..Self::probe(own, address) }
    }

    /// Reads a frame.
    ///
    /// # Errors
    /// When the frame is shorter than 42 bytes or no ARP for IPv4 over Ethernet.
    pub fn parse(frame: &[u8]) -> Result<Self, WireError> {
        let m: &[u8; Self::LENGTH] = frame.first_chunk().ok_or(WireError::Short {
            layer: Layer::Arp,
            offset: 0,
            needed: Self::LENGTH,
            available: frame.len(),
        })?;
        if m[12..20] != FIXED {
            return Err(WireError::Foreign { layer: Layer::Arp });
        }
        let mac = |at: usize| MacAddress(core::array::from_fn(|i| m[at + i]));
        let address = |at: usize| Ipv4Addr::new(m[at], m[at + 1], m[at + 2], m[at + 3]);
        Ok(Self {
            to: mac(0),
            from: mac(6),
            operation: ArpOperation(u16::from_be_bytes([m[20], m[21]])),
            sender_mac: mac(22),
            sender: address(28),
            target_mac: mac(32),
            target: address(38),
        })
    }

    /// Writes the frame over the whole of `out`.
    pub fn emit(&self, out: &mut [u8; Self::LENGTH]) {
        out[0..6].copy_from_slice(&self.to.0);
        out[6..12].copy_from_slice(&self.from.0);
        out[12..20].copy_from_slice(&FIXED);
        out[20..22].copy_from_slice(&self.operation.0.to_be_bytes());
        out[22..28].copy_from_slice(&self.sender_mac.0);
        out[28..32].copy_from_slice(&self.sender.octets());
        out[32..38].copy_from_slice(&self.target_mac.0);
        out[38..42].copy_from_slice(&self.target.octets());
    }

    /// The frame as bytes of its own.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut out = [0; Self::LENGTH];
        self.emit(&mut out);
        out.to_vec()
    }
}

impl fmt::Display for Arp {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.operation {
            ArpOperation::REQUEST if self.sender.is_unspecified() => write!(f, "ARP probe for {}", self.target),
            ArpOperation::REQUEST if self.sender == self.target => {
                write!(f, "ARP: {} is {} now", self.sender, self.sender_mac)
            }
            ArpOperation::REQUEST => write!(f, "ARP: {} asks for {}", self.sender, self.target),
            ArpOperation::REPLY => write!(f, "ARP: {} is {}", self.sender, self.sender_mac),
            ArpOperation(other) => write!(f, "ARP operation {other}"),
        }
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    /// Made by hand from the layout of RFC 826: 10.40.1.100 tells 10.40.0.7 its MAC address.
    const REPLY: &str = "024d42000007 024d42001001 08060001080006040002024d420010010a280164024d420000070a280007";

    fn bytes(hex: &str) -> Vec<u8> {
        let hex: String = hex.split(' ').collect();
        (0..hex.len()).step_by(2).map(|i| u8::from_str_radix(&hex[i..i + 2], 16).unwrap()).collect()
    }

    #[test]
    fn a_reply_is_read_and_written_again() {
        let frame = bytes(REPLY);
        let arp = Arp::parse(&frame).unwrap();
        assert_eq!(arp.operation, ArpOperation::REPLY);
        assert_eq!(
            (arp.sender, arp.sender_mac.to_string().as_str()),
            (Ipv4Addr::new(10, 40, 1, 100), "02:4d:42:00:10:01")
        );
        assert_eq!(
            (arp.target, arp.target_mac.to_string().as_str()),
            (Ipv4Addr::new(10, 40, 0, 7), "02:4d:42:00:00:07")
        );
        let mut out = [0xa5; Arp::LENGTH];
        arp.emit(&mut out);
        assert_eq!(out[..], frame[..]);
        assert_eq!(Arp::parse(&[&frame[..], &[0; 18]].concat()), Ok(arp), "padding to 60 bytes");
    }

    #[test]
    fn every_truncation_says_what_is_missing() {
        let frame = bytes(REPLY);
        for cut in 0..frame.len() {
            let short = WireError::Short { layer: Layer::Arp, offset: 0, needed: 42, available: cut };
            assert_eq!(Arp::parse(&frame[..cut]), Err(short));
        }
    }

    #[rstest]
    #[case(12, 0x86)]
    #[case(15, 6)]
    #[case(18, 8)]
    #[case(19, 16)]
    fn what_is_not_arp_for_ipv4_is_foreign(#[case] at: usize, #[case] byte: u8) {
        let mut frame = bytes(REPLY);
        frame[at] = byte;
        assert_eq!(Arp::parse(&frame).unwrap_err().to_string(), "this is no ARP");
    }

    #[test]
    fn probe_and_announcement_differ_in_the_sender() {
        let (own, address) = (MacAddress([2; 6]), Ipv4Addr::new(10, 40, 0, 9));
        assert_eq!(Arp::probe(own, address).to_string(), "ARP probe for 10.40.0.9");
        assert_eq!(Arp::announcement(own, address).to_string(), "ARP: 10.40.0.9 is 02:02:02:02:02:02 now");
    }
}
