//! What `join` and `dhcp` share: ask first, keep what was there, take, look whether it holds, go back.

use std::net::Ipv4Addr;

use lantern_core::MacAddress;
use lantern_core::adapter::{AdapterState, duplicate_finding, moves, taken_finding};
use lantern_core::conversation::{Claim, Taken};
use lantern_core::finding::Finding;
use lantern_core::sheet::RigSheet;
use lantern_net::{adapter_state, carry_out, detects_duplicates, missing_rights};

use super::kept::Kept;
use crate::failure::Failure;
use crate::output::{Out, findings};
use crate::session::run_frames;

/// Refuses before anything is done, never half way: where the system does not let it be done at all, and without rights.
pub(super) fn refuse_impossible(adapter: &str) -> Result<(), Failure> {
    adapter_state(adapter)?;
    refuse_without_rights()
}

/// Refuses before anything is done, never half way.
pub(super) fn refuse_without_rights() -> Result<(), Failure> {
    let missing = missing_rights();
    if missing.is_empty() { Ok(()) } else { Err(Failure::Rights(missing)) }
}

/// Whoever holds one of the addresses, asked before they are taken.
pub(super) fn held(
    adapter: &str,
    mac: MacAddress,
    addresses: &[Ipv4Addr],
    out: &mut Out,
) -> Result<Option<Taken>, Failure> {
    run(Claim::probe, mac, addresses, "asking whether anybody holds it", adapter, out)
}

/// Whoever defends one of the addresses, listened for after they were taken.
fn defended(
    adapter: &str,
    mac: MacAddress,
    addresses: &[Ipv4Addr],
    out: &mut Out,
) -> Result<Option<Taken>, Failure> {
    run(Claim::announce, mac, addresses, "taken; listening whether anybody defends it", adapter, out)
}

/// Listens whether anybody defends what was just taken; if so, or when that is interrupted, everything is as before.
pub(super) fn settle(
    adapter: &str,
    mac: MacAddress,
    addresses: &[Ipv4Addr],
    before: &AdapterState,
    sheet: Option<&RigSheet>,
    out: &mut Out,
) -> Result<(), Failure> {
    match defended(adapter, mac, addresses, out) {
        Ok(None) => Ok(()),
        Ok(Some(taken)) => {
            go_back(adapter, before)?;
            Err(Failure::GivenBack(vec![taken_finding(taken, true, sheet)]))
        }
        Err(failure) => {
            go_back(adapter, before)?;
            Err(failure)
        }
    }
}

fn run(
    claim: fn(MacAddress, Vec<Ipv4Addr>) -> Claim,
    mac: MacAddress,
    addresses: &[Ipv4Addr],
    doing: &str,
    adapter: &str,
    out: &mut Out,
) -> Result<Option<Taken>, Failure> {
    if addresses.is_empty() || detects_duplicates() {
        return Ok(None);
    }
    let mut claim = claim(mac, addresses.to_vec());
    let progress = out.progress();
    progress.show(format!("{adapter}: {doing}"));
    run_frames(&mut claim, adapter)?;
    drop(progress);
    let noticed: Vec<Finding> = claim.duplicates().iter().map(|one| duplicate_finding(one, None)).collect();
    findings::show_on_notes(out, &noticed)?;
    Ok(claim.taken())
}

/// Keeps what is there, changes it to what `wanted` makes of it, and looks whether the system really holds every one of
/// `addresses`; gives what was there.
pub(super) fn take(
    adapter: &str,
    addresses: &[Ipv4Addr],
    wanted: impl FnOnce(&AdapterState) -> AdapterState,
) -> Result<AdapterState, Failure> {
    let before = adapter_state(adapter)?;
    Kept::keep(adapter, &before)?;
    if let Err(refused) = carry_out(adapter, &moves(&before, &wanted(&before))) {
        // Refused half way: what was done so far is undone; should that fail too, `restore` knows how it was.
        go_back(adapter, &before)?;
        return Err(refused.into());
    }
    let after = adapter_state(adapter)?;
    let holds = |wanted: &Ipv4Addr| after.addresses.iter().any(|one| one.address == *wanted);
    if addresses.iter().all(holds) { Ok(before) } else { Err(Failure::NotHeld { adapter: adapter.to_owned() }) }
}

/// Undoes the last taking only: what an earlier one took stays, and so does the note of how it was before that.
pub(super) fn go_back(adapter: &str, before: &AdapterState) -> Result<(), Failure> {
    carry_out(adapter, &moves(&adapter_state(adapter)?, before))?;
    if !adapter_state(adapter)?.is_like(before) {
        return Err(Failure::NotHeld { adapter: adapter.to_owned() });
    }
    match Kept::of(adapter)? {
        Some(kept) if kept.state.is_like(before) => kept.forget(),
        _ => Ok(()),
    }
}
