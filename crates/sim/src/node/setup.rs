//! What a simulated node is before anybody talks to it.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::art_net::{GoodOutputA, PollReply, PortBlock, PortType, Status1, Status2, Status3};
use lantern_wire::{MacAddress, Text};
use serde::Deserialize;

use super::Quirk;
use crate::{FixtureSetup, Model};

/// A node's settings and its habits, good and bad.
#[derive(Debug, Clone)]
pub struct NodeSetup {
    /// Short name.
    pub name: String,
    /// Long name.
    pub label: String,
    /// Model.
    pub model: Model,
    /// MAC address.
    pub mac: MacAddress,
    /// Present address.
    pub address: Ipv4Addr,
    /// Present mask.
    pub mask: Ipv4Addr,
    /// Present gateway; all zero for none.
    pub gateway: Ipv4Addr,
    /// Whether it takes its address by DHCP.
    pub dhcp: bool,
    /// What a DHCP server would give it; without one it takes a link-local address.
    pub lease: Option<Ipv4Addr>,
    /// Its firmware, the first part in the high byte.
    pub firmware: u16,
    /// Its address as it leaves the factory.
    pub factory: Ipv4Addr,
    /// Its pages.
    pub pages: Vec<PagePorts>,
    /// The units on its cables.
    pub fixtures: Vec<FixtureSetup>,
    /// How long a request takes on a cable.
    pub cable: Duration,
    /// To whom it answers polls.
    pub reply: Reply,
    /// How much later than others it answers polls.
    pub late: Duration,
    /// How long it takes to start.
    pub restart: Duration,
    /// Whether it leaves ARP probes unanswered, and how long it then takes to defend its address.
    pub defends_late: Option<Duration>,
    /// Whether it acknowledges settings without taking them.
    pub refuses: bool,
    /// Whether its power is off.
    pub off: bool,
    /// What it does otherwise than most.
    pub quirks: Vec<Quirk>,
}

/// The ports of one page.
#[derive(Debug, Clone, Default, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct PagePorts {
    /// Net of all its ports.
    pub net: u8,
    /// Sub of all its ports.
    pub sub: u8,
    /// Universe (0–15) of each output.
    pub out: Vec<u8>,
    /// Universe (0–15) of each input; inputs follow the outputs.
    #[serde(rename = "in")]
    pub taken: Vec<u8>,
    /// Universe (0–15) that each output sends to as an input at the same time.
    pub both: Vec<u8>,
    /// Slots (0–3) that combine two sources.
    pub merging: Vec<u8>,
    /// Slots (0–3) of outputs to which no data comes, before it hears some.
    pub idle: Vec<u8>,
    /// Slots (0–3) that are no ports: the others move up.
    pub gaps: Vec<u8>,
}

/// To whom a node answers polls: older ones to everybody, newer ones to whoever asked.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Reply {
    /// To whoever asked.
    #[default]
    ToPoller,
    /// By broadcast.
    ToEverybody,
}

impl NodeSetup {
    /// Whether it has this habit.
    #[must_use]
    pub fn has(&self, quirk: Quirk) -> bool {
        self.quirks.contains(&quirk)
    }

    /// The poll reply of each page at the start.
    pub(super) fn poll_replies(&self) -> Vec<PollReply> {
        let pages = self.pages.iter().zip(1..=u8::MAX).take(self.model.pages());
        pages.map(|(page, index)| self.poll_reply(page, index)).collect()
    }

    fn poll_reply(&self, page: &PagePorts, index: u8) -> PollReply {
        let outputs = page.out.iter().map(|universe| PortBlock {
            kind: PortType::DMX_OUT,
            output_a: GoodOutputA(0x80),
            switch_out: *universe,
            ..PortBlock::default()
        });
        let inputs = page.taken.iter().map(|universe| PortBlock {
            kind: PortType::DMX_IN,
            switch_in: *universe,
            ..PortBlock::default()
        });
        let mut ports = [PortBlock::default(); 4];
        let mut count = 0;
        let free = (0..).zip(&mut ports).filter(|(slot, _)| !page.gaps.contains(slot)).map(|(_, port)| port);
        for (slot, port) in free.zip(outputs.chain(inputs)) {
            *slot = port;
            if let Some(also) = page.both.get(usize::from(count)) {
                slot.kind = PortType(PortType::DMX_OUT.0 | PortType::DMX_IN.0);
                slot.switch_in = *also;
            }
            count += 1;
        }
        for merging in &page.merging {
            let output = &mut ports[usize::from(merging & 3)].output_a;
            *output = output.with(3, true);
        }
        for idle in &page.idle {
            let output = &mut ports[usize::from(idle & 3)].output_a;
            *output = output.with(7, false);
        }
        let able = self.model.is_able();
        if self.has(Quirk::CountsZero) {
            count = 0;
        }
        PollReply {
            firmware: self.firmware,
            net: page.net,
            sub: page.sub,
            oem: self.model.oem(),
            // Indicators normal, Port-Address set over the network; RDM where something hangs on it.
            status1: Status1(if self.fixtures.is_empty() { 0xe0 } else { 0xe2 }),
            esta: Model::ESTA,
            short_name: Text::cut(&self.name),
            long_name: Text::cut(&self.label),
            port_count: count,
            ports,
            sacn_priority: 100,
            mac: self.mac,
            bind_index: index,
            // Web page and 15-bit Port-Address; whoever is able: DHCP, sACN, RDM switched.
            status2: Status2(if able { 0x9d } else { 0x09 }),
            // Data loss and direction can be told.
            status3: Status3(if able { 0x28 } else { 0 }),
            refresh_rate: 44,
            ..PollReply::default()
        }
    }
}
