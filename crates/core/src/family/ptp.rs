//! Clocks announce themselves every other second to a group (IEEE 1588-2008, section 7.7.2.2).

use lantern_wire::WireError;
use lantern_wire::ptp::Announce;

use crate::census::Told;

/// What a datagram to the general port tells.
pub(super) fn told(bytes: &[u8]) -> Result<Option<Told>, WireError> {
    Ok(Announce::parse(bytes)?.map(|announce| Told::Clock(Box::new(announce))))
}
