//! The system's own table of neighbours.

use std::io;
use std::net::Ipv4Addr;

use lantern_core::MacAddress;
use lantern_core::adapter::{Entry, Held};
use lantern_core::conversation::Neighbour;

use crate::NetError;
use crate::cable::refuse_pretended;
use crate::system::neighbours;

/// Every entry of this adapter.
///
/// # Errors
/// When the system does not tell.
pub fn neighbour_table(adapter: &str) -> Result<Vec<Entry>, NetError> {
    refuse_pretended(adapter)?;
    neighbours::table(adapter).map_err(of(adapter))
}

/// Takes the entry of an address off, pinned or not.
///
/// # Errors
/// When the system refuses.
pub fn drop_neighbour(adapter: &str, address: Ipv4Addr) -> Result<(), NetError> {
    refuse_pretended(adapter)?;
    neighbours::drop_entry(adapter, address).map_err(of(adapter))
}

/// Writes an entry that is never asked about again.
///
/// # Errors
/// When the system refuses.
pub fn pin_neighbour(adapter: &str, address: Ipv4Addr, mac: MacAddress) -> Result<(), NetError> {
    refuse_pretended(adapter)?;
    neighbours::pin(adapter, address, mac).map_err(of(adapter))
}

/// Of a table those that are there as far as the system knows.
pub(crate) fn known(table: &[Entry]) -> Vec<Neighbour> {
    let known = |one: &Entry| {
        let fresh = matches!(one.held, Held::Fresh | Held::Pinned);
        let mac = one.mac.filter(|_| one.held != Held::Unanswered)?;
        Some(Neighbour { address: one.address, mac, fresh })
    };
    table.iter().filter_map(known).collect()
}

fn of(adapter: &str) -> impl FnOnce(io::Error) -> NetError {
    let adapter = adapter.to_owned();
    |source| NetError::Neighbours { adapter, source }
}
