//! Group membership (IGMP; RFC 2236, RFC 3376): who asks, and who wants which group.
//!
//! ```text
//! 0  1  11 query, 12/16/22 report, 17 leave     4  4  group; all zero in a general query
//! 1  1  response time in tenths of a second     8  4  version 3 only: flags, interval, sources
//! ```

use std::net::Ipv4Addr;

use crate::{Layer, WireError};

/// The IP protocol number.
pub const PROTOCOL: u8 = 2;
/// Where general queries go.
pub const EVERY_HOST: Ipv4Addr = Ipv4Addr::new(224, 0, 0, 1);

const FIXED: usize = 8;

/// A message of a kind that is understood.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Igmp {
    /// Who wants this group? For a general query, any group.
    Query {
        /// The group asked for; `None` for every group.
        group: Option<Ipv4Addr>,
        /// 1, 2 or 3.
        version: u8,
    },
    /// Somebody wants, or no longer wants, a group.
    Membership,
}

impl Igmp {
    /// Reads what an IP packet of protocol 2 carries.
    ///
    /// # Errors
    /// When it is shorter than eight bytes, or of an unknown kind.
    pub fn parse(payload: &[u8]) -> Result<Self, WireError> {
        let m: &[u8; FIXED] = payload.first_chunk().ok_or(WireError::Short {
            layer: Layer::Igmp,
            offset: 0,
            needed: FIXED,
            available: payload.len(),
        })?;
        let group = Ipv4Addr::new(m[4], m[5], m[6], m[7]);
        match m[0] {
            0x11 => {
                let version = if payload.len() >= 12 { 3 } else { 1 + u8::from(m[1] != 0) };
                Ok(Self::Query { group: (!group.is_unspecified()).then_some(group), version })
            }
            0x12 | 0x16 | 0x17 | 0x22 => Ok(Self::Membership),
            _ => Err(WireError::Foreign { layer: Layer::Igmp }),
        }
    }

    /// A general query of version 2 (RFC 2236, section 2).
    #[must_use]
    pub const fn general_query() -> [u8; FIXED] {
        // Ten seconds to answer; the checksum of a message that is otherwise zero is its complement.
        let [high, low] = (!0x1164_u16).to_be_bytes();
        [0x11, 100, high, low, 0, 0, 0, 0]
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case(&Igmp::general_query(), Igmp::Query { group: None, version: 2 })]
    #[case(&[0x11, 0, 0xee, 0xff, 0, 0, 0, 0], Igmp::Query { group: None, version: 1 })]
    #[case(&[0x11, 100, 0, 0, 0, 0, 0, 0, 2, 125, 0, 0], Igmp::Query { group: None, version: 3 })]
    #[case(&[0x11, 10, 0, 0, 239, 255, 0, 1], Igmp::Query { group: Some(Ipv4Addr::new(239, 255, 0, 1)), version: 2 })]
    #[case(&[0x16, 0, 0, 0, 239, 255, 0, 1], Igmp::Membership)]
    fn messages_are_told_apart(#[case] bytes: &[u8], #[case] expected: Igmp) {
        assert_eq!(Igmp::parse(bytes), Ok(expected));
    }

    #[test]
    fn truncations_and_unknown_kinds_are_errors() {
        for cut in 0..FIXED {
            let short = WireError::Short { layer: Layer::Igmp, offset: 0, needed: FIXED, available: cut };
            assert_eq!(Igmp::parse(&Igmp::general_query()[..cut]), Err(short));
        }
        assert_eq!(Igmp::parse(&[0x13; 8]), Err(WireError::Foreign { layer: Layer::Igmp }));
    }
}
