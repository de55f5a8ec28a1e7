//! One node as found.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::art_net::{IpProgReply, PollReply, Status2, Status3, Style};
use serde::{Deserialize, Serialize};

use super::page::{FoundPort, Page};
use super::sighting::{Sighting, Told};
use super::stated_or;
use crate::address::Mask;
use crate::sheet::kind::{Kind, KindBook};
use crate::{DataLoss, Firmware, Indicators, Said, as_text};

/// Replies of one node within so long belong to one round: it answers a poll with all its pages at once.
const SAME_ROUND: Duration = Duration::from_millis(40);
/// One that told its first page so often, and never another, has no other: four times the same loss in a row is rare, and
/// what is missing then are ports at the end, none is taken for another.
const ENOUGH_ROUNDS: u32 = 4;
/// The most pages that say the same index. More are the changes of a node that is being worked on.
const MOST_TWINS: usize = 8;

/// A node put together from everything it told.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct FoundNode {
    /// Its MAC address, when it tells it.
    #[serde(with = "as_text::option")]
    pub mac: Option<MacAddress>,
    /// The MAC address it was heard from, where frames are seen; seldom another one than stated.
    #[serde(with = "as_text::option", default)]
    pub heard_mac: Option<MacAddress>,
    /// Its address: the one it answers from.
    pub address: Ipv4Addr,
    /// The address it states in its replies, where that is another one: it is wrong about itself.
    #[serde(default)]
    pub states: Option<Ipv4Addr>,
    /// The address its last message came from.
    pub heard_from: Ipv4Addr,
    /// The broadcast address it answers to, where that is another one than its subnet has here: its mask is wrong.
    #[serde(default)]
    pub answers_to: Option<Ipv4Addr>,
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
    /// What it does when data stops; `None` when its reply is too old to tell.
    pub on_data_loss: Option<DataLoss>,
    /// What its indicators do; `None` when it does not know.
    #[serde(default)]
    pub indicators: Option<Indicators>,
    /// Whether it says that it does RDM.
    #[serde(default)]
    pub does_rdm: bool,
    /// What can be changed on it from here.
    pub can: Abilities,
    /// Whether its address came by DHCP; `None` when it did not tell.
    pub dhcp: Option<bool>,
    /// Mask and gateway, when it was asked for them.
    pub settings: Option<IpSettings>,
    /// Its pages, in order of their index.
    pub pages: Vec<Page>,
    /// How often it told its first page.
    #[serde(default)]
    pub rounds: u32,
    /// When it was first heard, since the conversation began.
    #[serde(rename = "first_heard_ms", with = "crate::as_millis")]
    pub first_heard: Duration,
    /// When it was last heard.
    #[serde(rename = "last_heard_ms", with = "crate::as_millis")]
    pub last_heard: Duration,
    /// Whether its pages are all known: what differs now is a change, not another page.
    #[serde(skip)]
    pub(crate) settled: bool,
}

/// What can be changed on a node from a distance, as its status bytes say; `None` where it does not say.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct Abilities {
    /// Take its address by DHCP.
    pub dhcp: Option<bool>,
    /// Switch ports between Art-Net and sACN.
    pub protocol: Option<bool>,
    /// Set what happens when data stops.
    pub data_loss: Option<bool>,
    /// Switch a port between input and output.
    pub direction: Option<bool>,
    /// Switch RDM of a port on and off.
    #[serde(default)]
    pub rdm: Option<bool>,
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
            mac: None,
            heard_mac: None,
            address: reply.root_elsewhere().unwrap_or_else(|| answering(reply, sighting.from)),
            states: None,
            answers_to: None,
            heard_from: sighting.from,
            seat: sighting.seat,
            esta: reply.esta,
            oem: reply.oem,
            firmware: Firmware { major: 0, minor: 0 },
            style: reply.style.to_string(),
            report: Said::default(),
            on_data_loss: None,
            indicators: None,
            does_rdm: false,
            can: Abilities::default(),
            dhcp: None,
            settings: None,
            pages: Vec::new(),
            rounds: 0,
            first_heard: sighting.at,
            last_heard: sighting.at,
            settled: false,
        };
        node.learn(sighting);
        Some(node)
    }

    /// Takes in what it told.
    pub(crate) fn learn(&mut self, sighting: &Sighting) {
        self.last_heard = sighting.at;
        match &sighting.told {
            Told::PollReply(reply) => self.learn_page(reply, sighting),
            Told::IpSettings(reply) => {
                self.place(sighting);
                self.learn_settings(reply);
            }
            _ => {}
        }
    }

    /// From where, and through which seat, the node itself was heard.
    fn place(&mut self, sighting: &Sighting) {
        self.heard_from = sighting.from;
        self.seat = sighting.seat;
        self.heard_mac = sighting.mac.or(self.heard_mac);
        self.answers_to = sighting.astray;
    }

    fn learn_page(&mut self, reply: &PollReply, sighting: &Sighting) {
        let mut page = Page::stated(reply, sighting.at);
        let stated = reply.mac.is_known().then_some(reply.mac);
        // A page may have an address and a MAC address of its own; then its root's are the node's.
        if reply.root_elsewhere().is_some() {
            page.address = Some(answering(reply, sighting.from)).filter(|own| *own != self.address);
            page.mac = stated.filter(|_| self.mac.is_none() || stated != self.mac);
            return self.keep_page(page);
        }
        self.place(sighting);
        self.mac = stated.or(self.mac);
        self.address = answering(reply, sighting.from);
        self.states = Some(stated_or(reply.address, sighting.from)).filter(|stated| *stated != self.address);
        if reply.tells_status2() {
            self.dhcp = Some(reply.status2.dhcp_in_use());
        }
        let is_first = self.pages.first().is_none_or(|root| root.index >= page.index);
        let again = |root: &Page| page.heard >= root.heard + SAME_ROUND;
        if is_first && self.pages.first().is_none_or(again) {
            self.rounds += 1;
        }
        self.keep_page(page);
        if is_first {
            self.learn_root(reply);
        }
    }

    /// Puts a page in its place. Several that say the same index within one round of replies and differ are several.
    fn keep_page(&mut self, mut page: Page) {
        let same: Vec<usize> = (0..self.pages.len())
            .filter(|i| self.pages[*i].index == page.index || (page.index == 1 && !self.pages[*i].says_index))
            .collect();
        let like = same.iter().copied().find(|i| self.pages[*i].is_like(&page));
        let is_twin = |i: &usize| page.heard.saturating_sub(self.pages[*i].heard) < SAME_ROUND;
        let known = match (&same[..], like) {
            (_, Some(like)) => Some(like),
            ([], None) => None,
            // It says the index of a page heard a moment ago, and is another one.
            (all, None) if !self.settled && all.iter().all(is_twin) && self.pages.len() < MOST_TWINS => None,
            // It is the one of them that was silent for longest, and has changed.
            (all, None) => all.iter().copied().min_by_key(|i| self.pages[*i].heard),
        };
        match known {
            Some(known) => {
                (page.index, page.says_index) = (self.pages[known].index, self.pages[known].says_index);
                self.pages[known] = page;
            }
            None => {
                if !same.is_empty() {
                    page.index = self.pages.last().map_or(1, |last| last.index.saturating_add(1));
                    page.says_index = false;
                }
                let place = self.pages.partition_point(|known| known.index < page.index);
                self.pages.insert(place, page);
            }
        }
    }

    fn learn_root(&mut self, reply: &PollReply) {
        let [major, minor] = reply.firmware.to_be_bytes();
        self.firmware = Firmware { major, minor };
        (self.esta, self.oem) = (reply.esta, reply.oem);
        self.report = reply.report.to_lossy().into();
        let told2 = reply.tells_status2().then_some(reply.status2);
        let told3 = reply.tells_status3().then_some(reply.status3);
        self.indicators = Indicators::told(reply.status1);
        self.does_rdm = reply.status1.rdm();
        self.on_data_loss = told3.map(|status| status.data_loss().into());
        self.can = Abilities {
            dhcp: told2.map(Status2::dhcp_able),
            protocol: told2.map(Status2::sacn_able),
            data_loss: told3.map(Status3::data_loss_settable),
            direction: told3.map(Status3::direction_settable),
            rdm: told2.map(Status2::rdm_settable),
        };
        self.style = reply.style.to_string();
    }

    fn learn_settings(&mut self, reply: &IpProgReply) {
        self.dhcp = Some(reply.dhcp());
        self.settings = Some(IpSettings { mask: reply.mask, gateway: reply.gateway });
    }

    /// Forgets what it told of its settings: only what is told from now on counts.
    pub(crate) fn forget_settings(&mut self) {
        (self.settings, self.dhcp) = (None, None);
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

    /// Its name, or its label, or its address when it has neither.
    #[must_use]
    pub fn title(&self) -> String {
        let told = [self.name(), self.label()].into_iter().find(|text| !text.is_empty());
        told.map_or_else(|| self.address.to_string(), |text| text.to_string())
    }

    /// Its mask, when it told one that makes sense.
    #[must_use]
    pub fn mask(&self) -> Option<Mask> {
        self.settings.and_then(|settings| Mask::try_from(settings.mask).ok())
    }

    /// All addresses it answers from: its own, and those that single pages have for themselves.
    pub fn addresses(&self) -> impl Iterator<Item = Ipv4Addr> + '_ {
        std::iter::once(self.address).chain(self.pages.iter().filter_map(|page| page.address))
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
            page.ports.iter().map(move |port| (PortPlace { page: page.index, slot: port.slot }, port))
        });
        (1..).zip(all).map(|(number, (place, port))| (number, place, port))
    }

    /// When the page of this port was last heard.
    #[must_use]
    pub fn heard_at(&self, place: PortPlace) -> Duration {
        self.pages.iter().find(|page| page.index == place.page).map_or(Duration::ZERO, |page| page.heard)
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
        self.is_whole_with(0)
    }

    /// The same for a node that should have so many ports at least, whatever its kind. One that has told itself often enough has
    /// no more.
    #[must_use]
    pub(crate) fn is_whole_with(&self, ports: u32) -> bool {
        let ports = self.kind().map_or(0, |kind| kind.ports).max(ports);
        let no_gap = self.pages.iter().zip(1..).all(|(page, expected)| page.index == expected);
        no_gap && (self.port_count() >= ports || self.rounds >= ENOUGH_ROUNDS)
    }
}

/// The address a node answers from. Simulated nodes of another subnet are heard through the wire of their loopback
/// ground, and only state where they are.
pub(crate) fn answering(reply: &PollReply, from: Ipv4Addr) -> Ipv4Addr {
    let through_the_wire = from.is_loopback() && !reply.address.is_loopback();
    if from.is_unspecified() || through_the_wire { stated_or(reply.address, from) } else { from }
}

/// Where a port sits on its node.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct PortPlace {
    /// The page's bind index, from 1.
    pub page: u8,
    /// The place on the page, 0 to 3.
    pub slot: u8,
}
