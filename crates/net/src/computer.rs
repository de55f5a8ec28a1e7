//! What this computer is: its adapters, and who holds the Art-Net port.

use lantern_core::adapter::Computer;

use crate::system::computer;
use crate::{NetError, cable};

/// Whether the system drops what comes in from addresses it would not answer through the same adapter (reverse path
/// filter, RFC 3704): then nodes in other subnets are heard only by raw frames.
#[must_use]
pub fn drops_foreign(adapter: &str) -> bool {
    !cable::is_pretended(adapter) && computer::drops_foreign(adapter)
}

/// Looks at this computer as it is now.
///
/// # Errors
/// When the system does not tell its adapters.
pub fn computer() -> Result<Computer, NetError> {
    if let Some(plugged_in) = cable::computer() {
        return Ok(plugged_in);
    }
    let mut adapters = computer::adapters()?;
    // The cables first, loopback last: the order in which a person looks for the rig.
    adapters.sort_by(|a, b| (a.medium, &a.name).cmp(&(b.medium, &b.name)));
    Ok(Computer { adapters, holders: computer::holders(), name_servers: computer::name_servers() })
}
