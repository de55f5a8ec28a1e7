//! An adapter's addresses and routes, read and changed by PowerShell. The system asks the network by itself whether anybody else holds
//! an address that it is given (RFC 5227), and says so.

use lantern_core::adapter::{AdapterState, Move};

use super::shell::powershell;
use super::{answers, orders};
use crate::NetError;

/// That the system looks for others at an address before it speaks from there.
pub(crate) const DETECTS_DUPLICATES: bool = true;

pub(crate) fn state(adapter: &str) -> Result<AdapterState, NetError> {
    let told = powershell(&orders::to_read(adapter)).and_then(|json| answers::state(&json, adapter));
    told.map_err(|source| NetError::Addressing { adapter: adapter.to_owned(), source })
}

pub(crate) fn carry_out(adapter: &str, moves: &[Move]) -> Result<(), NetError> {
    if moves.is_empty() {
        return Ok(());
    }
    let failed = |source| NetError::Addressing { adapter: adapter.to_owned(), source };
    if let Some(leased) = moves.iter().find_map(answers::leased) {
        return Err(NetError::OfDhcp { adapter: adapter.to_owned(), address: leased });
    }
    let said = powershell(&orders::to_make(adapter, moves)).map_err(failed)?;
    match answers::duplicates(&said).first() {
        Some(address) => Err(NetError::HeldElsewhere { adapter: adapter.to_owned(), address: *address }),
        None => Ok(()),
    }
}

pub(crate) fn missing_rights() -> Vec<&'static str> {
    let may = powershell(orders::TO_KNOW_RIGHTS).is_ok_and(|said| said.trim() == "True");
    if may { Vec::new() } else { vec!["changing addresses"] }
}

pub(crate) fn start_mark() -> String {
    powershell(orders::TO_KNOW_START).map(|said| said.trim().to_owned()).unwrap_or_default()
}
