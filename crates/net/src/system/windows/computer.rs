//! The adapters by the IP helper interface, their gateways by `route print`, who holds the Art-Net port by PowerShell.

use std::net::IpAddr;

use lantern_core::ART_NET_PORT;
use lantern_core::adapter::{Adapter, Holder};

use super::answers;
use super::shell::{powershell, said};
use crate::NetError;
use crate::system::told_by_netdev::adapters_told;

pub(crate) fn adapters() -> Result<Vec<Adapter>, NetError> {
    let mut all = adapters_told();
    // Where the command is missing no gateway is known, and nothing else is worse for it.
    let gateways = answers::gateways(&said("route", &["print", "-4", "0.0.0.0"]).unwrap_or_default());
    for adapter in &mut all {
        let is_own = |by| adapter.addresses.iter().any(|own| own.address == by);
        adapter.gateways = gateways.iter().filter(|(_, by)| is_own(*by)).map(|(gateway, _)| *gateway).collect();
    }
    Ok(all)
}

/// The system forwards to a program whatever comes to its address, from wherever.
pub(crate) const fn drops_foreign(_adapter: &str) -> bool {
    false
}

pub(crate) fn holders() -> Vec<Holder> {
    let script = format!(
        "ConvertTo-Json -Compress -InputObject @(Get-NetUDPEndpoint -LocalPort {ART_NET_PORT} -ErrorAction SilentlyContinue | \
         ForEach-Object {{ @{{ LocalAddress = $_.LocalAddress; Program = (Get-Process -Id $_.OwningProcess -ErrorAction \
         SilentlyContinue).ProcessName }} }})"
    );
    let told = answers::holders(&powershell(&script).unwrap_or_default());
    told.into_iter()
        .map(|(address, program)| Holder { program: program.map(|name| name.as_str().into()), address })
        .collect()
}

/// Not asked: they are those of many adapters, and none of the rig's.
pub(crate) fn name_servers() -> Vec<IpAddr> {
    Vec::new()
}
