//! What can go wrong with this computer's network.

use std::io;
use std::net::Ipv4Addr;

/// A failure of this computer's side of the network.
#[derive(Debug, thiserror::Error)]
pub enum NetError {
    /// The system does not tell its adapters.
    #[error("this computer does not tell its network adapters: {0}")]
    Adapters(#[source] io::Error),
    /// Another program holds the port and does not share it.
    #[error("UDP port {port} on {adapter} is held by another program that does not share it")]
    PortHeld {
        /// The port.
        port: u16,
        /// The adapter.
        adapter: String,
    },
    /// A socket could not be opened for another reason.
    #[error("no socket could be opened on {adapter}: {source}")]
    Socket {
        /// The adapter.
        adapter: String,
        /// Why.
        source: io::Error,
    },
    /// Nothing at all could be sent.
    #[error("nothing could be sent: {0}")]
    NothingSent(#[source] io::Error),
    /// The addresses of an adapter could not be read or changed.
    #[error("the addresses of {adapter} cannot be read or changed: {source}")]
    Addressing {
        /// The adapter.
        adapter: String,
        /// Why.
        source: io::Error,
    },
    /// The system's table of neighbours could not be read or changed.
    #[error("the table of neighbours of {adapter} cannot be read or changed: {source}")]
    Neighbours {
        /// The adapter.
        adapter: String,
        /// Why.
        source: io::Error,
    },
    /// Raw frames are not to be had.
    #[error("no raw frames on {adapter}: {source}")]
    Frames {
        /// The adapter.
        adapter: String,
        /// Why.
        source: io::Error,
    },
    /// The system has found somebody else at an address that it was given.
    #[error("{address} is held by another device, as this system found out when {adapter} was given it")]
    HeldElsewhere {
        /// The adapter.
        adapter: String,
        /// The address.
        address: Ipv4Addr,
    },
    /// The address belongs to the system's own DHCP client.
    #[error("{adapter} has {address} from the system's own DHCP client, and it is not taken from it")]
    OfDhcp {
        /// The adapter.
        adapter: String,
        /// The address.
        address: Ipv4Addr,
    },
    /// The near end of a pretended cable is nothing of this computer.
    #[error("{0} is pretended: nothing of this computer can be read or changed there")]
    Pretended(String),
    /// This system is not supported in that yet.
    #[error("on this system {0} is not possible yet")]
    NotOnThisSystem(&'static str),
    /// The system gives no timers or sockets to wait on.
    #[error("the system refuses to wait for the network: {0}")]
    Runtime(#[source] io::Error),
}
