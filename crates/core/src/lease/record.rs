//! The leases on disk: a line for each that was given or came to its end. These types are the file's own.

use std::collections::BTreeMap;
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;
use serde::{Deserialize, Serialize};

use crate::lines::LinesError;
use crate::{as_text, lines};

/// The version of the format.
pub const FORMAT: u32 = 1;

/// One line.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct LeaseLine {
    /// The version of the format.
    pub format: u32,
    /// When, in UTC (RFC 3339).
    pub at: String,
    /// To whom.
    #[serde(with = "as_text")]
    pub mac: MacAddress,
    /// Which device of the sheet it is taken for; `None` for a stranger.
    pub node: Option<String>,
    /// The address.
    pub address: Ipv4Addr,
    /// For how many seconds; 0 where it was given back.
    pub seconds: u32,
}

/// What everybody was given last, and how many lines could not be read: a power cut may tear off the line that was being
/// written, after which nothing was given.
///
/// # Errors
/// When there are lines of a later version: what they mean cannot be known.
pub fn read_leases(text: &str) -> Result<(BTreeMap<MacAddress, LeaseLine>, usize), LinesError> {
    let mut given = BTreeMap::new();
    let mut torn = 0;
    for value in lines::read(text, FORMAT) {
        match value?.and_then(|value| LeaseLine::deserialize(value).ok()) {
            Some(line) => drop(given.insert(line.mac, line)),
            None => torn += 1,
        }
    }
    Ok((given, torn))
}
