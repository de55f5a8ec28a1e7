//! sACN's universe number (ANSI E1.31, section 6.2.7).

use std::fmt;
use std::net::Ipv4Addr;

use super::{OutOfRange, PortAddress};

/// A universe of streaming ACN, 1 to 63999. There is no universe 0.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct SacnUniverse(u16);

impl SacnUniverse {
    /// From its number.
    ///
    /// # Errors
    /// When it is 0 or above 63999.
    pub fn new(number: u64) -> Result<Self, OutOfRange> {
        OutOfRange::check("sACN universe", number, 1, 63999).map(Self)
    }

    /// Its number.
    #[must_use]
    pub const fn number(self) -> u16 {
        self.0
    }

    /// The multicast group its data is sent to (ANSI E1.31, section 9.3.1).
    #[must_use]
    pub const fn group(self) -> Ipv4Addr {
        let [hi, lo] = self.0.to_be_bytes();
        Ipv4Addr::new(239, 255, hi, lo)
    }

    /// The Port-Address of the same number; `None` above 32767.
    #[must_use]
    pub fn port_address(self) -> Option<PortAddress> {
        PortAddress::new(self.0.into()).ok()
    }
}

impl From<PortAddress> for Option<SacnUniverse> {
    /// The sACN universe of the same number; Port-Address 0 has none.
    fn from(address: PortAddress) -> Self {
        SacnUniverse::new(address.flat().into()).ok()
    }
}

impl fmt::Display for SacnUniverse {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "sacn {}", self.0)
    }
}
