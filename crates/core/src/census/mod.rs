//! The census: who was there at one time, put together from sightings.
//!
//! Art-Net nodes are kept in full: several replies of one node are one node, the MAC address says which. Everything
//! else that is seen (who had which address, sources, services, streams, the network around) is kept as evidence, and
//! [`Census::devices`] puts one device together from all of it, whatever order it came in.

mod designate;
mod device;
mod diff;
mod file;
mod meaning;
mod node;
mod page;
mod presence;
mod roles;
mod service;
mod sighting;
mod source;
mod standing;
mod stream;
mod surroundings;
mod way;

use std::collections::HashMap;
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;

pub use designate::DesignationError;
pub use device::{Contested, Device, SeenBy, Viewpoint};
pub use diff::{CensusDiff, Change, ChangeKind, Compared};
pub use file::{CensusFile, CensusFileError, NodeRecord, SavedCensus};
pub use meaning::Meaning;
pub use node::{Abilities, FoundNode, IpSettings, PortPlace};
pub use page::{FoundPort, Page};
pub use service::Service;
pub use sighting::{Sighting, Told};
pub use source::{Sending, Source};
pub use standing::Standing;
pub use stream::Stream;
pub use surroundings::{DhcpServer, Querier, Surroundings, SwitchPort};
pub use way::{Way, Ways};

use presence::{Holding, Presence};
use roles::Roles;
use service::Services;
use source::Sources;
use stream::Streams;

/// Everything that was seen.
#[derive(Debug, Clone, Default)]
pub struct Census {
    nodes: Vec<FoundNode>,
    by_identity: HashMap<Identity, usize>,
    by_address: HashMap<Ipv4Addr, usize>,
    presence: Presence,
    sources: Sources,
    services: Services,
    streams: Streams,
    surroundings: Surroundings,
    overlooked: u64,
}

/// How a node is known again.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
enum Identity {
    Mac(MacAddress),
    /// A node that does not tell its MAC address is known by its address only.
    Address(Ipv4Addr),
}

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

    /// A census of nodes seen earlier.
    #[must_use]
    pub fn of(nodes: Vec<FoundNode>) -> Self {
        let mut census = Self::default();
        for node in nodes.into_iter().take(Self::MOST_NODES) {
            census.add(node);
        }
        census
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
        self.sources.sorted()
    }

    /// The services told, in the order of addresses.
    #[must_use]
    pub fn services(&self) -> Vec<Service> {
        self.services.sorted()
    }

    /// The streams announced, in the order of their senders.
    #[must_use]
    pub fn streams(&self) -> Vec<Stream> {
        self.streams.sorted()
    }

    /// The network around the devices.
    #[must_use]
    pub fn surroundings(&self) -> Surroundings {
        self.surroundings.sorted()
    }

    /// Whether anybody was seen at this address.
    #[must_use]
    pub fn is_seen(&self, address: Ipv4Addr) -> bool {
        self.presence.is_seen(address)
    }

    /// Whether anybody was seen with this MAC address, or states it.
    #[must_use]
    pub fn has_mac(&self, mac: MacAddress) -> bool {
        self.presence.has_mac(mac) || self.by_identity.contains_key(&Identity::Mac(mac))
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
    }

    /// Takes in one sighting.
    pub fn take(&mut self, sighting: &Sighting) -> News {
        let mut news = News { is_new: self.take_presence(sighting), ..News::default() };
        match &sighting.told {
            Told::PollReply(_) | Told::IpSettings(_) => news.node = self.take_node(sighting),
            Told::Levels { .. } | Told::Universes { .. } => self.sources.take(sighting),
            Told::Services(answers) => news.types = self.services.take((sighting.from, sighting.mac), answers),
            Told::Announced { key, session } => {
                self.streams.announced(sighting.at, (sighting.from, sighting.mac), *key, session);
            }
            Told::Withdrawn { key } => self.streams.withdrawn(sighting.at, *key),
            Told::DhcpServer { server } => {
                self.surroundings.take_dhcp_server(DhcpServer { address: *server, mac: sighting.mac });
            }
            Told::Lldp(lldp) => self.surroundings.take_lldp(lldp),
            Told::Querier { version } => {
                let querier = Querier { address: sighting.from, mac: sighting.mac, version: *version };
                self.surroundings.take_querier(querier);
            }
            Told::ArtNet | Told::Arp | Told::Echo | Told::Neighbour | Told::DhcpClient | Told::Traffic => {}
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
    fn node_of(&self, sighting: &Sighting) -> Option<usize> {
        let known = match &sighting.told {
            Told::PollReply(reply) => {
                let address = stated_or(reply.address, sighting.from);
                self.by_identity.get(&identity(reply.mac, address))
            }
            Told::IpSettings(reply) => {
                self.by_address.get(&sighting.from).or_else(|| self.by_address.get(&reply.address))
            }
            _ => None,
        };
        known.copied()
    }

    fn take_node(&mut self, sighting: &Sighting) -> NodeNews {
        match (self.node_of(sighting), &sighting.told) {
            (Some(index), _) => {
                self.nodes[index].learn(sighting);
                self.by_address.insert(self.nodes[index].address, index);
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

    fn add(&mut self, node: FoundNode) -> usize {
        let index = self.nodes.len();
        let mac = node.mac.unwrap_or(MacAddress::UNKNOWN);
        self.by_identity.insert(identity(mac, node.address), index);
        self.by_address.insert(node.address, index);
        self.nodes.push(node);
        index
    }
}

fn identity(mac: MacAddress, address: Ipv4Addr) -> Identity {
    if mac.is_known() { Identity::Mac(mac) } else { Identity::Address(address) }
}

/// The address a node states, or the one it spoke from when it states none.
fn stated_or(stated: Ipv4Addr, from: Ipv4Addr) -> Ipv4Addr {
    if stated.is_unspecified() { from } else { stated }
}

#[cfg(test)]
mod tests;
