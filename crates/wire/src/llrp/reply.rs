//! The answer to a probe (E1.33, section 5.4.2.2): identifier 6, MAC address 6, sort of component 1.

use core::fmt;

use super::HEAD;
use crate::rdm::Uid;
use crate::{Layer, MacAddress, WireError};

const LENGTH: usize = 13;

/// Somebody is there.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct ProbeReply {
    /// Its identifier.
    pub uid: Uid,
    /// The lowest of its MAC addresses.
    pub mac: MacAddress,
    /// What sort of component it is.
    pub component: Component,
}

/// A sort of component.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Component(pub u8);

impl Component {
    /// A device with something to set.
    pub const DEVICE: Self = Self(0);
    /// A desk or a program.
    pub const CONTROLLER: Self = Self(1);
    /// Passes messages between the others.
    pub const BROKER: Self = Self(2);
}

impl fmt::Display for Component {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match *self {
            Self::DEVICE => f.write_str("device"),
            Self::CONTROLLER => f.write_str("controller"),
            Self::BROKER => f.write_str("broker"),
            Self(code) => write!(f, "component {code}"),
        }
    }
}

impl ProbeReply {
    pub(super) fn parse(data: &[u8]) -> Result<Self, WireError> {
        let layer = Layer::Llrp;
        let short = WireError::Short { layer, offset: HEAD, needed: LENGTH, available: data.len() };
        let bytes: &[u8; LENGTH] = data.first_chunk().ok_or(short)?;
        let six = |from: usize| core::array::from_fn(|i| bytes[from + i]);
        Ok(Self { uid: Uid(six(0)), mac: MacAddress(six(6)), component: Component(bytes[12]) })
    }

    pub(super) fn to_bytes(self) -> Vec<u8> {
        [&self.uid.0[..], &self.mac.0, &[self.component.0]].concat()
    }
}

impl fmt::Display for ProbeReply {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "LLRP {} {} at {}", self.component, self.uid, self.mac)
    }
}
