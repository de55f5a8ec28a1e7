//! The leases on disk: a line for each that was given or came to its end. These types are the file's own.

use std::collections::BTreeMap;
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;
use serde::{Deserialize, Serialize};

use crate::as_text;

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
    #[serde(serialize_with = "as_text::serialize", deserialize_with = "as_text::deserialize")]
    pub mac: MacAddress,
    /// Which device of the sheet it is taken for; `None` for a stranger.
    pub node: Option<String>,
    /// The address.
    pub address: Ipv4Addr,
    /// For how many seconds; 0 where it was given back.
    pub seconds: u32,
}

/// Why a file of leases cannot be gone by.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum LeaseLineError {
    /// It has lines of a later version of this program.
    #[error("line {line} was written by a later version of this program (format {format})")]
    Later {
        /// Which line, from 1.
        line: usize,
        /// Its format.
        format: u64,
    },
}

/// What somebody was given the last time.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct GivenBefore {
    /// Which device of the sheet it was taken for; `None` for a stranger.
    pub node: Option<String>,
    /// The address.
    pub address: Ipv4Addr,
    /// When, in UTC (RFC 3339).
    pub at: String,
    /// For how many seconds; 0 where it was given back.
    pub seconds: u32,
}

/// What everybody was given last, and how many lines could not be read: a power cut may tear off the line that was being
/// written, after which nothing was given.
///
/// # Errors
/// When there are lines of a later version: what they mean cannot be known.
pub fn read_leases(text: &str) -> Result<(BTreeMap<MacAddress, GivenBefore>, usize), LeaseLineError> {
    let mut given = BTreeMap::new();
    let mut torn = 0;
    for (place, line) in text.lines().enumerate().filter(|(_, line)| !line.trim().is_empty()) {
        let Ok(value) = serde_json::from_str::<serde_json::Value>(line) else {
            torn += 1;
            continue;
        };
        if let Some(format) = value["format"].as_u64().filter(|format| *format > FORMAT.into()) {
            return Err(LeaseLineError::Later { line: place + 1, format });
        }
        match LeaseLine::deserialize(value) {
            Ok(LeaseLine { at, mac, node, address, seconds, .. }) => {
                given.insert(mac, GivenBefore { node, address, at, seconds });
            }
            Err(_) => torn += 1,
        }
    }
    Ok((given, torn))
}
