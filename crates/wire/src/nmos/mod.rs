//! NMOS (AMWA IS-04 version 1.3, IS-05 version 1.1, IS-08 version 1.0): what a device sends and receives, and how it is patched, by
//! JSON over HTTP.
//!
//! ```text
//! DNS-SD  _nmos-node._tcp                     a node that no registry knows; _nmos-query._tcp is one that lists all of a site
//! GET     /x-nmos/node/v1.3/self              who it is; devices, sources, flows, senders, receivers beside that
//! GET     /x-nmos/connection/v1.1/single/receivers/ID/active      what it receives; PATCH …/staged changes that
//! GET     /x-nmos/channelmapping/v1.0/io, map/active              which channel goes where; POST map/activations changes that
//! ```

mod channel_map;
mod connection;
mod id;
mod node;
mod page;
mod registry;
mod version;

pub use channel_map::{Active as ActiveMap, Input, Io, Output, Routed, map_order};
pub use connection::{Connection, Leg, LegOrder, Order, Taken};
pub use id::{Id, IdError};
pub use node::{Control, Device, Flow, Format, Node, Receiver, Sender, Source};
pub use page::{Fault, Trouble};
pub use registry::older;
pub use version::Version;

/// The type of service of a node that no registry knows (IS-04, "Discovery: Peer to Peer Operation").
pub const NODE_SERVICE: &str = "_nmos-node._tcp";
/// The type of service of a registry that can be asked (IS-04, "Discovery: Registered Operation").
pub const QUERY_SERVICE: &str = "_nmos-query._tcp";

/// Where each of the standards' interfaces begins, and the versions of it that are spoken here, the best first.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Api {
    /// A node tells of itself (IS-04).
    Node,
    /// A registry tells of everybody (IS-04).
    Query,
    /// What is sent and received (IS-05).
    Connection,
    /// Which channel goes where (IS-08).
    ChannelMapping,
}

impl Api {
    /// Where it begins.
    #[must_use]
    pub const fn path(self) -> &'static str {
        match self {
            Self::Node => "/x-nmos/node/",
            Self::Query => "/x-nmos/query/",
            Self::Connection => "/x-nmos/connection/",
            Self::ChannelMapping => "/x-nmos/channelmapping/",
        }
    }

    /// The newest version that is known here; those before it are read as well, as each minor version only adds to the one before.
    #[must_use]
    pub const fn newest(self) -> Version {
        match self {
            Self::Node | Self::Query => Version { major: 1, minor: 3 },
            Self::Connection => Version { major: 1, minor: 1 },
            Self::ChannelMapping => Version { major: 1, minor: 0 },
        }
    }

    /// Of these versions the one to speak: the newest that is known here, else the oldest of the same major version; `None` where
    /// nothing is shared.
    #[must_use]
    pub fn best(self, offered: &[Version]) -> Option<Version> {
        let newest = self.newest();
        let same = || offered.iter().filter(|one| one.major == newest.major);
        same().filter(|one| one.minor <= newest.minor).max().or_else(|| same().min()).copied()
    }
}

#[cfg(test)]
mod tests;
