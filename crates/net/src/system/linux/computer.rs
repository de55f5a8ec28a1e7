//! Linux: the kernel tells by netlink, and names who holds a port in /proc.

use std::collections::HashMap;
use std::fs;
use std::net::{IpAddr, Ipv4Addr};
use std::path::Path;

use futures_util::TryStreamExt;
use lantern_core::adapter::{Adapter, Holder, Medium, Origin, OwnAddress};
use lantern_core::address::{Mask, Subnet};
use lantern_core::{ART_NET_PORT, MacAddress};
use rtnetlink::packet_route::address::{AddressAttribute, AddressMessage};
use rtnetlink::packet_route::link::{
    InfoKind, LinkAttribute, LinkFlags, LinkInfo, LinkLayerType, LinkMessage, State,
};
use rtnetlink::packet_route::route::{RouteAddress, RouteAttribute, RouteMessage};
use rtnetlink::{Handle, RouteMessageBuilder};

use super::netlink::talk;
use crate::NetError;

/// "For ever", as the kernel says it.
const FOR_EVER: u32 = u32::MAX;

pub(crate) fn adapters() -> Result<Vec<Adapter>, NetError> {
    talk(async |netlink| ask(&netlink).await).map_err(NetError::Adapters)
}

async fn ask(netlink: &Handle) -> Result<Vec<Adapter>, rtnetlink::Error> {
    let links: Vec<LinkMessage> = netlink.link().get().execute().try_collect().await?;
    let addresses: Vec<AddressMessage> = netlink.address().get().execute().try_collect().await?;
    let every_route = RouteMessageBuilder::<Ipv4Addr>::new().build();
    let routes: Vec<RouteMessage> = netlink.route().get(every_route).execute().try_collect().await?;
    Ok(links.iter().filter_map(|link| adapter(link, &addresses, &routes)).collect())
}

fn adapter(link: &LinkMessage, addresses: &[AddressMessage], routes: &[RouteMessage]) -> Option<Adapter> {
    let index = link.header.index;
    let name = link.attributes.iter().find_map(|attribute| match attribute {
        LinkAttribute::IfName(name) => Some(name.clone()),
        _ => None,
    })?;
    let mac = link.attributes.iter().find_map(|attribute| match attribute {
        LinkAttribute::Address(bytes) => <[u8; 6]>::try_from(&bytes[..]).ok().map(MacAddress),
        _ => None,
    });
    Some(Adapter {
        label: None,
        preferred: false,
        medium: medium(link, &name),
        on: link.header.flags.contains(LinkFlags::Up),
        link: has_link(link),
        speed: speed(&name),
        mac: mac.filter(|mac| mac.is_known()),
        addresses: addresses.iter().filter(|a| a.header.index == index).filter_map(own_address).collect(),
        gateways: routes.iter().filter_map(|route| gateway(route, index)).collect(),
        name,
    })
}

/// Some adapters (loopback, tunnels) do not watch their link and say "unknown": then being switched on has to do.
fn has_link(link: &LinkMessage) -> bool {
    let state = link.attributes.iter().find_map(|attribute| match attribute {
        LinkAttribute::OperState(state) => Some(*state),
        _ => None,
    });
    match state {
        Some(State::Up) => true,
        Some(State::Unknown) | None => link.header.flags.contains(LinkFlags::Up | LinkFlags::LowerUp),
        Some(_) => false,
    }
}

fn medium(link: &LinkMessage, name: &str) -> Medium {
    let kind = link.attributes.iter().find_map(|attribute| match attribute {
        LinkAttribute::LinkInfo(infos) => infos.iter().find_map(|info| match info {
            LinkInfo::Kind(kind) => Some(kind),
            _ => None,
        }),
        _ => None,
    });
    if link.header.flags.contains(LinkFlags::Loopback) {
        return Medium::Loopback;
    }
    if is_wireless(name) {
        return Medium::Wireless;
    }
    match (kind, link.header.link_layer_type) {
        // A virtual cable is a cable, unless it only leads to a bridge on this computer.
        (Some(InfoKind::Veth), _) if link.attributes.iter().any(|a| matches!(a, LinkAttribute::Controller(_))) => {
            Medium::Virtual
        }
        (
            None | Some(InfoKind::Veth | InfoKind::Vlan | InfoKind::Bond | InfoKind::MacVlan),
            LinkLayerType::Ether,
        ) => Medium::Wired,
        (Some(InfoKind::Bridge | InfoKind::Dummy | InfoKind::Ifb | InfoKind::Vrf | InfoKind::Veth), _) => {
            Medium::Virtual
        }
        _ => Medium::Tunnel,
    }
}

fn is_wireless(name: &str) -> bool {
    let folder = Path::new("/sys/class/net").join(name);
    folder.join("wireless").exists() || folder.join("phy80211").exists()
}

fn speed(name: &str) -> Option<u32> {
    fs::read_to_string(Path::new("/sys/class/net").join(name).join("speed")).ok()?.trim().parse().ok()
}

fn own_address(message: &AddressMessage) -> Option<OwnAddress> {
    // On a point-to-point link "address" is the other end; "local" is always ours.
    let local = message.attributes.iter().find_map(|attribute| match attribute {
        AddressAttribute::Local(IpAddr::V4(address)) => Some(*address),
        _ => None,
    });
    let valid = message.attributes.iter().find_map(|attribute| match attribute {
        AddressAttribute::CacheInfo(info) => Some(info.ifa_valid),
        _ => None,
    });
    let address = local?;
    let mask = Mask::from_prefix(message.header.prefix_len)?;
    let origin = match valid {
        Some(FOR_EVER) => Origin::Fixed,
        Some(_) => Origin::Leased,
        None => Origin::Unknown,
    };
    Some(OwnAddress { address, subnet: Subnet::around(address, mask), origin })
}

/// The stricter of the two settings holds (ip-sysctl, rp_filter): 1 is strict, 2 asks only for any way back.
pub(crate) fn drops_foreign(adapter: &str) -> bool {
    let of =
        |name: &str| fs::read_to_string(format!("/proc/sys/net/ipv4/conf/{name}/rp_filter")).unwrap_or_default();
    let setting = |name: &str| of(name).trim().parse::<u8>().unwrap_or(0);
    setting("all").max(setting(adapter)) == 1
}

/// The gateway of a default route through this adapter.
fn gateway(route: &RouteMessage, index: u32) -> Option<Ipv4Addr> {
    let through = route.attributes.contains(&RouteAttribute::Oif(index));
    let gateway = route.attributes.iter().find_map(|attribute| match attribute {
        RouteAttribute::Gateway(RouteAddress::Inet(gateway)) => Some(*gateway),
        _ => None,
    });
    gateway.filter(|_| through && route.header.destination_prefix_length == 0)
}

/// Who holds the Art-Net port; programs of other users have no name here.
pub(crate) fn holders() -> Vec<Holder> {
    let table = fs::read_to_string("/proc/self/net/udp").unwrap_or_default();
    let sockets: Vec<(Ipv4Addr, String)> = table.lines().skip(1).filter_map(held).collect();
    if sockets.is_empty() {
        return Vec::new();
    }
    let programs = programs_by_socket();
    let holder = |(address, inode): (Ipv4Addr, String)| Holder {
        program: programs.get(&inode).map(|name| name.as_str().into()),
        address,
    };
    sockets.into_iter().map(holder).collect()
}

/// Address and inode of a line of /proc/net/udp that is about our port.
fn held(line: &str) -> Option<(Ipv4Addr, String)> {
    let mut columns = line.split_whitespace();
    let (address, port) = columns.nth(1)?.split_once(':')?;
    let inode = columns.nth(7)?;
    // The kernel prints the address as a number in the machine's own byte order.
    let address = Ipv4Addr::from(u32::from_str_radix(address, 16).ok()?.to_ne_bytes());
    (u16::from_str_radix(port, 16) == Ok(ART_NET_PORT)).then(|| (address, inode.to_owned()))
}

/// The name of the program behind each socket, as far as we may look.
fn programs_by_socket() -> HashMap<String, String> {
    let mut programs = HashMap::new();
    let processes = fs::read_dir("/proc").into_iter().flatten().filter_map(Result::ok).map(|entry| entry.path());
    for process in processes.filter(|path| is_process(path)) {
        let Ok(name) = fs::read_to_string(process.join("comm")) else { continue };
        let open = fs::read_dir(process.join("fd")).into_iter().flatten().filter_map(Result::ok);
        for target in open.filter_map(|entry| fs::read_link(entry.path()).ok()) {
            let target = target.to_string_lossy();
            if let Some(inode) = target.strip_prefix("socket:[").and_then(|rest| rest.strip_suffix(']')) {
                programs.insert(inode.to_owned(), name.trim().to_owned());
            }
        }
    }
    programs
}

fn is_process(path: &Path) -> bool {
    path.file_name().is_some_and(|name| name.to_string_lossy().bytes().all(|byte| byte.is_ascii_digit()))
}

/// The name servers every program of this computer asks (resolv.conf(5)).
pub(crate) fn name_servers() -> Vec<IpAddr> {
    servers_in(&fs::read_to_string("/etc/resolv.conf").unwrap_or_default())
}

fn servers_in(text: &str) -> Vec<IpAddr> {
    text.lines().filter_map(|line| line.trim().strip_prefix("nameserver")?.trim().parse().ok()).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn name_servers_are_read_and_all_else_left_alone() {
        let text =
            "# comment\nsearch rig\nnameserver 10.40.0.1\n nameserver ::1\nnameserver nonsense\noptions x\n";
        let expected: [IpAddr; 2] = ["10.40.0.1".parse().unwrap(), "::1".parse().unwrap()];
        assert_eq!(servers_in(text), expected);
    }

    #[test]
    fn a_line_of_the_socket_table_is_read() {
        let line = " 4215: 0100007F:1936 00000000:0000 07 00000000:00000000 00:00000000 00000000     0        0 31337 2 \
                    0000000000000000 0";
        assert_eq!(held(line), Some((Ipv4Addr::from(0x0100_007f_u32.to_ne_bytes()), "31337".to_owned())));
        assert_eq!(held(&line.replace("1936", "1937")), None);
        assert_eq!(held("nonsense"), None);
    }
}
