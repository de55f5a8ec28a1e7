//! What a node really is, whatever it tells: what its own screen would show.

use std::net::Ipv4Addr;

use lantern_wire::MacAddress;

use super::{Quirk, SimNode};

/// The settings of a node, for comparing what is said of it with what is so.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Truth {
    /// Its MAC address.
    pub mac: MacAddress,
    /// Whether it is on and has started.
    pub is_on: bool,
    /// Its address, mask and gateway.
    pub ip: (Ipv4Addr, Ipv4Addr, Ipv4Addr),
    /// Whether it takes them by DHCP.
    pub dhcp: bool,
    /// Its short name.
    pub name: String,
    /// Its long name.
    pub label: String,
    /// What happens on data loss (Art-Net 4, ArtPollReply "Status3" bits 7-6).
    pub on_data_loss: u8,
    /// What its indicators do (Art-Net 4, ArtPollReply "Status1" bits 7-6).
    pub indicators: u8,
    /// Its firmware, the first part in the high byte.
    pub firmware: u16,
    /// The sACN priority of each page.
    pub sacn_priority: Vec<u8>,
    /// How often it recorded a scene.
    pub scenes: u32,
    /// Each port's net, sub, kind, universe as input and as output, merging, merge and protocol (GoodOutputA bits 3, 1 and 0),
    /// RDM switched off (GoodOutputB bit 7), and input switched off (GoodInput bit 3).
    pub ports: Vec<[u8; 8]>,
}

impl SimNode {
    /// The sACN universe that each output listens to, as far as it listens to sACN.
    #[must_use]
    pub fn sacn_heard(&self) -> Vec<u16> {
        let above = u16::from(self.setup.has(Quirk::CountsSacnFromOne));
        let ports = self.pages.iter().flat_map(|page| page.ports.iter().map(move |port| (page, port)));
        ports
            .filter(|(_, port)| port.kind.is_output() && port.output_a.takes_sacn())
            .map(|(page, port)| {
                let switches = u16::from(page.net) << 8 | u16::from(page.sub) << 4 | u16::from(port.switch_out);
                switches + above
            })
            .collect()
    }

    /// What it really is.
    #[must_use]
    pub fn truth(&self) -> Truth {
        let first = &self.pages[0];
        let ports = self.pages.iter().flat_map(|page| {
            page.ports.iter().map(|port| {
                let (merge, rdm) = (port.output_a.0 & 0x0b, port.output_b.0 & 0x80);
                let input = port.input.0 & 0x08;
                [page.net, page.sub, port.kind.0, port.switch_in, port.switch_out, merge, rdm, input]
            })
        });
        Truth {
            mac: self.setup.mac,
            is_on: self.is_listening(),
            ip: self.settings(),
            dhcp: self.dhcp,
            name: first.short_name.to_lossy(),
            label: first.long_name.to_lossy(),
            on_data_loss: first.status3.0 & 0xc0,
            indicators: first.status1.0 >> 6,
            firmware: first.firmware,
            sacn_priority: self.pages.iter().map(|page| page.sacn_priority).collect(),
            scenes: self.scenes,
            ports: ports.collect(),
        }
    }
}
