//! Other systems: adapters as far as they have addresses, and no more than that.

use lantern_core::adapter::{Adapter, Holder};

use crate::NetError;
use crate::system::told_by_netdev::adapters_told;

#[allow(clippy::unnecessary_wraps, reason = "the face is that of systems that may refuse")]
pub(crate) fn adapters() -> Result<Vec<Adapter>, NetError> {
    Ok(adapters_told())
}

pub(crate) const fn drops_foreign(_adapter: &str) -> bool {
    false
}

pub(crate) fn holders() -> Vec<Holder> {
    Vec::new()
}

pub(crate) fn name_servers() -> Vec<std::net::IpAddr> {
    Vec::new()
}
