//! Clocks of a network that announce themselves (PTP, IEEE 1588-2008 and 2019; AES67 and ST 2059 use them). Heard, never sent by
//! the tool itself.
//!
//! ```text
//!  0  1  low four bits: 0b is an Announce     44  2  UTC offset, seconds    52  1  priority 2
//!  1  1  low four bits: version, 2            47  1  priority 1             53  8  grandmaster
//!  4  1  domain                               48  1  class                  61  2  steps away from it
//! 20  8  who announces                        49  1  accuracy               63  1  time source
//! 28  2  its port                             50  2  variance
//! 30  2  sequence
//! ```

use core::fmt;
use core::str::FromStr;
use std::net::Ipv4Addr;

use crate::{Layer, MacAddress, WireError};

/// The port of messages that no time is taken of (IEEE 1588-2008, annex D.2).
pub const GENERAL_PORT: u16 = 320;
/// Where clocks announce themselves (annex D.3).
pub const GROUP: Ipv4Addr = Ipv4Addr::new(224, 0, 1, 129);

const ANNOUNCE: u8 = 0x0b;
const VERSION: u8 = 2;

/// A clock's identity (section 7.5.2): mostly its MAC address with ff fe in the middle.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct ClockIdentity(pub [u8; 8]);

/// A clock announces which grandmaster it follows, or that it is one (section 13.5).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Announce {
    /// The domain, 0 to 255.
    pub domain: u8,
    /// Who announces: the grandmaster itself, or a clock between.
    pub source: ClockIdentity,
    /// Which of its ports.
    pub port: u16,
    /// Counts the messages of that port.
    pub sequence: u16,
    /// By how many seconds TAI is ahead of UTC.
    pub utc_offset: i16,
    /// What decides first which clock leads: the lowest does.
    pub priority1: u8,
    /// How good its time is: 6 follows a primary reference, 248 is the default (section 7.6.2.4).
    pub class: u8,
    /// How accurate it is, as the standard counts (section 7.6.2.5).
    pub accuracy: u8,
    /// How steady it is, as the standard counts (section 7.6.3).
    pub variance: u16,
    /// What decides among equals.
    pub priority2: u8,
    /// The grandmaster that is followed.
    pub grandmaster: ClockIdentity,
    /// How many clocks stand between.
    pub steps: u16,
    /// Where its time comes from (section 7.6.2.6).
    pub time_source: u8,
}

impl Announce {
    /// Length in bytes.
    pub const LENGTH: usize = 64;

    /// Reads a message; `None` for one that announces nothing, or is of version 1.
    ///
    /// # Errors
    /// When an Announce is shorter than its 64 bytes, or there are not even two.
    pub fn parse(datagram: &[u8]) -> Result<Option<Self>, WireError> {
        let short = |needed| WireError::Short { layer: Layer::Ptp, offset: 0, needed, available: datagram.len() };
        let [kind, version, ..] = datagram else { return Err(short(2)) };
        if kind & 0x0f != ANNOUNCE || version & 0x0f != VERSION {
            return Ok(None);
        }
        let m: &[u8; Self::LENGTH] = datagram.first_chunk().ok_or_else(|| short(Self::LENGTH))?;
        let word = |at: usize| u16::from_be_bytes([m[at], m[at + 1]]);
        let identity = |at: usize| ClockIdentity(core::array::from_fn(|i| m[at + i]));
        Ok(Some(Self {
            domain: m[4],
            source: identity(20),
            port: word(28),
            sequence: word(30),
            utc_offset: i16::from_be_bytes([m[44], m[45]]),
            priority1: m[47],
            class: m[48],
            accuracy: m[49],
            variance: word(50),
            priority2: m[52],
            grandmaster: identity(53),
            steps: word(61),
            time_source: m[63],
        }))
    }

    /// The message as bytes, as a clock of 2008 sends it every second.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut out = vec![0; Self::LENGTH];
        (out[0], out[1], out[3], out[4]) = (ANNOUNCE, VERSION, 64, self.domain);
        out[20..28].copy_from_slice(&self.source.0);
        out[28..30].copy_from_slice(&self.port.to_be_bytes());
        out[30..32].copy_from_slice(&self.sequence.to_be_bytes());
        // Control of all that is neither a time nor a question (table 23).
        out[32] = 5;
        out[44..46].copy_from_slice(&self.utc_offset.to_be_bytes());
        (out[47], out[48], out[49]) = (self.priority1, self.class, self.accuracy);
        out[50..52].copy_from_slice(&self.variance.to_be_bytes());
        out[52] = self.priority2;
        out[53..61].copy_from_slice(&self.grandmaster.0);
        out[61..63].copy_from_slice(&self.steps.to_be_bytes());
        out[63] = self.time_source;
        out
    }
}

impl ClockIdentity {
    /// The identity that a clock with this MAC address has (section 7.5.2.2.2).
    #[must_use]
    pub const fn of_mac(mac: MacAddress) -> Self {
        let [a, b, c, d, e, f] = mac.0;
        Self([a, b, c, 0xff, 0xfe, d, e, f])
    }
}

impl fmt::Display for ClockIdentity {
    /// As stream descriptions write it (RFC 7273, section 4.8).
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (at, byte) in self.0.iter().enumerate() {
            write!(f, "{}{byte:02X}", if at == 0 { "" } else { "-" })?;
        }
        Ok(())
    }
}

impl FromStr for ClockIdentity {
    type Err = &'static str;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        let mut bytes = [0; 8];
        let mut parts = text.split('-');
        for byte in &mut bytes {
            let part =
                parts.next().filter(|part| part.len() == 2).ok_or("eight bytes like 00-1D-C1-FF-FE-00-00-01")?;
            *byte = u8::from_str_radix(part, 16).map_err(|_| "eight bytes like 00-1D-C1-FF-FE-00-00-01")?;
        }
        parts.next().map_or(Ok(Self(bytes)), |_| Err("eight bytes, no more"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn announce() -> Announce {
        Announce {
            domain: 4,
            source: ClockIdentity([0, 0x1d, 0xc1, 0xff, 0xfe, 0, 0, 2]),
            port: 1,
            sequence: 0x0102,
            utc_offset: 37,
            priority1: 128,
            class: 6,
            accuracy: 0x21,
            variance: 0x4e5d,
            priority2: 127,
            grandmaster: ClockIdentity([0, 0x1d, 0xc1, 0xff, 0xfe, 0, 0, 1]),
            steps: 1,
            time_source: 0x20,
        }
    }

    #[test]
    fn an_announcement_survives_and_no_truncation_panics() {
        let bytes = announce().to_bytes();
        assert_eq!(Announce::parse(&bytes), Ok(Some(announce())));
        for cut in 0..bytes.len() {
            assert!(Announce::parse(&bytes[..cut]).is_err(), "{cut}");
        }
        // What follows are suffixes (section 14); 2019 writes its own small number above the version.
        let mut longer = [&bytes[..], &[0; 30]].concat();
        longer[1] = 0x12;
        assert_eq!(Announce::parse(&longer), Ok(Some(announce())));
    }

    #[test]
    fn other_messages_and_version_1_announce_nothing() {
        let mut bytes = announce().to_bytes();
        for kind in [0x00, 0x08, 0x09, 0x0d] {
            bytes[0] = kind;
            assert_eq!(Announce::parse(&bytes), Ok(None));
        }
        (bytes[0], bytes[1]) = (0x0b, 1);
        assert_eq!(Announce::parse(&bytes), Ok(None));
    }

    #[test]
    fn identities_are_written_as_in_descriptions_of_streams() {
        let identity = announce().grandmaster;
        assert_eq!(identity.to_string(), "00-1D-C1-FF-FE-00-00-01");
        assert_eq!(identity.to_string().to_lowercase().parse(), Ok(identity));
        for wrong in
            ["", "00-1D", "00-1D-C1-FF-FE-00-00-01-02", "00-1D-C1-FF-FE-00-00-xx", "0-01D-C1-FF-FE-00-00-01"]
        {
            assert!(wrong.parse::<ClockIdentity>().is_err(), "{wrong}");
        }
        assert_eq!(ClockIdentity::of_mac(MacAddress([0, 0x1d, 0xc1, 0, 0, 1])), identity);
    }
}
