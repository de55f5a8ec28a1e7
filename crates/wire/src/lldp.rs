//! Link layer discovery (IEEE 802.1AB): a switch tells who it is and which of its ports this is.
//!
//! After the Ethernet header a list of TLVs: seven bits of type, nine of length, value. 0 ends; 1 chassis, 2 port,
//! 3 time to live, 4 port description, 5 system name, 6 system description, 8 management address.

use std::net::Ipv4Addr;

use crate::{Layer, MacAddress, WireError};

/// The Ethernet type.
pub const ETHER_TYPE: u16 = 0x88cc;
/// Where the frames go: the nearest bridge passes them on to nobody.
pub const NEAREST: MacAddress = MacAddress([0x01, 0x80, 0xc2, 0, 0, 0x0e]);

const HEADER: usize = 14;

/// What a neighbour tells about itself and the port at the other end of the cable.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Lldp {
    /// Who sent the frame.
    pub from: MacAddress,
    /// The neighbour's own identifier, as text.
    pub chassis: String,
    /// The port, as text.
    pub port: String,
    /// What the port is called.
    pub port_description: Option<String>,
    /// The neighbour's name.
    pub name: Option<String>,
    /// What it is.
    pub description: Option<String>,
    /// The address it is managed at.
    pub management: Option<Ipv4Addr>,
    /// For how many seconds this holds; 0 means it is leaving.
    pub seconds: u16,
}

impl Lldp {
    /// Reads a frame.
    ///
    /// # Errors
    /// When a length runs past the end, or it is no LLDP: chassis, port and time to live must come first
    /// (section 8.2).
    pub fn parse(frame: &[u8]) -> Result<Self, WireError> {
        let short = |offset, needed| WireError::Short {
            layer: Layer::Lldp,
            offset,
            needed,
            available: frame.len().saturating_sub(offset),
        };
        let head: &[u8; HEADER] = frame.first_chunk().ok_or_else(|| short(0, HEADER))?;
        let foreign = WireError::Foreign { layer: Layer::Lldp };
        if head[12..14] != ETHER_TYPE.to_be_bytes() {
            return Err(foreign);
        }
        let mut lldp = Self { from: MacAddress(core::array::from_fn(|i| head[6 + i])), ..Self::default() };
        let mut at = HEADER;
        for expected in (1..=3).map(Some).chain(std::iter::repeat(None)) {
            let tlv = frame.get(at..at + 2).ok_or_else(|| short(at, 2))?;
            let (kind, length) = (tlv[0] >> 1, usize::from(tlv[0] & 1) << 8 | usize::from(tlv[1]));
            let value = frame.get(at + 2..at + 2 + length).ok_or_else(|| short(at + 2, length))?;
            if expected.is_some_and(|expected| kind != expected) {
                return Err(foreign);
            }
            match kind {
                0 => break,
                1 => lldp.chassis = identifier(value, 4),
                2 => lldp.port = identifier(value, 3),
                3 => lldp.seconds = value.first_chunk().map_or(0, |s| u16::from_be_bytes(*s)),
                4 => lldp.port_description = Some(text(value)),
                5 => lldp.name = Some(text(value)),
                6 => lldp.description = Some(text(value)),
                8 => lldp.management = management(value).or(lldp.management),
                _ => {}
            }
            at += 2 + length;
        }
        Ok(lldp)
    }

    /// The frame as bytes, chassis and port as locally assigned text. Texts are cut to 255 bytes.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut out = [&NEAREST.0[..], &self.from.0, &ETHER_TYPE.to_be_bytes()].concat();
        let mut put = |kind: u8, value: &[&[u8]]| {
            let value = value.concat();
            let value = &value[..value.len().min(255)];
            out.extend([kind << 1, u8::try_from(value.len()).unwrap_or(u8::MAX)]);
            out.extend(value);
        };
        put(1, &[&[7], self.chassis.as_bytes()]);
        put(2, &[&[7], self.port.as_bytes()]);
        put(3, &[&self.seconds.to_be_bytes()]);
        for (kind, said) in [(4, &self.port_description), (5, &self.name), (6, &self.description)] {
            if let Some(said) = said {
                put(kind, &[said.as_bytes()]);
            }
        }
        if let Some(address) = self.management {
            put(8, &[&[5, 1], &address.octets(), &[1, 0, 0, 0, 0, 0]]);
        }
        out.extend([0, 0]);
        out
    }
}

/// An identifier: one byte says of what sort it is; `mac` is the sort that means a MAC address.
fn identifier(value: &[u8], mac: u8) -> String {
    match value.split_first() {
        Some((sort, rest)) if *sort == mac && rest.len() == 6 => {
            MacAddress(core::array::from_fn(|i| rest[i])).to_string()
        }
        Some((_, rest)) => text(rest),
        None => String::new(),
    }
}

fn text(value: &[u8]) -> String {
    String::from_utf8_lossy(value).trim_end_matches('\0').to_owned()
}

fn management(value: &[u8]) -> Option<Ipv4Addr> {
    match value {
        [5, 1, a, b, c, d, ..] => Some(Ipv4Addr::new(*a, *b, *c, *d)),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn switch() -> Lldp {
        Lldp {
            from: MacAddress([2, 0x54, 0x51, 0, 0, 1]),
            chassis: "quay-switch".to_owned(),
            port: "7".to_owned(),
            port_description: Some("dressing room".to_owned()),
            name: Some("quay-switch".to_owned()),
            description: None,
            management: Some(Ipv4Addr::new(10, 40, 0, 2)),
            seconds: 120,
        }
    }

    #[test]
    fn a_frame_survives_both_ways_and_every_truncation_is_an_error() {
        let bytes = switch().to_bytes();
        assert_eq!(Lldp::parse(&bytes), Ok(switch()));
        for cut in 0..bytes.len() {
            assert!(Lldp::parse(&bytes[..cut]).is_err(), "cut after {cut}");
        }
    }

    /// Made by hand from section 8.5: chassis and port by MAC address.
    #[test]
    fn a_chassis_known_by_its_mac_is_read() {
        let mut frame = [&NEAREST.0[..], &[2, 0, 0, 0, 0, 9], &ETHER_TYPE.to_be_bytes()].concat();
        frame.extend([0x02, 7, 4, 2, 0, 0, 0, 0, 9, 0x04, 7, 3, 2, 0, 0, 0, 0, 10, 0x06, 2, 0, 120, 0, 0]);
        let lldp = Lldp::parse(&frame).unwrap();
        assert_eq!(
            (lldp.chassis.as_str(), lldp.port.as_str(), lldp.seconds),
            ("02:00:00:00:00:09", "02:00:00:00:00:0a", 120)
        );
    }

    #[test]
    fn the_first_three_must_be_there_in_order() {
        let mut bytes = switch().to_bytes();
        bytes[HEADER] = 2 << 1;
        assert_eq!(Lldp::parse(&bytes), Err(WireError::Foreign { layer: Layer::Lldp }));
    }
}
