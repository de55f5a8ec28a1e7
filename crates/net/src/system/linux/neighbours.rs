//! The system's table of neighbours: addresses it has found a MAC address for, by netlink.

use std::io;

use futures_util::TryStreamExt;
use lantern_core::MacAddress;
use lantern_core::conversation::Neighbour;
use rtnetlink::new_connection;
use rtnetlink::packet_route::AddressFamily;
use rtnetlink::packet_route::neighbour::{NeighbourAddress, NeighbourAttribute, NeighbourMessage, NeighbourState};

use super::netlink::{index_of, into_io};

/// What the system knows of the neighbours on this adapter; nothing where it does not tell.
pub(crate) async fn neighbours(adapter: &str) -> Vec<Neighbour> {
    read(adapter).await.unwrap_or_default()
}

async fn read(adapter: &str) -> io::Result<Vec<Neighbour>> {
    let (connection, netlink, _) = new_connection()?;
    let connection = tokio::spawn(connection);
    let index = index_of(&netlink, adapter).await.map_err(into_io)?;
    let all = netlink.neighbours().get().set_address_family(AddressFamily::Inet).execute();
    let all: Vec<NeighbourMessage> = all.try_collect().await.map_err(into_io)?;
    connection.abort();
    Ok(all.iter().filter(|one| one.header.ifindex == index).filter_map(neighbour).collect())
}

fn neighbour(message: &NeighbourMessage) -> Option<Neighbour> {
    use NeighbourState::{Delay, Permanent, Probe, Reachable, Stale};
    let fresh = matches!(message.header.state, Reachable | Permanent);
    if !fresh && !matches!(message.header.state, Stale | Delay | Probe) {
        return None;
    }
    let address = message.attributes.iter().find_map(|attribute| match attribute {
        NeighbourAttribute::Destination(NeighbourAddress::Inet(address)) => Some(*address),
        _ => None,
    })?;
    let mac = message.attributes.iter().find_map(|attribute| match attribute {
        NeighbourAttribute::LinkLayerAddress(bytes) => <[u8; 6]>::try_from(&bytes[..]).ok().map(MacAddress),
        _ => None,
    })?;
    Some(Neighbour { address, mac, fresh })
}
