//! Moving a whole network of a sheet to another range, every host part kept.

use std::net::Ipv4Addr;

use super::{Edits, Gateway, RigSheet};
use crate::address::{AddressRange, Subnet};

impl RigSheet {
    /// The sheet's text with every address of `from` carried to the same host part of `to`. All else stays as it
    /// is, byte for byte; addresses that do not fit there stay too.
    #[must_use]
    pub fn relocated(&self, from: Subnet, to: Subnet) -> String {
        let carry = |address: Ipv4Addr| from.carry(address, to);
        let mut edits = Edits::default();
        for network in &self.networks {
            if network.range.value == from {
                edits.quote(network.range.span, &to.to_string());
            }
            if let Some(gateway) = &network.gateway
                && let Gateway(Some(address)) = gateway.value
                && let Some(there) = carry(address)
            {
                edits.quote(gateway.span, &there.to_string());
            }
            for range in network.keep_free.iter().chain(&network.dhcp).chain(&network.locked) {
                if let Some(there) = carry_range(range.value, from, to) {
                    edits.quote(range.span, &there);
                }
            }
        }
        for range in self.areas.iter().filter_map(|area| area.range.as_ref()) {
            if let Some(there) = carry_range(range.value, from, to) {
                edits.quote(range.span, &there);
            }
        }
        for (address, span) in self.members().filter_map(super::Member::address) {
            if let Some(there) = address.fixed().and_then(carry) {
                edits.quote(span, &there.to_string());
            }
        }
        edits.apply(&self.text)
    }
}

/// The range carried over; one that was written as a subnet stays readable as one.
pub(super) fn carry_range(range: AddressRange, from: Subnet, to: Subnet) -> Option<String> {
    let there = AddressRange::between(from.carry(range.first(), to)?, from.carry(range.last(), to)?);
    let host_bits = (range.first().to_bits() ^ range.last().to_bits()).count_ones();
    let prefix = u8::try_from(32 - host_bits).ok().and_then(crate::address::Mask::from_prefix)?;
    let block = Subnet::around(there.first(), prefix);
    Some(if AddressRange::from(block) == there && host_bits > 0 { block.to_string() } else { there.to_string() })
}
