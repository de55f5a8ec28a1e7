//! Other systems: not yet. `adapters` shows what there is; changing it is left to the system's own settings.

use lantern_core::adapter::{AdapterState, Move};

use crate::NetError;

pub(super) fn state(_adapter: &str) -> Result<AdapterState, NetError> {
    Err(NetError::NotOnThisSystem("reading and changing an adapter's addresses"))
}

pub(super) fn carry_out(_adapter: &str, _moves: &[Move]) -> Result<(), NetError> {
    Err(NetError::NotOnThisSystem("changing an adapter's addresses"))
}

pub(super) fn missing_rights() -> Vec<&'static str> {
    Vec::new()
}

pub(super) fn start_mark() -> String {
    String::new()
}
