//! Group membership (IGMP; RFC 2236, RFC 3376): who asks, and who wants which group.
//!
//! ```text
//! 0  1  11 query, 12/16/22 report, 17 leave     4  4  group; all zero in a general query
//! 1  1  response time in tenths of a second     8  4  query of version 3 only: flags, interval, sources
//! ```
//!
//! A report of version 3 (22; RFC 3376, section 4.2) has the number of its records in bytes 6 and 7, and from 8 on for each: its
//! sort, the length of what is behind it in words of four bytes, the number of sources in two, the group, the sources.

use std::net::Ipv4Addr;

use crate::{Layer, WireError};

/// The IP protocol number.
pub const PROTOCOL: u8 = 2;
/// Where general queries go.
pub const EVERY_HOST: Ipv4Addr = Ipv4Addr::new(224, 0, 0, 1);

/// Where reports of version 3 go.
pub const REPORTS: Ipv4Addr = Ipv4Addr::new(224, 0, 0, 22);

const FIXED: usize = 8;
/// A record of a report of version 3, without sources.
const RECORD: usize = 8;

/// A message of a kind that is understood.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Igmp {
    /// Who wants this group? For a general query, any group.
    Query {
        /// The group asked for; `None` for every group.
        group: Option<Ipv4Addr>,
        /// 1, 2 or 3.
        version: u8,
    },
    /// What its sender wants to hear.
    Membership {
        /// Groups it wants.
        wants: Vec<Ipv4Addr>,
        /// Groups it wants no longer.
        leaves: Vec<Ipv4Addr>,
    },
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
            0x12 | 0x16 => Ok(Self::Membership { wants: vec![group], leaves: Vec::new() }),
            0x17 => Ok(Self::Membership { wants: Vec::new(), leaves: vec![group] }),
            0x22 => records(payload, u16::from_be_bytes([m[6], m[7]])),
            _ => Err(WireError::Foreign { layer: Layer::Igmp }),
        }
    }

    /// A report of version 3 (RFC 3376, section 4.2) that these groups are wanted, from whatever source; at most 180 of them, which is
    /// what fits into a frame.
    #[must_use]
    pub fn report(groups: &[Ipv4Addr]) -> Vec<u8> {
        const MOST: usize = 180;
        let groups = &groups[..groups.len().min(MOST)];
        let mut out = vec![0x22, 0, 0, 0, 0, 0, 0, groups.len() as u8];
        for group in groups {
            // Nothing but what is excluded: everything.
            out.extend([2, 0, 0, 0]);
            out.extend(group.octets());
        }
        let sum =
            out.chunks_exact(2).fold(0_u32, |sum, pair| sum + u32::from(u16::from_be_bytes([pair[0], pair[1]])));
        let folded = (sum & 0xffff) + (sum >> 16);
        let check = !((folded & 0xffff) as u16 + (folded >> 16) as u16);
        out[2..4].copy_from_slice(&check.to_be_bytes());
        out
    }

    /// A general query of version 2 (RFC 2236, section 2).
    #[must_use]
    pub const fn general_query() -> [u8; FIXED] {
        // Ten seconds to answer; the checksum of a message that is otherwise zero is its complement.
        let [high, low] = (!0x1164_u16).to_be_bytes();
        [0x11, 100, high, low, 0, 0, 0, 0]
    }
}

/// The records of a report of version 3 (RFC 3376, sections 4.2.4 and 4.2.12).
fn records(payload: &[u8], count: u16) -> Result<Igmp, WireError> {
    let (mut wants, mut leaves) = (Vec::new(), Vec::new());
    let mut offset = FIXED;
    for _ in 0..count {
        let short = WireError::Short {
            layer: Layer::Igmp,
            offset,
            needed: RECORD,
            available: payload.len().saturating_sub(offset),
        };
        let record: &[u8; RECORD] = payload.get(offset..).and_then(<[u8]>::first_chunk).ok_or(short)?;
        let group = Ipv4Addr::new(record[4], record[5], record[6], record[7]);
        let sources = usize::from(u16::from_be_bytes([record[2], record[3]]));
        match (record[0], sources) {
            // All but some sources; or some sources; or some more.
            (2 | 4, _) | (1 | 3 | 5, 1..) => wants.push(group),
            (1 | 3, 0) => leaves.push(group),
            _ => {}
        }
        offset += RECORD + 4 * (sources + usize::from(record[1]));
    }
    Ok(Igmp::Membership { wants, leaves })
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
    #[case(&[0x16, 0, 0, 0, 239, 255, 0, 1], membership(&[1], &[]))]
    #[case(&[0x12, 0, 0, 0, 239, 255, 0, 1], membership(&[1], &[]))]
    #[case(&[0x17, 0, 0, 0, 239, 255, 0, 1], membership(&[], &[1]))]
    // Three records: one left, one with a source and something behind it, one with nothing excluded.
    #[case(
        &[0x22, 0, 0, 0, 0, 0, 0, 3, 3, 0, 0, 0, 239, 255, 0, 1, 1, 1, 0, 1, 239, 255, 0, 2, 10, 0, 0, 1, 9, 9, 9, 9,
          4, 0, 0, 0, 239, 255, 0, 3],
        membership(&[2, 3], &[1])
    )]
    #[case(&[0x22, 0, 0, 0, 0, 0, 0, 2, 6, 0, 0, 0, 239, 255, 0, 1, 5, 0, 0, 1, 239, 255, 0, 2, 10, 0, 0, 1], membership(&[2], &[]))]
    #[case(&[0x22, 0, 0, 0, 0, 0, 0, 0], membership(&[], &[]))]
    fn messages_are_told_apart(#[case] bytes: &[u8], #[case] expected: Igmp) {
        assert_eq!(Igmp::parse(bytes), Ok(expected));
    }

    fn membership(wants: &[u8], leaves: &[u8]) -> Igmp {
        let groups = |last: &[u8]| last.iter().map(|last| Ipv4Addr::new(239, 255, 0, *last)).collect();
        Igmp::Membership { wants: groups(wants), leaves: groups(leaves) }
    }

    #[test]
    fn a_report_is_read_as_it_was_written_and_no_part_of_it_is_one() {
        let groups: Vec<Ipv4Addr> = (0..200).map(|i| Ipv4Addr::new(239, 69, 0, i)).collect();
        for count in [0, 1, 180, 200] {
            let report = Igmp::report(&groups[..count]);
            let wants = groups[..count.min(180)].to_vec();
            assert_eq!(Igmp::parse(&report), Ok(Igmp::Membership { wants, leaves: Vec::new() }));
            assert!((0..report.len()).all(|cut| Igmp::parse(&report[..cut]).is_err()));
            let sum: u32 = report.chunks(2).map(|pair| u32::from(u16::from_be_bytes([pair[0], pair[1]]))).sum();
            assert_eq!((sum & 0xffff) + (sum >> 16), 0xffff, "{count}");
        }
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
