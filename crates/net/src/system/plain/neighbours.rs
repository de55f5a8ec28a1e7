//! Other systems: the table of neighbours is not read.

use std::io;
use std::net::Ipv4Addr;

use lantern_core::MacAddress;
use lantern_core::adapter::Entry;
use lantern_core::conversation::Neighbour;

use crate::neighbours::known;

/// That it can be read at all.
pub(crate) const IS_TOLD: bool = false;

/// What the system knows of the neighbours on this adapter; nothing where it does not tell.
pub(crate) async fn neighbours(adapter: &str) -> Vec<Neighbour> {
    known(&table(adapter).unwrap_or_default())
}

pub(crate) fn table(_adapter: &str) -> io::Result<Vec<Entry>> {
    Err(io::ErrorKind::Unsupported.into())
}

pub(crate) fn drop_entry(_adapter: &str, _address: Ipv4Addr) -> io::Result<()> {
    Err(io::ErrorKind::Unsupported.into())
}

pub(crate) fn pin(_adapter: &str, _address: Ipv4Addr, _mac: MacAddress) -> io::Result<()> {
    Err(io::ErrorKind::Unsupported.into())
}
