//! Runs of addresses.

use std::collections::BTreeSet;
use std::fmt;
use std::net::Ipv4Addr;
use std::str::FromStr;

use super::Subnet;

/// Every address from the first to the last, both included.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct AddressRange {
    first: Ipv4Addr,
    last: Ipv4Addr,
}

/// The text is no range of addresses.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum RangeError {
    /// None of the three ways to write one.
    #[error("a range is written 10.40.1.0/24, or 10.40.0.1-10.40.0.49, or as one address")]
    Unreadable,
    /// The last address comes before the first.
    #[error("the range runs backwards: {first} comes after {last}")]
    Backwards {
        /// The address before the dash.
        first: Ipv4Addr,
        /// The address after it.
        last: Ipv4Addr,
    },
}

impl AddressRange {
    /// The range between two addresses, in whichever order they come.
    #[must_use]
    pub fn between(a: Ipv4Addr, b: Ipv4Addr) -> Self {
        Self { first: a.min(b), last: a.max(b) }
    }

    /// The first address.
    #[must_use]
    pub const fn first(self) -> Ipv4Addr {
        self.first
    }

    /// The last address.
    #[must_use]
    pub const fn last(self) -> Ipv4Addr {
        self.last
    }

    /// Whether `address` is one of them.
    #[must_use]
    pub fn contains(self, address: Ipv4Addr) -> bool {
        (self.first..=self.last).contains(&address)
    }

    /// How many addresses it has.
    #[must_use]
    pub fn len(self) -> u64 {
        u64::from(self.last.to_bits() - self.first.to_bits()) + 1
    }

    /// A range has at least one address.
    #[must_use]
    pub const fn is_empty(self) -> bool {
        false
    }

    /// The address so many places after the first.
    #[must_use]
    pub fn nth(self, n: u64) -> Option<Ipv4Addr> {
        let bits = u64::from(self.first.to_bits()) + n;
        (n < self.len()).then(|| u32::try_from(bits).map(Ipv4Addr::from_bits).ok())?
    }

    /// What is left of it without `other`: none, one or two pieces.
    #[must_use]
    pub fn without(self, other: &Self) -> Vec<Self> {
        let (first, last) = (self.first.to_bits(), self.last.to_bits());
        let (cut_first, cut_last) = (other.first.to_bits(), other.last.to_bits());
        if cut_last < first || last < cut_first {
            return vec![self];
        }
        let piece = |a: u32, b: u32| Self::between(Ipv4Addr::from_bits(a), Ipv4Addr::from_bits(b));
        let before = (first < cut_first).then(|| piece(first, cut_first - 1));
        let after = (cut_last < last).then(|| piece(cut_last + 1, last));
        before.into_iter().chain(after).collect()
    }

    /// Whether all of `other` lies within.
    #[must_use]
    pub fn covers(self, other: Self) -> bool {
        self.first <= other.first && other.last <= self.last
    }
}

impl AddressRange {
    /// These addresses, neighbours together, in their order.
    #[must_use]
    pub fn runs(addresses: impl IntoIterator<Item = Ipv4Addr>) -> Vec<Self> {
        let addresses: BTreeSet<Ipv4Addr> = addresses.into_iter().collect();
        let mut runs: Vec<Self> = Vec::new();
        for address in addresses {
            match runs.last_mut() {
                Some(run) if run.last.to_bits().checked_add(1) == Some(address.to_bits()) => run.last = address,
                _ => runs.push(address.into()),
            }
        }
        runs
    }
}

impl From<Ipv4Addr> for AddressRange {
    /// One address.
    fn from(address: Ipv4Addr) -> Self {
        Self { first: address, last: address }
    }
}

impl From<Subnet> for AddressRange {
    fn from(subnet: Subnet) -> Self {
        Self::between(subnet.network(), subnet.broadcast())
    }
}

impl FromStr for AddressRange {
    type Err = RangeError;

    fn from_str(text: &str) -> Result<Self, RangeError> {
        if let Ok(subnet) = text.parse::<Subnet>() {
            return Ok(subnet.into());
        }
        let (first, last) = text.split_once('-').unwrap_or((text, text));
        let address = |part: &str| part.trim().parse().map_err(|_| RangeError::Unreadable);
        let (first, last) = (address(first)?, address(last)?);
        if first <= last { Ok(Self { first, last }) } else { Err(RangeError::Backwards { first, last }) }
    }
}

impl fmt::Display for AddressRange {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.first == self.last { self.first.fmt(f) } else { write!(f, "{}-{}", self.first, self.last) }
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case("10.40.1.0/24", "10.40.1.0", "10.40.1.255")]
    #[case("10.40.0.1-10.40.0.49", "10.40.0.1", "10.40.0.49")]
    #[case("10.40.0.1 - 10.40.0.49", "10.40.0.1", "10.40.0.49")]
    #[case("10.40.0.7", "10.40.0.7", "10.40.0.7")]
    fn ranges_hold_their_ends(#[case] text: &str, #[case] first: Ipv4Addr, #[case] last: Ipv4Addr) {
        let range: AddressRange = text.parse().unwrap();
        assert_eq!((range.first(), range.last()), (first, last));
        assert!(range.contains(first) && range.contains(last));
        let after = Ipv4Addr::from_bits(last.to_bits() + 1);
        assert!(!range.contains(after));
    }

    #[test]
    fn neighbours_stand_together_in_whatever_order_they_come() {
        let all = ["255.255.255.255", "10.40.1.4", "10.40.1.2", "10.40.1.1", "255.255.255.254", "10.40.1.2"];
        let runs = AddressRange::runs(all.map(|address| address.parse().unwrap()));
        let shown: Vec<String> = runs.iter().map(ToString::to_string).collect();
        assert_eq!(shown, ["10.40.1.1-10.40.1.2", "10.40.1.4", "255.255.255.254-255.255.255.255"]);
    }

    #[rstest]
    #[case("10.40.0.49-10.40.0.1", "the range runs backwards: 10.40.0.49 comes after 10.40.0.1")]
    #[case("10.40.0", "a range is written 10.40.1.0/24, or 10.40.0.1-10.40.0.49, or as one address")]
    #[case("10.40.1.0/33", "a range is written 10.40.1.0/24, or 10.40.0.1-10.40.0.49, or as one address")]
    fn a_wrong_range_says_why(#[case] text: &str, #[case] message: &str) {
        assert_eq!(text.parse::<AddressRange>().unwrap_err().to_string(), message);
    }
}
