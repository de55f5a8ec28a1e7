//! The system's table of neighbours: addresses it has found a MAC address for, by netlink.

use std::io;
use std::net::{IpAddr, Ipv4Addr};

use futures_util::TryStreamExt;
use lantern_core::MacAddress;
use lantern_core::adapter::{Entry, Held};
use lantern_core::conversation::Neighbour;
use rtnetlink::packet_route::AddressFamily;
use rtnetlink::packet_route::neighbour::{NeighbourAddress, NeighbourAttribute, NeighbourMessage, NeighbourState};
use rtnetlink::{Handle, new_connection};

use super::netlink::{index_of, into_io, talk};
use crate::neighbours::known;

/// That it can be read at all.
pub(crate) const IS_TOLD: bool = true;

/// What the system knows of the neighbours on this adapter; nothing where it does not tell.
pub(crate) async fn neighbours(adapter: &str) -> Vec<Neighbour> {
    known(&read(adapter).await.unwrap_or_default())
}

async fn read(adapter: &str) -> io::Result<Vec<Entry>> {
    let (connection, netlink, _) = new_connection()?;
    let connection = tokio::spawn(connection);
    let all = messages(&netlink, adapter).await.map_err(into_io)?;
    connection.abort();
    Ok(all.iter().filter_map(entry).collect())
}

async fn messages(netlink: &Handle, adapter: &str) -> Result<Vec<NeighbourMessage>, rtnetlink::Error> {
    let index = index_of(netlink, adapter).await?;
    let all = netlink.neighbours().get().set_address_family(AddressFamily::Inet).execute();
    let all: Vec<NeighbourMessage> = all.try_collect().await?;
    Ok(all.into_iter().filter(|one| one.header.ifindex == index).collect())
}

/// The whole table of this adapter.
pub(crate) fn table(adapter: &str) -> io::Result<Vec<Entry>> {
    let all = talk(async |netlink| messages(&netlink, adapter).await)?;
    Ok(all.iter().filter_map(entry).collect())
}

/// Takes an entry off, pinned or not.
pub(crate) fn drop_entry(adapter: &str, address: Ipv4Addr) -> io::Result<()> {
    talk(async |netlink| {
        let all = messages(&netlink, adapter).await?;
        for one in all.into_iter().filter(|one| destination(one) == Some(address)) {
            netlink.neighbours().del(one).execute().await?;
        }
        Ok(())
    })
}

/// Writes an entry that the system never asks about again.
pub(crate) fn pin(adapter: &str, address: Ipv4Addr, mac: MacAddress) -> io::Result<()> {
    talk(async |netlink| {
        let index = index_of(&netlink, adapter).await?;
        let pinned = netlink.neighbours().add(index, IpAddr::V4(address)).state(NeighbourState::Permanent);
        pinned.link_layer_address(&mac.0).replace().execute().await
    })
}

fn destination(message: &NeighbourMessage) -> Option<Ipv4Addr> {
    message.attributes.iter().find_map(|attribute| match attribute {
        NeighbourAttribute::Destination(NeighbourAddress::Inet(address)) => Some(*address),
        _ => None,
    })
}

fn entry(message: &NeighbourMessage) -> Option<Entry> {
    let held = match message.header.state {
        NeighbourState::Reachable => Held::Fresh,
        NeighbourState::Permanent => Held::Pinned,
        NeighbourState::Stale | NeighbourState::Delay | NeighbourState::Probe => Held::Stale,
        NeighbourState::Incomplete => Held::Asking,
        NeighbourState::Failed => Held::Unanswered,
        // What needs no question: broadcasts, groups, ourselves.
        _ => return None,
    };
    let mac = message.attributes.iter().find_map(|attribute| match attribute {
        NeighbourAttribute::LinkLayerAddress(bytes) => <[u8; 6]>::try_from(&bytes[..]).ok().map(MacAddress),
        _ => None,
    });
    Some(Entry { address: destination(message)?, mac, held })
}
