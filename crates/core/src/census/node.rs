//! One node as found.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::art_net::{IpProgReply, PollReply, Style};
use serde::{Deserialize, Serialize};

use super::page::{FoundPort, Page};
use super::sighting::{Sighting, Told};
use super::stated_or;
use crate::kind::{Kind, KindBook};
use crate::sheet::Firmware;
use crate::{DataLoss, Said, as_text};

/// A node put together from everything it told.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct FoundNode {
    /// Its MAC address, when it tells it.
    #[serde(with = "as_text::option")]
    pub mac: Option<MacAddress>,
    /// The MAC address it was heard from, where frames are seen; seldom another one than stated.
    #[serde(with = "as_text::option", default)]
    pub heard_mac: Option<MacAddress>,
    /// The address it states.
    pub address: Ipv4Addr,
    /// The address its last message came from; another one than stated when it stands in another subnet.
    pub heard_from: Ipv4Addr,
    /// Which of the conversation's seats heard it.
    pub seat: usize,
    /// ESTA code of its maker.
    pub esta: u16,
    /// OEM code of its model.
    pub oem: u16,
    /// Its firmware.
    #[serde(with = "as_text")]
    pub firmware: Firmware,
    /// What sort of device it says it is.
    pub style: String,
    /// What it says about its state.
    pub report: Said,
    /// What it does when data stops.
    pub on_data_loss: DataLoss,
    /// What can be changed on it from here.
    pub can: Abilities,
    /// Whether its address came by DHCP.
    pub dhcp: bool,
    /// Mask and gateway, when it was asked for them.
    pub settings: Option<IpSettings>,
    /// Its pages, in order of their index.
    pub pages: Vec<Page>,
    /// When it was first heard, since the conversation began.
    #[serde(rename = "first_heard_ms", with = "crate::as_millis")]
    pub first_heard: Duration,
    /// When it was last heard.
    #[serde(rename = "last_heard_ms", with = "crate::as_millis")]
    pub last_heard: Duration,
}

/// What can be changed on a node from a distance, as its status bytes say.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Abilities {
    /// Take its address by DHCP.
    pub dhcp: bool,
    /// Switch ports between Art-Net and sACN.
    pub protocol: bool,
    /// Set what happens when data stops.
    pub data_loss: bool,
    /// Switch a port between input and output.
    pub direction: bool,
}

/// What an ArtIpProgReply adds to the poll reply.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct IpSettings {
    /// The subnet mask, as stated; perhaps none that makes sense.
    pub mask: Ipv4Addr,
    /// The gateway; all zero when there is none.
    pub gateway: Ipv4Addr,
}

impl FoundNode {
    /// A node first seen; `None` when the sighting does not introduce one.
    pub(crate) fn seen(sighting: &Sighting) -> Option<Self> {
        let Told::PollReply(reply) = &sighting.told else { return None };
        let mut node = Self {
            mac: reply.mac.is_known().then_some(reply.mac),
            heard_mac: sighting.mac,
            address: stated_or(reply.address, sighting.from),
            heard_from: sighting.from,
            seat: sighting.seat,
            esta: reply.esta,
            oem: reply.oem,
            firmware: Firmware { major: 0, minor: 0 },
            style: reply.style.to_string(),
            report: Said::default(),
            on_data_loss: DataLoss::Hold,
            can: Abilities { dhcp: false, protocol: false, data_loss: false, direction: false },
            dhcp: false,
            settings: None,
            pages: Vec::new(),
            first_heard: sighting.at,
            last_heard: sighting.at,
        };
        node.learn(sighting);
        Some(node)
    }

    /// Takes in what it told.
    pub(crate) fn learn(&mut self, sighting: &Sighting) {
        self.last_heard = sighting.at;
        self.heard_from = sighting.from;
        self.seat = sighting.seat;
        self.heard_mac = sighting.mac.or(self.heard_mac);
        match &sighting.told {
            Told::PollReply(reply) => self.learn_page(reply, sighting.from),
            Told::IpSettings(reply) => self.learn_settings(reply),
            _ => {}
        }
    }

    fn learn_page(&mut self, reply: &PollReply, from: Ipv4Addr) {
        self.address = stated_or(reply.address, from);
        self.dhcp = reply.status2.dhcp_in_use();
        let page = Page::stated(reply);
        if page.index == 1 || self.pages.is_empty() {
            self.learn_root(reply);
        }
        match self.pages.binary_search_by_key(&page.index, |p| p.index) {
            Ok(known) => self.pages[known] = page,
            Err(place) => self.pages.insert(place, page),
        }
    }

    fn learn_root(&mut self, reply: &PollReply) {
        let [major, minor] = reply.firmware.to_be_bytes();
        self.firmware = Firmware { major, minor };
        self.report = reply.report.to_lossy().into();
        self.on_data_loss = reply.status3.data_loss().into();
        self.can = Abilities {
            dhcp: reply.status2.dhcp_able(),
            protocol: reply.status2.sacn_able(),
            data_loss: reply.status3.data_loss_settable(),
            direction: reply.status3.direction_settable(),
        };
        self.style = reply.style.to_string();
    }

    fn learn_settings(&mut self, reply: &IpProgReply) {
        self.dhcp = reply.dhcp();
        self.settings = Some(IpSettings { mask: reply.mask, gateway: reply.gateway });
    }

    /// Its name: the short name of its root page.
    #[must_use]
    pub fn name(&self) -> Said {
        self.pages.first().map(|page| page.name.clone()).unwrap_or_default()
    }

    /// Its label: the long name of its root page.
    #[must_use]
    pub fn label(&self) -> Said {
        self.pages.first().map(|page| page.label.clone()).unwrap_or_default()
    }

    /// Its name, or its address when it has none.
    #[must_use]
    pub fn title(&self) -> String {
        let name = self.name();
        if name.is_empty() { self.address.to_string() } else { name.to_string() }
    }

    /// The kind its codes stand for, when that is known.
    #[must_use]
    pub fn kind(&self) -> Option<&'static Kind> {
        KindBook::shipped().stating(self.esta, self.oem)
    }

    /// Maker and model in words, or the bare codes.
    #[must_use]
    pub fn model(&self) -> String {
        self.kind().map_or_else(|| format!("maker {:04x} model {:04x}", self.esta, self.oem), Kind::title)
    }

    /// Whether it is a device with ports to patch, not a desk or another program.
    #[must_use]
    pub fn is_node(&self) -> bool {
        self.style == Style::NODE.to_string()
    }

    /// Its ports with their numbers, counted over all pages from 1.
    pub fn ports(&self) -> impl Iterator<Item = (u32, PortPlace, &FoundPort)> {
        let all = self.pages.iter().flat_map(|page| {
            let place = move |slot: usize| PortPlace { page: page.index, slot: u8::try_from(slot).unwrap_or(3) };
            page.ports.iter().enumerate().map(move |(slot, port)| (place(slot), port))
        });
        (1..).zip(all).map(|(number, (place, port))| (number, place, port))
    }

    /// The port of this number.
    #[must_use]
    pub fn port(&self, number: u32) -> Option<(PortPlace, &FoundPort)> {
        self.ports().find(|(n, ..)| *n == number).map(|(_, place, port)| (place, port))
    }

    /// How many ports it states.
    #[must_use]
    pub fn port_count(&self) -> u32 {
        self.pages.iter().map(|page| page.ports.len()).sum::<usize>().try_into().unwrap_or(u32::MAX)
    }

    /// Whether every page was heard: up to the last one heard, and as many ports as its kind has. Only then are
    /// port numbers certain.
    #[must_use]
    pub fn is_whole(&self) -> bool {
        let no_gap = self.pages.iter().zip(1..).all(|(page, expected)| page.index == expected);
        no_gap && self.kind().is_none_or(|kind| self.port_count() >= kind.ports)
    }
}

/// Where a port sits on its node.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct PortPlace {
    /// The page's bind index, from 1.
    pub page: u8,
    /// The place on the page, 0 to 3.
    pub slot: u8,
}
