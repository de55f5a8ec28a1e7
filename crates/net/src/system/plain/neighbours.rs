//! Other systems: the table of neighbours is not read.

use lantern_core::conversation::Neighbour;

/// Nothing: the system is not asked.
pub(crate) async fn neighbours(_adapter: &str) -> Vec<Neighbour> {
    Vec::new()
}
