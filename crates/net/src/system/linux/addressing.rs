//! Linux: by netlink.

use std::fs;
use std::io;
use std::net::{IpAddr, Ipv4Addr};

use futures_util::TryStreamExt;
use lantern_core::adapter::{AdapterState, AddressState, Move, RouteState};
use rtnetlink::packet_route::address::{AddressAttribute, AddressMessage, CacheInfo};
use rtnetlink::packet_route::route::{RouteAddress, RouteAttribute, RouteMessage, RouteProtocol, RouteType};
use rtnetlink::{Handle, RouteMessageBuilder};

use super::netlink::{index_of, talk};
use crate::NetError;

/// Bits of the effective capabilities (capabilities(7)).
const NET_ADMIN: u64 = 1 << 12;
const NET_RAW: u64 = 1 << 13;

/// That the system looks for others at an address before it speaks from there.
pub(crate) const DETECTS_DUPLICATES: bool = false;

pub(crate) fn state(adapter: &str) -> Result<AdapterState, NetError> {
    let read = talk(async |netlink| {
        let index = index_of(&netlink, adapter).await?;
        let addresses: Vec<AddressMessage> = netlink.address().get().execute().try_collect().await?;
        let every_route = RouteMessageBuilder::<Ipv4Addr>::new().build();
        let routes: Vec<RouteMessage> = netlink.route().get(every_route).execute().try_collect().await?;
        Ok(AdapterState {
            addresses: addresses.iter().filter(|a| a.header.index == index).filter_map(address).collect(),
            routes: routes.iter().filter_map(|message| route(message, index)).collect(),
        })
    });
    read.map_err(|source| NetError::Addressing { adapter: adapter.to_owned(), source })
}

fn address(message: &AddressMessage) -> Option<AddressState> {
    let mut state = AddressState {
        address: Ipv4Addr::UNSPECIFIED,
        prefix: message.header.prefix_len,
        broadcast: None,
        label: None,
        scope: message.header.scope.into(),
        valid: u32::MAX,
        preferred: u32::MAX,
    };
    for attribute in &message.attributes {
        match attribute {
            AddressAttribute::Local(IpAddr::V4(address)) => state.address = *address,
            AddressAttribute::Broadcast(address) => state.broadcast = Some(*address),
            AddressAttribute::Label(label) => state.label = Some(label.clone()),
            AddressAttribute::CacheInfo(info) => {
                (state.valid, state.preferred) = (info.ifa_valid, info.ifa_preferred);
            }
            _ => {}
        }
    }
    (!state.address.is_unspecified()).then_some(state)
}

fn route(message: &RouteMessage, index: u32) -> Option<RouteState> {
    let header = &message.header;
    let made_by_kernel = header.protocol == RouteProtocol::Kernel;
    let through = message.attributes.contains(&RouteAttribute::Oif(index));
    if made_by_kernel || !through || header.kind != RouteType::Unicast {
        return None;
    }
    let mut state = RouteState {
        destination: Ipv4Addr::UNSPECIFIED,
        prefix: header.destination_prefix_length,
        gateway: None,
        source: None,
        metric: None,
        table: header.table.into(),
        protocol: header.protocol.into(),
        scope: header.scope.into(),
    };
    for attribute in &message.attributes {
        match attribute {
            RouteAttribute::Destination(RouteAddress::Inet(address)) => state.destination = *address,
            RouteAttribute::Gateway(RouteAddress::Inet(address)) => state.gateway = Some(*address),
            RouteAttribute::PrefSource(RouteAddress::Inet(address)) => state.source = Some(*address),
            RouteAttribute::Priority(metric) => state.metric = Some(*metric),
            RouteAttribute::Table(table) => state.table = *table,
            _ => {}
        }
    }
    Some(state)
}

pub(crate) fn carry_out(adapter: &str, moves: &[Move]) -> Result<(), NetError> {
    let done = talk(async |netlink| {
        let index = index_of(&netlink, adapter).await?;
        for one in moves {
            make(&netlink, index, one).await?;
        }
        Ok(())
    });
    done.map_err(|source| NetError::Addressing { adapter: adapter.to_owned(), source })
}

async fn make(netlink: &Handle, index: u32, one: &Move) -> Result<(), rtnetlink::Error> {
    match one {
        Move::AddAddress(state) => {
            let mut request = netlink.address().add(index, IpAddr::V4(state.address), state.prefix);
            fill(request.message_mut(), state);
            request.execute().await
        }
        Move::RemoveAddress(state) => {
            let mut message = AddressMessage::default();
            message.header.family = rtnetlink::packet_route::AddressFamily::Inet;
            message.header.index = index;
            message.header.prefix_len = state.prefix;
            message.attributes.push(AddressAttribute::Local(IpAddr::V4(state.address)));
            netlink.address().del(message).execute().await
        }
        Move::AddRoute(state) => netlink.route().add(message(state, index)).execute().await,
        Move::RemoveRoute(state) => netlink.route().del(message(state, index)).execute().await,
    }
}

/// Everything of the address as it was, not as the kernel would choose it.
fn fill(message: &mut AddressMessage, state: &AddressState) {
    message.header.scope = state.scope.into();
    let own = IpAddr::V4(state.address);
    message.attributes = vec![AddressAttribute::Local(own), AddressAttribute::Address(own)];
    message.attributes.extend(state.broadcast.map(AddressAttribute::Broadcast));
    message.attributes.extend(state.label.clone().map(AddressAttribute::Label));
    let mut lifetime = CacheInfo::default();
    (lifetime.ifa_valid, lifetime.ifa_preferred) = (state.valid, state.preferred);
    message.attributes.push(AddressAttribute::CacheInfo(lifetime));
}

fn message(state: &RouteState, index: u32) -> RouteMessage {
    let mut route = RouteMessageBuilder::<Ipv4Addr>::new()
        .output_interface(index)
        .destination_prefix(state.destination, state.prefix)
        .table_id(state.table)
        .protocol(state.protocol.into())
        .scope(state.scope.into());
    if let Some(gateway) = state.gateway {
        route = route.gateway(gateway);
    }
    if let Some(source) = state.source {
        route = route.pref_source(source);
    }
    if let Some(metric) = state.metric {
        route = route.priority(metric);
    }
    route.build()
}

pub(crate) fn missing_rights() -> Vec<&'static str> {
    let effective = effective_capabilities().unwrap_or(0);
    let needed = [
        (NET_ADMIN, "changing addresses (CAP_NET_ADMIN)"),
        (NET_RAW, "raw frames, to probe by ARP (CAP_NET_RAW)"),
    ];
    needed.into_iter().filter(|(bit, _)| effective & bit == 0).map(|(_, words)| words).collect()
}

fn effective_capabilities() -> io::Result<u64> {
    let status = fs::read_to_string("/proc/self/status")?;
    let bits = status.lines().find_map(|line| line.strip_prefix("CapEff:")).unwrap_or("0");
    u64::from_str_radix(bits.trim(), 16).map_err(io::Error::other)
}

pub(crate) fn start_mark() -> String {
    fs::read_to_string("/proc/sys/kernel/random/boot_id").unwrap_or_default().trim().to_owned()
}
