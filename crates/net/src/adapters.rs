//! The network adapters of this computer, as far as they have addresses.

use std::collections::BTreeMap;

use if_addrs::{IfAddr, IfOperStatus};
use lantern_core::adapter::Adapter;
use lantern_core::address::{Mask, Subnet};

use crate::NetError;

/// Every adapter that has an address, by name.
///
/// # Errors
/// When the system does not tell.
pub fn adapters() -> Result<Vec<Adapter>, NetError> {
    let mut by_name: BTreeMap<String, Adapter> = BTreeMap::new();
    for interface in if_addrs::get_if_addrs().map_err(NetError::Adapters)? {
        let adapter = by_name.entry(interface.name.clone()).or_insert_with(|| Adapter {
            name: interface.name.clone(),
            loopback: interface.is_loopback(),
            // Loopback and some tunnels report "unknown", and work.
            up: !matches!(interface.oper_status, IfOperStatus::Down | IfOperStatus::LowerLayerDown),
            addresses: Vec::new(),
        });
        if let IfAddr::V4(v4) = &interface.addr
            && let Ok(mask) = Mask::try_from(v4.netmask)
        {
            adapter.addresses.push((v4.ip, Subnet::around(v4.ip, mask)));
        }
    }
    Ok(by_name.into_values().collect())
}
