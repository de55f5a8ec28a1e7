//! Other systems: not yet. `adapters` shows what there is; changing it is left to the system's own settings.

use lantern_core::adapter::{AdapterState, Move};

use crate::NetError;

/// That the system looks for others at an address before it speaks from there.
pub(crate) const DETECTS_DUPLICATES: bool = false;

pub(crate) fn state(_adapter: &str) -> Result<AdapterState, NetError> {
    Err(NetError::NotOnThisSystem("reading and changing an adapter's addresses"))
}

pub(crate) fn carry_out(_adapter: &str, _moves: &[Move]) -> Result<(), NetError> {
    Err(NetError::NotOnThisSystem("changing an adapter's addresses"))
}

pub(crate) fn missing_rights() -> Vec<&'static str> {
    vec!["changing this computer's addresses, which is not possible from here on this system yet"]
}

pub(crate) fn start_mark() -> String {
    String::new()
}
