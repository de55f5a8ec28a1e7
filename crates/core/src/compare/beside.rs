//! What the sheet has besides nodes: desks, servers and switches with an address of their own. They are there, or they are not.

use std::net::Ipv4Addr;

use super::{Everybody, MISSING};
use crate::census::{Device, Standing};
use crate::finding::Finding;
use crate::sheet::{Member, RigSheet};

/// A desk, server or switch of the sheet, and whether it was seen.
#[derive(Debug, Clone)]
pub struct Beside<'a> {
    /// As planned.
    pub member: Member<'a>,
    /// Where the sheet has it.
    pub address: Ipv4Addr,
    /// What was seen there.
    pub seen: WasSeen<'a>,
}

/// Whether somebody was seen at an address.
#[derive(Debug, Clone, Copy)]
pub enum WasSeen<'a> {
    /// It is this computer.
    Here,
    /// This one.
    As(&'a Device),
    /// Everybody there was asked, and nobody answered.
    Not,
    /// Nobody there could be asked.
    NotAsked,
}

/// Every desk, server and switch whose address the sheet has.
pub(super) fn all<'a>(sheet: &'a RigSheet, everybody: Everybody<'a>) -> Vec<Beside<'a>> {
    let one = |member: Member<'a>| {
        let address = member.fixed_address()?;
        let there = |device: &&Device| device.standing != Standing::Missing && device.addresses.contains(&address);
        let seen = match everybody.devices.iter().find(there) {
            _ if everybody.own.contains(&address) => WasSeen::Here,
            Some(device) => WasSeen::As(device),
            None if everybody.asked_in.iter().any(|subnet| subnet.contains(address)) => WasSeen::Not,
            None => WasSeen::NotAsked,
        };
        Some(Beside { member, address, seen })
    };
    sheet.members().filter(|member| !matches!(member, Member::Node(_))).filter_map(one).collect()
}

impl Beside<'_> {
    /// What it is, in a word.
    #[must_use]
    pub const fn what(&self) -> &'static str {
        match self.member {
            Member::Node(_) => "node",
            Member::Source(_) => "source",
            Member::Switch(_) => "switch",
        }
    }

    /// That it does not answer.
    pub(super) fn finding(&self, sheet: &RigSheet) -> Option<Finding> {
        let name = self.member.name();
        let what = format!("{} ({}, {}) does not answer", name.value, self.what(), self.address);
        let finding =
            || MISSING.finding(what, "look at its power, its link light and its cable, then check again");
        matches!(self.seen, WasSeen::Not).then(|| finding().at(sheet, name.span, name.value.clone()))
    }
}
