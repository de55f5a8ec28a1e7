//! How people write universes.

use std::fmt;

use super::{OutOfRange, PortAddress, SacnUniverse};
use crate::Protocol;

/// A universe of either protocol.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Universe {
    /// Of Art-Net.
    ArtNet(PortAddress),
    /// Of streaming ACN.
    Sacn(SacnUniverse),
}

/// What the desk calls the first universe.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub enum DeskBase {
    /// Port-Address 0 is the desk's universe 0.
    Zero,
    /// Port-Address 0 is the desk's universe 1.
    #[default]
    One,
}

/// The text names no universe.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum UniverseError {
    /// None of the notations.
    #[error("a universe is written 1:1:0 (net:sub:universe), 272, 0x110, sacn 273 or desk 273")]
    Unreadable,
    /// Two numbers where three are needed.
    #[error("{0} has two parts, net:sub:universe has three; write 0:{0} if the net is 0")]
    TwoParts(String),
    /// A block whose end comes before its beginning.
    #[error("a block of universes runs from the lower to the higher, as in 0:0:0-0:1:15")]
    Backwards,
    /// Well written, but no such universe exists.
    #[error(transparent)]
    OutOfRange(#[from] OutOfRange),
}

impl DeskBase {
    /// What the desk calls `address`.
    #[must_use]
    pub fn number(self, address: PortAddress) -> u16 {
        address.flat() + u16::from(self == Self::One)
    }

    /// The Port-Address the desk calls `number`.
    ///
    /// # Errors
    /// When there is none.
    pub fn port_address(self, number: u64) -> Result<PortAddress, OutOfRange> {
        let (first, last) = (u64::from(self == Self::One), self.number(PortAddress::LAST));
        let flat = number.checked_sub(first).filter(|flat| *flat <= PortAddress::LAST.flat().into());
        let out =
            || OutOfRange { part: "desk universe", value: number, first: u16::from(self == Self::One), last };
        flat.ok_or_else(out).and_then(PortAddress::new)
    }
}

impl Universe {
    /// Reads any notation: `1:1:0`, `272`, `0x110`, `sacn 273`, `desk 273` (in the desk's own counting).
    ///
    /// # Errors
    /// When it is none of them, or names a universe that does not exist.
    pub fn read(text: &str, desk: DeskBase) -> Result<Self, UniverseError> {
        let text = text.trim();
        let lower = text.to_ascii_lowercase();
        if let Some(rest) = after_word(&lower, "sacn") {
            return Ok(Self::Sacn(SacnUniverse::new(number(rest)?)?));
        }
        if let Some(rest) = after_word(&lower, "desk") {
            return Ok(Self::ArtNet(desk.port_address(number(rest)?)?));
        }
        if let Some(hex) = lower.strip_prefix("0x") {
            let flat = digits(hex, 16)?;
            return Ok(Self::ArtNet(PortAddress::new(flat)?));
        }
        let parts: Vec<&str> = lower.split(':').collect();
        let address = match parts[..] {
            [flat] => PortAddress::new(number(flat)?)?,
            [net, sub, universe] => PortAddress::from_parts(number(net)?, number(sub)?, number(universe)?)?,
            [a, b] if number(a).is_ok() && number(b).is_ok() => {
                return Err(UniverseError::TwoParts(text.to_owned()));
            }
            _ => return Err(UniverseError::Unreadable),
        };
        Ok(Self::ArtNet(address))
    }

    /// The Port-Address of the same number; `None` for sACN universes above 32767.
    #[must_use]
    pub fn port_address(self) -> Option<PortAddress> {
        match self {
            Self::ArtNet(address) => Some(address),
            Self::Sacn(universe) => universe.port_address(),
        }
    }

    /// The sACN universe of the same number; `None` for Port-Address 0.
    #[must_use]
    pub fn sacn(self) -> Option<SacnUniverse> {
        match self {
            Self::ArtNet(address) => address.into(),
            Self::Sacn(universe) => Some(universe),
        }
    }

    /// The protocol it is asked for by.
    #[must_use]
    pub const fn protocol(self) -> Protocol {
        match self {
            Self::ArtNet(_) => Protocol::ArtNet,
            Self::Sacn(_) => Protocol::Sacn,
        }
    }

    /// Whether it is asked for by sACN.
    #[must_use]
    pub const fn is_sacn(self) -> bool {
        matches!(self, Self::Sacn(_))
    }

    /// The Port-Address by which a node listens to this sACN universe, where its sACN universes are so much above its
    /// Port-Addresses; `None` where they are the same, as of Art-Net 4, and of what is no sACN.
    #[must_use]
    pub fn counted_by(self, offset: u16) -> Option<PortAddress> {
        let Self::Sacn(universe) = self else { return None };
        let own = universe.number().checked_sub(offset).filter(|_| offset > 0)?;
        PortAddress::new(own.into()).ok()
    }
}

fn after_word<'t>(text: &'t str, word: &str) -> Option<&'t str> {
    let rest = text.strip_prefix(word)?;
    Some(rest.trim_start_matches([' ', ':']))
}

fn number(text: &str) -> Result<u64, UniverseError> {
    digits(text, 10)
}

fn digits(text: &str, radix: u32) -> Result<u64, UniverseError> {
    if text.is_empty() || !text.chars().all(|c| c.is_digit(radix)) {
        return Err(UniverseError::Unreadable);
    }
    // More digits than a u64 holds are out of range, not unreadable.
    Ok(u64::from_str_radix(text, radix).unwrap_or(u64::MAX))
}

impl Universe {
    /// The protocol and the universe in its counting: `Art-Net 0:0:1`, `sACN 273`.
    #[must_use]
    pub fn in_words(self) -> String {
        match self {
            Self::ArtNet(address) => format!("Art-Net {address}"),
            Self::Sacn(universe) => format!("sACN {}", universe.number()),
        }
    }
}

impl fmt::Display for Universe {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::ArtNet(address) => address.fmt(f),
            Self::Sacn(universe) => universe.fmt(f),
        }
    }
}

/// Every Port-Address from the first to the last, both included.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct UniverseBlock {
    /// The first.
    pub first: PortAddress,
    /// The last.
    pub last: PortAddress,
}

impl UniverseBlock {
    /// Whether `address` is one of them.
    #[must_use]
    pub fn contains(self, address: PortAddress) -> bool {
        (self.first..=self.last).contains(&address)
    }
}

impl UniverseBlock {
    /// Reads `0:0:0-0:1:15`, two of any notation with a dash between, or one universe alone.
    ///
    /// # Errors
    /// When an end is no universe, or has no Port-Address, or the block runs backwards.
    pub fn read(text: &str, desk: DeskBase) -> Result<Self, UniverseError> {
        let end = |part: &str| Universe::read(part, desk)?.port_address().ok_or(UniverseError::Unreadable);
        let (first, last) = text.split_once('-').unwrap_or((text, text));
        let block = Self { first: end(first)?, last: end(last)? };
        if block.first <= block.last { Ok(block) } else { Err(UniverseError::Backwards) }
    }

    /// Every one of them.
    pub fn iter(self) -> impl Iterator<Item = PortAddress> {
        (self.first.flat()..=self.last.flat()).filter_map(|flat| PortAddress::new(flat.into()).ok())
    }
}

impl fmt::Display for UniverseBlock {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.first == self.last {
            return self.first.fmt(f);
        }
        write!(f, "{} to {}", self.first, self.last)
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    fn read(text: &str) -> Result<Universe, UniverseError> {
        Universe::read(text, DeskBase::One)
    }

    #[rstest]
    #[case("1:1:0", 272)]
    #[case(" 1:1:0 ", 272)]
    #[case("272", 272)]
    #[case("0x110", 272)]
    #[case("0X0110", 272)]
    #[case("desk 273", 272)]
    #[case("desk:273", 272)]
    #[case("0:0:0", 0)]
    #[case("desk 1", 0)]
    #[case("127:15:15", 32767)]
    #[case("32767", 32767)]
    #[case("desk 32768", 32767)]
    fn every_notation_of_a_port_address(#[case] text: &str, #[case] flat: u64) {
        assert_eq!(read(text), Ok(Universe::ArtNet(PortAddress::new(flat).unwrap())));
    }

    #[rstest]
    #[case("sacn 1", 1)]
    #[case("sACN 63999", 63999)]
    #[case("sacn:273", 273)]
    fn every_notation_of_sacn(#[case] text: &str, #[case] number: u64) {
        assert_eq!(read(text), Ok(Universe::Sacn(SacnUniverse::new(number).unwrap())));
    }

    #[rstest]
    #[case("128:0:0", "net is 128, but it runs from 0 to 127")]
    #[case("0:16:0", "sub is 16, but it runs from 0 to 15")]
    #[case("0:0:16", "universe is 16, but it runs from 0 to 15")]
    #[case("32768", "Port-Address is 32768, but it runs from 0 to 32767")]
    #[case("0x8000", "Port-Address is 32768, but it runs from 0 to 32767")]
    #[case("sacn 0", "sACN universe is 0, but it runs from 1 to 63999")]
    #[case("sacn 64000", "sACN universe is 64000, but it runs from 1 to 63999")]
    #[case("desk 0", "desk universe is 0, but it runs from 1 to 32768")]
    #[case("desk 32769", "desk universe is 32769, but it runs from 1 to 32768")]
    #[case("99999999999999999999999", "Port-Address is far too large, but it runs from 0 to 32767")]
    #[case("1:5", "1:5 has two parts, net:sub:universe has three; write 0:1:5 if the net is 0")]
    fn a_universe_that_does_not_exist_says_why(#[case] text: &str, #[case] message: &str) {
        assert_eq!(read(text).unwrap_err().to_string(), message);
    }

    #[rstest]
    fn anything_else_is_unreadable(
        #[values(
            "", "a", "1:2:3:4", "1::2", "-1", "+5", "sacn", "sacn x", "0x", "1.5", "desk", "1:a", "\u{ff11}"
        )]
        text: &str,
    ) {
        assert_eq!(read(text), Err(UniverseError::Unreadable));
    }

    #[rstest]
    #[case(DeskBase::Zero, 0, 0)]
    #[case(DeskBase::Zero, 272, 272)]
    #[case(DeskBase::One, 0, 1)]
    #[case(DeskBase::One, 272, 273)]
    fn desks_count_from_their_base(#[case] base: DeskBase, #[case] flat: u64, #[case] desk: u16) {
        let address = PortAddress::new(flat).unwrap();
        assert_eq!(base.number(address), desk);
        assert_eq!(base.port_address(desk.into()), Ok(address));
    }

    #[rstest]
    #[case(1, "239.255.0.1")]
    #[case(273, "239.255.1.17")]
    #[case(63999, "239.255.249.255")]
    fn groups_carry_the_number(#[case] number: u64, #[case] group: &str) {
        assert_eq!(SacnUniverse::new(number).unwrap().group().to_string(), group);
    }

    #[test]
    fn a_block_has_two_ends_in_order() {
        let block = |text| UniverseBlock::read(text, DeskBase::One);
        let whole = block("0:0:0-0:1:15").unwrap();
        assert!(whole.contains(PortAddress::new(31).unwrap()) && !whole.contains(PortAddress::new(32).unwrap()));
        assert_eq!((whole.iter().count(), block("7").unwrap().iter().count()), (32, 1));
        assert_eq!(block("0:1:0-0:0:0"), Err(UniverseError::Backwards));
    }
}
