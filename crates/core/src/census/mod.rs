//! The census: who was there at one time, put together from sightings.
//!
//! Art-Net nodes are kept in full: several replies of one node are one node, the MAC address says which. Everything
//! else that is seen (who had which address, sources, services, streams, the network around) is kept as evidence, and
//! [`Census::devices`] puts one device together from all of it, whatever order it came in.

mod clock;
mod designate;
mod device;
mod diff;
mod file;
mod fixture;
mod health;
mod identity;
mod meaning;
mod node;
mod page;
mod patch_point;
mod presence;
mod report;
mod roles;
mod service;
mod sighting;
mod source;
mod standing;
mod stream;
mod subject;
mod surroundings;
mod tells;
mod unit;

use std::collections::HashMap;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::art_net::PollReply;
use serde::{Deserialize, Serialize};

pub use clock::Clock;
pub use designate::DesignationError;
pub use device::{Contested, Device, SeenBy, Viewpoint};
pub use diff::{CensusDiff, Change, ChangeKind, Compared};
pub use file::{CensusFile, CensusFileError, NodeRecord, SavedCensus};
pub use fixture::{Behind, FoundFixture};
pub use health::{FixtureReport, Health, HowBad, Line, Sensor};
pub use identity::{Again, Identity, NodeName};
pub use meaning::Meaning;
pub use node::{Abilities, FoundNode, IpSettings, PortPlace};
pub use page::{FoundPort, Page};
pub(crate) use patch_point::PatchKey;
pub use patch_point::{PatchPoint, PatchSort};
pub use report::report_counter;
pub use service::Service;
pub use sighting::{Levels, Sighting, Told};
pub(crate) use source::{Beside, Sender, Senders, by_universe, sent_before, sent_beside, sent_by};
pub use source::{Sending, Source};
pub use standing::Standing;
pub use stream::Stream;
pub use subject::{Lane, Subject};
pub use surroundings::{DhcpClient, DhcpServer, Listener, Querier, Surroundings, SwitchPort};
pub use unit::Unit;

pub use crate::way::{Way, Ways};

use fixture::Fixtures;
pub(crate) use node::answering;
use patch_point::PatchPoints;
use presence::{Holding, Presence};
use roles::Roles;
pub(crate) use service::Services;
use source::Sources;
use stream::Streams;
use unit::Units;

/// Everything that was seen.
#[derive(Debug, Clone, Default)]
pub struct Census {
    nodes: Vec<FoundNode>,
    /// Several units may bear one MAC address.
    by_mac: HashMap<MacAddress, Vec<NodeAt>>,
    by_address: HashMap<Ipv4Addr, Vec<NodeAt>>,
    /// Where a node was before it was last heard elsewhere, and when.
    moved: HashMap<NodeAt, (Ipv4Addr, Duration)>,
    pages: usize,
    presence: Presence,
    sources: Sources,
    services: Services,
    streams: Streams,
    surroundings: Surroundings,
    units: Units,
    fixtures: Fixtures,
    patch_points: PatchPoints,
    /// What a saved census held besides its nodes.
    kept: Evidence,
    overlooked: u64,
}

/// What a census holds besides Art-Net nodes, as it is written down.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Evidence {
    /// The sources of levels.
    pub sources: Vec<Source>,
    /// The services told.
    pub services: Vec<Service>,
    /// The streams announced.
    pub streams: Vec<Stream>,
    /// What families speak for by themselves.
    pub units: Vec<Unit>,
    /// The units on the cables of gateways.
    pub fixtures: Vec<FoundFixture>,
    /// The cables of which the gateway told everybody who hangs there.
    pub cables: Vec<Behind>,
    /// What of the devices is patched.
    pub patch_points: Vec<PatchPoint>,
    /// The network around the devices.
    pub surroundings: Surroundings,
}

/// Where a node stands in [`Census::nodes`].
type NodeAt = usize;

/// A node heard elsewhere and back at its old address within this time did not move there and back: the address of
/// a node changes with a restart. Two units bear its MAC address.
const NO_RETURN: Duration = Duration::from_secs(6);

/// What a sighting added.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct News {
    /// Whether somebody was seen for the first time.
    pub is_new: bool,
    /// What it added about an Art-Net node.
    pub node: NodeNews,
    /// Types of services not heard of before.
    pub types: Vec<String>,
}

/// What a sighting added about an Art-Net node.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum NodeNews {
    /// A node not seen before; its index.
    New(usize),
    /// More about a node seen before; its index.
    More(usize),
    /// About nobody known, or one too many.
    #[default]
    Nothing,
}

impl Census {
    /// The most nodes a census holds. A show network has hundreds; past this, sightings are only counted, so
    /// that forged replies cannot fill the memory.
    pub const MOST_NODES: usize = 16_384;
    /// The most pages of all nodes together: four for each, as many as a gateway of sixteen ports has.
    pub const MOST_PAGES: usize = 4 * Self::MOST_NODES;

    /// A census of nodes seen earlier.
    #[must_use]
    pub fn of(nodes: Vec<FoundNode>) -> Self {
        let mut census = Self::default();
        for node in nodes.into_iter().take(Self::MOST_NODES) {
            census.add(node);
        }
        census
    }

    /// The same with everything else that was seen then.
    #[must_use]
    pub fn with(self, kept: Evidence) -> Self {
        Self { kept, ..self }
    }

    /// Everything besides Art-Net nodes.
    #[must_use]
    pub fn evidence(&self) -> Evidence {
        Evidence {
            sources: self.sources(),
            services: self.services(),
            streams: self.streams(),
            units: self.units(),
            fixtures: self.fixtures(),
            cables: self.cables(),
            patch_points: self.patch_points(),
            surroundings: self.surroundings(),
        }
    }

    /// The Art-Net nodes, in the order in which they were first seen.
    #[must_use]
    pub fn nodes(&self) -> &[FoundNode] {
        &self.nodes
    }

    /// The Art-Net nodes in the order of their addresses.
    #[must_use]
    pub fn by_address(&self) -> Vec<&FoundNode> {
        let mut nodes: Vec<&FoundNode> = self.nodes.iter().collect();
        nodes.sort_by_key(|node| (node.address, node.mac));
        nodes
    }

    /// The sources of sACN, in the order of addresses.
    #[must_use]
    pub fn sources(&self) -> Vec<Source> {
        both(&self.kept.sources, self.sources.sorted())
    }

    /// The services told, in the order of addresses.
    #[must_use]
    pub fn services(&self) -> Vec<Service> {
        both(&self.kept.services, self.services.sorted())
    }

    /// The streams announced, in the order of their senders.
    #[must_use]
    pub fn streams(&self) -> Vec<Stream> {
        both(&self.kept.streams, self.streams.sorted())
    }

    /// What families speak for by themselves, in the order of families and identities.
    #[must_use]
    pub fn units(&self) -> Vec<Unit> {
        both(&self.kept.units, self.units.sorted())
    }

    /// The units on the cables of gateways, in the order of gateways, ports and identifiers.
    #[must_use]
    pub fn fixtures(&self) -> Vec<FoundFixture> {
        both(&self.kept.fixtures, self.fixtures.sorted())
    }

    /// The cables of which the gateway told everybody who hangs there, if anybody, in the order of gateways and ports.
    #[must_use]
    pub fn cables(&self) -> Vec<Behind> {
        both(&self.kept.cables, self.fixtures.cables())
    }

    /// What of the devices is patched, in the order of their addresses.
    #[must_use]
    pub fn patch_points(&self) -> Vec<PatchPoint> {
        let mut all = both(&self.kept.patch_points, self.patch_points.sorted());
        patch_point::name_senders(&mut all);
        all
    }

    /// The node that a cable begins at, with its index.
    #[must_use]
    pub fn gateway(&self, behind: &Behind) -> Option<(usize, &FoundNode)> {
        let there = self.by_address.get(&behind.address).map_or(&[][..], Vec::as_slice);
        there.iter().map(|at| (*at, &self.nodes[*at])).find(|(_, node)| behind.is_of(node))
    }

    /// What the node that a cable begins at is called, and the number of the port, as far as they are known.
    #[must_use]
    pub fn cable(&self, behind: &Behind) -> (String, Option<u32>) {
        let node = self.gateway(behind).map(|(_, node)| node);
        let title = node.map_or_else(|| behind.address.to_string(), FoundNode::title);
        (title, node.and_then(|node| behind.port_of(node)))
    }

    /// The network around the devices.
    #[must_use]
    pub fn surroundings(&self) -> Surroundings {
        let (kept, seen) = (&self.kept.surroundings, self.surroundings.sorted());
        Surroundings {
            switch_ports: both(&kept.switch_ports, seen.switch_ports),
            queriers: both(&kept.queriers, seen.queriers),
            listeners: both(&kept.listeners, seen.listeners),
            dhcp_servers: both(&kept.dhcp_servers, seen.dhcp_servers),
            dhcp_clients: both(&kept.dhcp_clients, seen.dhcp_clients),
            clocks: both(&kept.clocks, seen.clocks),
        }
    }

    /// Whether anybody was seen at this address.
    #[must_use]
    pub fn is_seen(&self, address: Ipv4Addr) -> bool {
        self.presence.is_seen(address)
    }

    /// Whether somebody with this MAC address was seen at this address.
    #[must_use]
    pub fn is_seen_as(&self, mac: MacAddress, address: Ipv4Addr) -> bool {
        self.presence.has((Some(mac), address))
    }

    /// Whether anybody was seen with this MAC address, or states it.
    #[must_use]
    pub fn has_mac(&self, mac: MacAddress) -> bool {
        self.presence.has_mac(mac) || self.by_mac.contains_key(&mac)
    }

    /// MAC addresses that several nodes bear, each at an address of its own, with the nodes.
    #[must_use]
    pub fn borne_twice(&self) -> Vec<(MacAddress, Vec<&FoundNode>)> {
        let several = self.by_mac.iter().filter(|(_, bearers)| bearers.len() > 1);
        let mut all: Vec<(MacAddress, Vec<&FoundNode>)> = several
            .map(|(mac, bearers)| {
                let mut nodes: Vec<&FoundNode> = bearers.iter().map(|at| &self.nodes[*at]).collect();
                nodes.sort_by_key(|node| node.address);
                (*mac, nodes)
            })
            .collect();
        all.sort_by_key(|(mac, _)| *mac);
        all
    }

    /// How many sightings were not taken in because there were more devices, sources, services or streams than any
    /// network has.
    #[must_use]
    pub const fn overlooked(&self) -> u64 {
        self.overlooked
            + self.presence.overlooked()
            + self.sources.overlooked()
            + self.services.overlooked()
            + self.streams.overlooked()
            + self.units.overlooked()
            + self.fixtures.overlooked()
            + self.patch_points.overlooked()
    }

    /// Takes in one sighting.
    pub fn take(&mut self, sighting: &Sighting) -> News {
        let mut news = News { is_new: self.take_presence(sighting), ..News::default() };
        match &sighting.told {
            Told::PollReply(_) | Told::IpSettings(_) => news.node = self.take_node(sighting),
            Told::Levels(_) | Told::Universes { .. } => self.sources.take(sighting),
            Told::Services(answers) => news.types = self.services.take((sighting.from, sighting.mac), answers),
            Told::Announced { key, session } => {
                self.streams.announced(sighting.at, (sighting.from, sighting.mac), *key, session);
            }
            Told::Withdrawn { key } => self.streams.withdrawn(sighting.at, *key),
            Told::DhcpServer { server } => {
                self.surroundings.take_dhcp_server(DhcpServer { address: *server, mac: sighting.mac });
            }
            Told::DhcpClient { name, class } => {
                if let Some(mac) = sighting.mac {
                    let (name, class) = (name.as_str().into(), class.as_str().into());
                    self.surroundings.take_dhcp_client(DhcpClient { mac, name, class });
                }
            }
            Told::Clock(announce) => {
                let clock = Clock::of(sighting.at, (sighting.from, sighting.mac), announce);
                self.surroundings.take_clock(clock);
            }
            Told::Lldp(lldp) => self.surroundings.take_lldp(lldp),
            Told::Querier { version } => {
                let querier = Querier { address: sighting.from, mac: sighting.mac, version: *version };
                self.surroundings.take_querier(querier);
            }
            Told::Groups { wants, leaves } => {
                self.surroundings.take_groups((sighting.from, sighting.mac), wants, leaves);
            }
            Told::Unit(unit) => self.units.take(unit),
            Told::Fixture(fixture) => self.fixtures.take(fixture),
            Told::Cable(cable) => self.fixtures.take_cable(*cable),
            Told::PatchPoint(point) => self.patch_points.take(point),
            Told::Spoke { .. } | Told::ArtNet | Told::Arp | Told::Echo | Told::Neighbour | Told::Traffic => {}
        }
        news
    }

    /// Takes in that somebody was there. Gives whether for the first time.
    fn take_presence(&mut self, sighting: &Sighting) -> bool {
        let (mac, address): Holding = match (&sighting.told, self.node_of(sighting)) {
            // Settings do not say whose they are; the node that was asked is known.
            (Told::IpSettings(_), Some(index)) => {
                let node = &self.nodes[index];
                (sighting.mac.or(node.mac), node.address)
            }
            _ => sighting.holder(),
        };
        if mac.is_none() && address.is_unspecified() {
            return false;
        }
        self.presence.take((mac, address), sighting.told.way(), sighting.at, sighting.to_us)
    }

    /// The known node a sighting is about.
    fn node_of(&self, sighting: &Sighting) -> Option<NodeAt> {
        match &sighting.told {
            Told::PollReply(reply) => self.replying(reply, sighting),
            Told::IpSettings(reply) => {
                let at = |address: Ipv4Addr| self.by_address.get(&address).map_or(&[][..], Vec::as_slice);
                let there = if at(sighting.from).is_empty() { at(reply.address) } else { at(sighting.from) };
                // Where two share an address, the frame says who spoke.
                let spoke = |index: &&NodeAt| {
                    let node = &self.nodes[**index];
                    sighting.mac.is_some() && [node.heard_mac, node.mac].contains(&sighting.mac)
                };
                there.iter().find(spoke).or_else(|| there.first()).copied()
            }
            _ => None,
        }
    }

    /// The known node that a reply comes from: by its MAC address; where several bear it, by the address too. A page
    /// that names its root belongs to whoever is there.
    fn replying(&self, reply: &PollReply, sighting: &Sighting) -> Option<NodeAt> {
        let root = reply.root_elsewhere();
        let address = root.unwrap_or_else(|| answering(reply, sighting.from));
        let there = self.by_address.get(&address).map_or(&[][..], Vec::as_slice);
        let is_headless = |index: &&NodeAt| self.nodes[**index].mac.is_none();
        if root.is_some() {
            return there.first().copied();
        }
        if !reply.mac.is_known() {
            return there.iter().find(is_headless).copied();
        }
        let Some(bearers) = self.by_mac.get(&reply.mac) else {
            // Its pages were heard before their root.
            return there.iter().find(|index| is_headless(index) && self.is_rootless(**index)).copied();
        };
        let here = bearers.iter().copied().find(|index| self.nodes[*index].address == address);
        here.or_else(|| {
            let came_back = |index: NodeAt| {
                self.moved.get(&index).is_some_and(|(before, when)| {
                    *before == address && sighting.at.saturating_sub(*when) < NO_RETURN
                })
            };
            // Who was heard there and here in turn is two.
            let moving = bearers.iter().copied().filter(|index| !came_back(*index)).collect::<Vec<_>>();
            (moving.len() == bearers.len()).then(|| moving.last().copied()).flatten()
        })
    }

    fn is_rootless(&self, index: NodeAt) -> bool {
        self.nodes[index].pages.first().is_none_or(|page| page.index > 1)
    }

    fn take_node(&mut self, sighting: &Sighting) -> NodeNews {
        match (self.node_of(sighting), &sighting.told) {
            (Some(_), Told::PollReply(_)) if self.pages >= Self::MOST_PAGES => {
                self.overlooked += 1;
                NodeNews::Nothing
            }
            (Some(index), _) => {
                let (before, pages) = (self.nodes[index].address, self.nodes[index].pages.len());
                self.nodes[index].learn(sighting);
                self.pages += self.nodes[index].pages.len() - pages;
                self.index(index);
                if self.nodes[index].address != before {
                    self.moved.insert(index, (before, sighting.at));
                    self.by_address.entry(before).or_default().retain(|there| *there != index);
                }
                NodeNews::More(index)
            }
            (None, Told::PollReply(_)) if self.nodes.len() < Self::MOST_NODES => {
                FoundNode::seen(sighting).map_or(NodeNews::Nothing, |node| NodeNews::New(self.add(node)))
            }
            (None, Told::PollReply(_)) => {
                self.overlooked += 1;
                NodeNews::Nothing
            }
            (None, _) => NodeNews::Nothing,
        }
    }

    fn add(&mut self, node: FoundNode) -> NodeAt {
        let index = self.nodes.len();
        self.pages += node.pages.len();
        self.nodes.push(node);
        self.index(index);
        index
    }

    fn index(&mut self, index: NodeAt) {
        let node = &self.nodes[index];
        let known = |list: &mut Vec<NodeAt>| {
            if !list.contains(&index) {
                list.push(index);
            }
        };
        if let Some(mac) = node.mac {
            known(self.by_mac.entry(mac).or_default());
        }
        known(self.by_address.entry(node.address).or_default());
    }
}

/// What was kept, then what was seen; of a survey only the one, of a file only the other.
fn both<T: Clone>(kept: &[T], seen: Vec<T>) -> Vec<T> {
    kept.iter().cloned().chain(seen).collect()
}

/// The address a node states, or the one it spoke from when it states none.
fn stated_or(stated: Ipv4Addr, from: Ipv4Addr) -> Ipv4Addr {
    if stated.is_unspecified() { from } else { stated }
}

#[cfg(test)]
mod tests;
