//! Other systems: adapters as far as they have addresses. Medium, link, leases and gateways are not told yet.

use std::collections::BTreeMap;

use if_addrs::{IfAddr, IfOperStatus};
use lantern_core::adapter::{Adapter, Holder, Medium, Origin, OwnAddress};
use lantern_core::address::{Mask, Subnet};

use crate::NetError;

pub(crate) fn adapters() -> Result<Vec<Adapter>, NetError> {
    let mut by_name: BTreeMap<String, Adapter> = BTreeMap::new();
    for interface in if_addrs::get_if_addrs().map_err(NetError::Adapters)? {
        let adapter = by_name.entry(interface.name.clone()).or_insert_with(|| Adapter {
            name: interface.name.clone(),
            label: None,
            preferred: false,
            medium: if interface.is_loopback() { Medium::Loopback } else { Medium::Wired },
            on: true,
            link: !matches!(interface.oper_status, IfOperStatus::Down | IfOperStatus::LowerLayerDown),
            speed: None,
            mac: None,
            addresses: Vec::new(),
            gateways: Vec::new(),
        });
        if let IfAddr::V4(v4) = &interface.addr
            && let Ok(mask) = Mask::try_from(v4.netmask)
        {
            let subnet = Subnet::around(v4.ip, mask);
            adapter.addresses.push(OwnAddress { address: v4.ip, subnet, origin: Origin::Unknown });
        }
    }
    Ok(by_name.into_values().collect())
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
