//! Moving an area to another block of addresses, host parts kept.

use std::net::Ipv4Addr;

use super::ReworkError;
use crate::address::{AddressRange, Subnet};
use crate::sheet::{Edits, RigSheet};

/// Where an area goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Goal {
    /// Its new block.
    pub range: AddressRange,
    /// Whether it was written as a subnet.
    pub as_subnet: Option<Subnet>,
}

/// Moves an area, by its place in [`RigSheet::areas`], with everything in it that stands in its block: each keeps its
/// distance from the beginning of the block.
///
/// # Errors
/// When the area has no block, something does not fit, or the new block lies in no network of the sheet.
pub fn resettle(sheet: &RigSheet, area: usize, goal: Goal) -> Result<Edits, ReworkError> {
    let index = area;
    let area = &sheet.areas[index];
    let Some(block) = &area.range else { return Err(ReworkError::NoRange(area.name.value.clone())) };
    let home =
        sheet.networks.iter().position(|network| AddressRange::from(network.range.value).covers(goal.range));
    let home = home.ok_or(ReworkError::NoNetwork(goal.range))?;
    let mut edits = Edits::default();
    edits.quote(block.span, &goal.as_subnet.map_or_else(|| goal.range.to_string(), |subnet| subnet.to_string()));
    if home != area.network {
        let name = &sheet.networks[home].name.value;
        match &area.network_named {
            Some(span) => edits.quote(*span, name),
            None => edits.add_line_behind(sheet.text(), area.name.span, "network", name),
        }
    }
    for member in sheet.members().filter(|member| member.area().is_some_and(|a| a.value == index)) {
        let Some((wanted, span)) = member.address() else { continue };
        let Some(address) = wanted.fixed().filter(|address| block.value.contains(*address)) else { continue };
        let there = carried(address, block.value, goal.range).ok_or_else(|| ReworkError::NoFit {
            name: member.name().value.clone(),
            address,
            into: goal.range,
        })?;
        edits.quote(span, &there.to_string());
    }
    Ok(edits)
}

fn carried(address: Ipv4Addr, from: AddressRange, to: AddressRange) -> Option<Ipv4Addr> {
    to.nth(u64::from(address.to_bits() - from.first().to_bits()))
}
