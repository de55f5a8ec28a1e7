//! The system's table of neighbours, by PowerShell. It is read only: pinning an entry asks for an administrator and another syntax.

use std::io;
use std::net::Ipv4Addr;

use lantern_core::MacAddress;
use lantern_core::adapter::Entry;
use lantern_core::conversation::Neighbour;

use super::answers;
use super::shell::{powershell, quoted};
use crate::neighbours::known;

/// That it can be read at all.
pub(crate) const IS_TOLD: bool = true;

/// What the system knows of the neighbours on this adapter; nothing where it does not tell.
pub(crate) async fn neighbours(adapter: &str) -> Vec<Neighbour> {
    let adapter = adapter.to_owned();
    // The command takes its time, in which the conversation goes on.
    let read = tokio::task::spawn_blocking(move || table(&adapter)).await;
    known(&read.ok().and_then(Result::ok).unwrap_or_default())
}

pub(crate) fn table(adapter: &str) -> io::Result<Vec<Entry>> {
    let script = format!(
        "ConvertTo-Json -Compress -InputObject @(Get-NetNeighbor -AddressFamily IPv4 -InterfaceAlias {} | \
         ForEach-Object {{ @{{ IPAddress = $_.IPAddress; LinkLayerAddress = $_.LinkLayerAddress; State = [int]$_.State }} }})",
        quoted(adapter)
    );
    powershell(&script).map(|json| answers::neighbours(&json))
}

pub(crate) fn drop_entry(_adapter: &str, _address: Ipv4Addr) -> io::Result<()> {
    Err(io::ErrorKind::Unsupported.into())
}

pub(crate) fn pin(_adapter: &str, _address: Ipv4Addr, _mac: MacAddress) -> io::Result<()> {
    Err(io::ErrorKind::Unsupported.into())
}
