//! Changing what an adapter is set to.

use lantern_core::adapter::{AdapterState, Move};

use crate::NetError;
use crate::cable::refuse_pretended;
use crate::system::addressing;

/// What the adapter is set to now.
///
/// # Errors
/// When there is no such adapter, or the system does not tell.
pub fn adapter_state(adapter: &str) -> Result<AdapterState, NetError> {
    refuse_pretended(adapter)?;
    addressing::state(adapter)
}

/// Makes these moves, one after the other, and stops at the first that the system refuses.
///
/// # Errors
/// When the system refuses one.
pub fn carry_out(adapter: &str, moves: &[Move]) -> Result<(), NetError> {
    refuse_pretended(adapter)?;
    addressing::carry_out(adapter, moves)
}

/// The rights that changing addresses and probing need and this program has not, in words.
#[must_use]
pub fn missing_rights() -> Vec<&'static str> {
    addressing::missing_rights()
}

/// Whether the system asks the network by itself whether anybody else holds an address that it is given (RFC 5227), and refuses it then:
/// there nobody needs to be asked by frames.
#[must_use]
pub const fn detects_duplicates() -> bool {
    addressing::DETECTS_DUPLICATES
}

/// Tells one start of this computer from another: what was set before the last start is gone.
#[must_use]
pub fn start_mark() -> String {
    addressing::start_mark()
}
