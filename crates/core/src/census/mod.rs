//! The census: who was there at one time, put together from sightings.
//!
//! Several replies of one node are one node; the MAC address says which. A node that shows up at a new address
//! under the same MAC is the same node, moved.

mod designate;
mod file;
mod node;
mod page;
mod sighting;

use std::collections::HashMap;
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;

pub use designate::DesignationError;
pub use file::{CensusFile, CensusFileError, NodeRecord};
pub use node::{Abilities, FoundNode, IpSettings, PortPlace};
pub use page::{FoundPort, Page, Protocol};
pub use sighting::{Sighting, Told};

/// Everything that was seen.
#[derive(Debug, Clone, Default)]
pub struct Census {
    nodes: Vec<FoundNode>,
    by_identity: HashMap<Identity, usize>,
    by_address: HashMap<Ipv4Addr, usize>,
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
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum News {
    /// A node not seen before; its index.
    NewNode(usize),
    /// More about a node seen before; its index.
    More(usize),
    /// About nobody known, or one too many.
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

    /// The nodes, in the order in which they were first seen.
    #[must_use]
    pub fn nodes(&self) -> &[FoundNode] {
        &self.nodes
    }

    /// The nodes in the order of their addresses.
    #[must_use]
    pub fn by_address(&self) -> Vec<&FoundNode> {
        let mut nodes: Vec<&FoundNode> = self.nodes.iter().collect();
        nodes.sort_by_key(|node| (node.address, node.mac));
        nodes
    }

    /// How many sightings of further nodes were not taken in because the census was full.
    #[must_use]
    pub const fn overlooked(&self) -> u64 {
        self.overlooked
    }

    /// Takes in one sighting.
    pub fn take(&mut self, sighting: &Sighting) -> News {
        let known = match &sighting.told {
            Told::PollReply(reply) => {
                let address = stated_or(reply.address, sighting.from);
                self.by_identity.get(&identity(reply.mac, address))
            }
            Told::IpSettings(reply) => {
                self.by_address.get(&sighting.from).or_else(|| self.by_address.get(&reply.address))
            }
        };
        match (known.copied(), &sighting.told) {
            (Some(index), _) => {
                self.nodes[index].learn(sighting);
                self.by_address.insert(self.nodes[index].address, index);
                News::More(index)
            }
            (None, Told::PollReply(_)) if self.nodes.len() < Self::MOST_NODES => {
                FoundNode::seen(sighting).map_or(News::Nothing, |node| News::NewNode(self.add(node)))
            }
            (None, Told::PollReply(_)) => {
                self.overlooked += 1;
                News::Nothing
            }
            (None, Told::IpSettings(_)) => News::Nothing,
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
