//! RTP: the packets of which streams of sound and picture are made (RFC 3550, section 5.1).

use crate::{Layer, WireError};

/// The bytes of a head without lists.
const HEAD: usize = 12;

/// The head of a packet.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Rtp {
    /// What its payload is, by the session's own table.
    pub payload_type: u8,
    /// Which packet it is; begins again behind 65535.
    pub sequence: u16,
    /// When what it holds was sampled, in ticks of the stream's clock; begins again too.
    pub timestamp: u32,
    /// Who made it, by a number that nobody else of the session has.
    pub source: u32,
    /// How many bytes it carries.
    pub payload: usize,
}

impl Rtp {
    /// Reads a packet.
    ///
    /// # Errors
    /// When it is of another version, or shorter than it says.
    pub fn parse(bytes: &[u8]) -> Result<Self, WireError> {
        let layer = Layer::Rtp;
        let short = |needed| WireError::Short { layer, offset: 0, needed, available: bytes.len() };
        let head = bytes.first_chunk::<HEAD>().ok_or_else(|| short(HEAD))?;
        // RTCP shares the form, and has other numbers in the place of the payload type (RFC 5761, section 4).
        if head[0] >> 6 != 2 || (192..=223).contains(&head[1]) {
            return Err(WireError::Foreign { layer });
        }
        let mut start = HEAD + 4 * usize::from(head[0] & 0x0f);
        if head[0] & 0x10 != 0 {
            let length = bytes.get(start + 2..start + 4).ok_or_else(|| short(start + 4))?;
            start += 4 + 4 * usize::from(u16::from_be_bytes([length[0], length[1]]));
        }
        let padding = if head[0] & 0x20 != 0 { usize::from(bytes[bytes.len() - 1]) } else { 0 };
        let payload = bytes.len().checked_sub(start + padding).ok_or_else(|| short(start + padding))?;
        Ok(Self {
            payload_type: head[1] & 0x7f,
            sequence: u16::from_be_bytes([head[2], head[3]]),
            timestamp: u32::from_be_bytes([head[4], head[5], head[6], head[7]]),
            source: u32::from_be_bytes([head[8], head[9], head[10], head[11]]),
            payload,
        })
    }

    /// A packet with a payload of silence.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut bytes = vec![0x80, self.payload_type & 0x7f];
        bytes.extend(self.sequence.to_be_bytes());
        bytes.extend(self.timestamp.to_be_bytes());
        bytes.extend(self.source.to_be_bytes());
        bytes.resize(HEAD + self.payload, 0);
        bytes
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const PACKET: Rtp = Rtp { payload_type: 98, sequence: 65_535, timestamp: u32::MAX, source: 7, payload: 6 };

    #[test]
    fn a_packet_goes_there_and_back_and_what_is_cut_is_refused() {
        let bytes = PACKET.to_bytes();
        assert_eq!(Rtp::parse(&bytes), Ok(PACKET));
        assert!((0..HEAD).all(|length| Rtp::parse(&bytes[..length]).is_err()));
    }

    #[test]
    fn lists_extensions_and_padding_are_no_payload() {
        let mut bytes = PACKET.to_bytes();
        bytes[0] = 0x80 | 0x10 | 0x20 | 1;
        // One contributor, an extension of one word, two bytes of payload, and three to fill up.
        bytes.splice(HEAD.., [0, 0, 0, 9, 0xbe, 0xde, 0, 1, 1, 2, 3, 4, 5, 6, 0, 0, 3]);
        assert_eq!(Rtp::parse(&bytes).map(|packet| packet.payload), Ok(2));
        for length in 0..bytes.len() {
            let _ = Rtp::parse(&bytes[..length]);
        }
        bytes[19] = 200;
        assert!(matches!(Rtp::parse(&bytes), Err(WireError::Short { .. })));
    }

    #[test]
    fn other_protocols_are_told_apart() {
        let foreign = Err(WireError::Foreign { layer: Layer::Rtp });
        let mut bytes = PACKET.to_bytes();
        bytes[1] = 200;
        assert_eq!(Rtp::parse(&bytes), foreign);
        bytes[0] = 0x40;
        assert_eq!(Rtp::parse(&bytes), foreign);
    }
}
