//! Moving a whole network of a sheet to another range, every host part kept.

use std::net::Ipv4Addr;
use std::ops::Range;

use super::{Gateway, RigSheet, Span, WantedAddress};
use crate::address::{AddressRange, Subnet};

impl RigSheet {
    /// The sheet's text with every address of `from` carried to the same host part of `to`. All else stays as it
    /// is, byte for byte; addresses that do not fit there stay too.
    #[must_use]
    pub fn relocated(&self, from: Subnet, to: Subnet) -> String {
        let carry = |address: Ipv4Addr| from.carry(address, to);
        let mut edits: Vec<(Span, String)> = Vec::new();
        for network in &self.networks {
            if network.range.value == from {
                edits.push((network.range.span, to.to_string()));
            }
            if let Some(gateway) = &network.gateway
                && let Gateway(Some(address)) = gateway.value
                && let Some(there) = carry(address)
            {
                edits.push((gateway.span, there.to_string()));
            }
            for range in network.keep_free.iter().chain(&network.dhcp).chain(&network.locked) {
                edits.extend(carry_range(range.value, from, to).map(|text| (range.span, text)));
            }
        }
        for range in self.areas.iter().filter_map(|area| area.range.as_ref()) {
            edits.extend(carry_range(range.value, from, to).map(|text| (range.span, text)));
        }
        for node in &self.nodes {
            if let WantedAddress::Fixed(address) = node.address.value
                && let Some(there) = carry(address)
            {
                edits.push((node.address.span, there.to_string()));
            }
        }
        replace_all(&self.text, edits)
    }
}

fn carry_range(range: AddressRange, from: Subnet, to: Subnet) -> Option<String> {
    let there = AddressRange::between(from.carry(range.first(), to)?, from.carry(range.last(), to)?);
    // A block that was written as a subnet stays readable as one.
    let host_bits = (range.first().to_bits() ^ range.last().to_bits()).count_ones();
    let prefix = u8::try_from(32 - host_bits).ok().and_then(crate::address::Mask::from_prefix)?;
    let block = Subnet::around(there.first(), prefix);
    Some(if AddressRange::from(block) == there && host_bits > 0 { block.to_string() } else { there.to_string() })
}

/// Replaces each quoted text by a new one, from the end so that the places before it stay true.
fn replace_all(text: &str, mut edits: Vec<(Span, String)>) -> String {
    edits.sort_by_key(|(span, _)| std::cmp::Reverse(span.start));
    let mut text = text.to_owned();
    for (span, new) in edits {
        text.replace_range(Range::from(span), &format!("\"{new}\""));
    }
    text
}
