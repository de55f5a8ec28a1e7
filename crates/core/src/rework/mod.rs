//! Reworking a sheet as people ask for it: names in series, areas moved, universes shifted. Each gives the edits that
//! do it; whoever asked sees them before anything is written.

mod exchange;
mod macs;
mod rename;
mod renumber;
mod resettle;
mod series;
mod uids;

pub use exchange::{Exchange, Unit, exchange};
pub use macs::with_macs;
pub use rename::rename;
pub use renumber::{Renumbered, renumber};
pub use resettle::{Goal, resettle};
pub use series::{Series, SeriesError};
pub use uids::{InRow, with_uids};

/// Why a sheet cannot be reworked as asked.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ReworkError {
    /// Nothing has a name of this pattern.
    #[error("nothing on the sheet is named {0:?}")]
    NoneNamed(String),
    /// The series has another number of names than there are things to name.
    #[error("{pattern:?} means {found} names, but the series has {given}")]
    OtherCount {
        /// The pattern asked for.
        pattern: String,
        /// How many there are.
        found: usize,
        /// How many names the series has.
        given: usize,
    },
    /// No kind is called so.
    #[error("no kind is called {0}; there are {1}")]
    NoKind(String, String),
    /// A port that the new kind has not is written within the node's own table.
    #[error("{0} port {1} is not written as a [[node.port]] table of its own: take it off by hand first")]
    NoTable(String, u32),
    /// The area has no block of addresses that could be moved.
    #[error("{0} has no range, so there is nothing to move")]
    NoRange(String),
    /// Something stands outside the new block.
    #[error("{name} at {address} does not fit into {into}")]
    NoFit {
        /// What does not fit.
        name: String,
        /// Its address now.
        address: std::net::Ipv4Addr,
        /// The new block.
        into: crate::address::AddressRange,
    },
    /// The new block lies in no network of the sheet.
    #[error("{0} lies in no network of the sheet")]
    NoNetwork(crate::address::AddressRange),
    /// A universe would leave what the standard allows.
    #[error("{place}: {universe} cannot be shifted by {by:+}")]
    OffTheEnd {
        /// Where it stands.
        place: String,
        /// The universe now.
        universe: String,
        /// How far it was to go.
        by: i32,
    },
}

#[cfg(test)]
mod tests;
