//! The search by UDP (section 3 of class 2).

use crate::{Layer, MacAddress, WireError};

/// The datagram that asks everybody.
pub const SEARCH: &[u8] = b"%2SRCH\r";

/// What a datagram of a search says.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Found {
    /// Somebody searches.
    Search,
    /// A device is here: it answers, or it has just started, or tells that its power or input has changed.
    Device(Option<MacAddress>),
}

impl Found {
    /// Reads a datagram.
    ///
    /// # Errors
    /// When it is none of PJLink's.
    pub fn parse(datagram: &[u8]) -> Result<Self, WireError> {
        let foreign = WireError::Foreign { layer: Layer::Pjlink };
        let text = str::from_utf8(datagram).map_err(|_| foreign)?.trim_end_matches(['\r', '\n']);
        let upper = text.to_ascii_uppercase();
        if upper == "%2SRCH" {
            return Ok(Self::Search);
        }
        let told = upper.strip_prefix("%2").ok_or(foreign)?;
        match told.split_once('=') {
            Some(("ACKN" | "LKUP", mac)) => mac.parse().map(|mac| Self::Device(Some(mac))).map_err(|_| foreign),
            Some(("ERST" | "POWR" | "INPT", _)) => Ok(Self::Device(None)),
            _ => Err(foreign),
        }
    }

    /// The answer of a device with this MAC address.
    #[must_use]
    pub fn ack(mac: MacAddress) -> Vec<u8> {
        format!("%2ACKN={mac}\r").into_bytes()
    }
}
