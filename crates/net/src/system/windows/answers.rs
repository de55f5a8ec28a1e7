//! What commands of Windows answer, read: their numbers and addresses, never their words, which are of the user's language.

use std::io;
use std::net::Ipv4Addr;

use lantern_core::MacAddress;
use lantern_core::adapter::{AdapterState, AddressState, Entry, Held, Move, RouteState};
use lantern_core::address::{Mask, Subnet};
use serde::Deserialize;

/// An entry of `Get-NetNeighbor`, with its state as a number.
#[derive(Debug, Deserialize)]
#[serde(rename_all = "PascalCase")]
struct NetNeighbor {
    #[serde(rename = "IPAddress")]
    address: Ipv4Addr,
    link_layer_address: Option<String>,
    state: u8,
}

/// An entry of `Get-NetUDPEndpoint`, with the name of its program.
#[derive(Debug, Deserialize)]
#[serde(rename_all = "PascalCase")]
struct NetUdpEndpoint {
    local_address: String,
    program: Option<String>,
}

/// Addresses and routes of an adapter, as [`super::orders::to_read`] asks for them.
#[derive(Debug, Deserialize)]
#[serde(rename_all = "PascalCase")]
struct Told {
    addresses: Vec<NetIpAddress>,
    routes: Vec<NetRoute>,
}

#[derive(Debug, Deserialize)]
#[serde(rename_all = "PascalCase")]
struct NetIpAddress {
    #[serde(rename = "IPAddress")]
    address: Ipv4Addr,
    prefix_length: u8,
    valid_lifetime: u32,
    preferred_lifetime: u32,
}

#[derive(Debug, Deserialize)]
#[serde(rename_all = "PascalCase")]
struct NetRoute {
    destination_prefix: String,
    next_hop: Ipv4Addr,
    route_metric: u32,
}

/// What the adapter is set to. What is not understood is an error: half of it would be put back as if it were all.
pub(crate) fn state(json: &str, adapter: &str) -> io::Result<AdapterState> {
    let told: Told = serde_json::from_str(json).map_err(io::Error::other)?;
    let address = |one: &NetIpAddress| {
        let mask = Mask::from_prefix(one.prefix_length)?;
        let broadcast = Subnet::around(one.address, mask).broadcast();
        let fixed = AddressState::fixed(one.address, one.prefix_length, broadcast, adapter);
        Some(AddressState { valid: one.valid_lifetime, preferred: one.preferred_lifetime, ..fixed })
    };
    let route = |one: &NetRoute| {
        let (destination, prefix) = one.destination_prefix.split_once('/')?;
        Some(RouteState {
            destination: destination.parse().ok()?,
            prefix: prefix.parse().ok().filter(|prefix| *prefix <= 32)?,
            gateway: Some(one.next_hop).filter(|gateway| !gateway.is_unspecified()),
            source: None,
            metric: Some(one.route_metric),
            table: 0,
            protocol: 0,
            scope: 0,
        })
    };
    let addresses: Option<Vec<AddressState>> = told.addresses.iter().map(address).collect();
    let routes: Option<Vec<RouteState>> = told.routes.iter().map(route).collect();
    let all = addresses.zip(routes).map(|(addresses, routes)| AdapterState { addresses, routes });
    all.ok_or_else(|| io::Error::other("the system tells a prefix that is none"))
}

/// An address that this move would take from the system's own DHCP client, which would be at odds with that.
pub(crate) fn leased(one: &Move) -> Option<Ipv4Addr> {
    match one {
        Move::RemoveAddress(state) => (state.valid != u32::MAX).then_some(state.address),
        Move::AddAddress(_) | Move::AddRoute(_) | Move::RemoveRoute(_) => None,
    }
}

/// The addresses that somebody else was found to hold, one a line.
pub(crate) fn duplicates(said: &str) -> Vec<Ipv4Addr> {
    said.lines().filter_map(|line| line.trim().parse().ok()).collect()
}

/// The table of neighbours. States are those of the CIM class `MSFT_NetNeighbor`: 0 unreachable, 1 incomplete, 2 probe, 3 delay,
/// 4 stale, 5 reachable, 6 permanent.
pub(crate) fn neighbours(json: &str) -> Vec<Entry> {
    let all: Vec<NetNeighbor> = serde_json::from_str(json).unwrap_or_default();
    all.iter().filter_map(entry).collect()
}

fn entry(one: &NetNeighbor) -> Option<Entry> {
    let held = match one.state {
        0 => Held::Unanswered,
        1 => Held::Asking,
        2..=4 => Held::Stale,
        5 => Held::Fresh,
        // Groups and broadcasts stand there for good, too.
        6 if !one.address.is_multicast() && !one.address.is_broadcast() => Held::Pinned,
        _ => return None,
    };
    let mac = one.link_layer_address.as_deref().and_then(mac).filter(|mac| mac.0 != [0; 6]);
    let is_everybody = mac.is_some_and(|mac| mac.0 == [0xff; 6]);
    (!is_everybody).then_some(Entry { address: one.address, mac, held })
}

/// `02-4D-42-00-10-01`.
fn mac(text: &str) -> Option<MacAddress> {
    text.replace('-', ":").parse().ok()
}

/// Who holds a port: on which address, and the program's name where the system tells it.
pub(crate) fn holders(json: &str) -> Vec<(Ipv4Addr, Option<String>)> {
    let all: Vec<NetUdpEndpoint> = serde_json::from_str(json).unwrap_or_default();
    let of = |one: NetUdpEndpoint| {
        // Bound to every address of both versions it may be told as "::".
        let address = match one.local_address.as_str() {
            "::" => Ipv4Addr::UNSPECIFIED,
            text => text.parse().ok()?,
        };
        Some((address, one.program.filter(|name| !name.is_empty())))
    };
    all.into_iter().filter_map(of).collect()
}

/// The default routes in `route print -4`: the gateway, and the address of the adapter that it is reached by. A line of a route has
/// destination, mask, gateway, own address and metric.
pub(crate) fn gateways(text: &str) -> Vec<(Ipv4Addr, Ipv4Addr)> {
    let route = |line: &str| {
        let columns: Vec<&str> = line.split_whitespace().collect();
        let [destination, mask, gateway, own, _] = columns[..] else { return None };
        let is_default = [destination, mask].iter().all(|one| *one == "0.0.0.0");
        // What is reached without a gateway has a word there.
        is_default.then(|| Some((gateway.parse().ok()?, own.parse().ok()?))).flatten()
    };
    let mut all: Vec<(Ipv4Addr, Ipv4Addr)> = text.lines().filter_map(route).collect();
    all.dedup();
    all
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[test]
    fn the_table_of_neighbours_is_read_by_its_numbers() {
        let json = r#"[{"IPAddress":"10.40.1.100","LinkLayerAddress":"02-4D-42-00-10-01","State":5},
            {"IPAddress":"10.40.1.101","LinkLayerAddress":"02-4D-42-00-10-02","State":4},
            {"IPAddress":"10.40.1.102","LinkLayerAddress":"00-00-00-00-00-00","State":0},
            {"IPAddress":"10.40.1.103","LinkLayerAddress":null,"State":1},
            {"IPAddress":"10.40.1.104","LinkLayerAddress":"02-4D-42-00-10-05","State":6},
            {"IPAddress":"224.0.0.22","LinkLayerAddress":"01-00-5E-00-00-16","State":6},
            {"IPAddress":"10.40.255.255","LinkLayerAddress":"FF-FF-FF-FF-FF-FF","State":6}]"#;
        let read: Vec<(u8, bool, Held)> =
            neighbours(json).iter().map(|one| (one.address.octets()[3], one.mac.is_some(), one.held)).collect();
        let expected = [
            (100, true, Held::Fresh),
            (101, true, Held::Stale),
            (102, false, Held::Unanswered),
            (103, false, Held::Asking),
            (104, true, Held::Pinned),
        ];
        assert_eq!(read, expected);
    }

    /// Whatever comes instead of a table is no table.
    #[rstest]
    #[case("")]
    #[case("null")]
    #[case("{}")]
    #[case("Get-NetNeighbor : No matching MSFT_NetNeighbor objects found")]
    #[case(r#"[{"IPAddress":"fe80::1","State":5}]"#)]
    #[case(r#"[{"IPAddress":"10.40.1.1","State":500}]"#)]
    fn nonsense_is_nothing(#[case] text: &str) {
        assert!(neighbours(text).is_empty() && holders(text).is_empty() && gateways(text).is_empty());
    }

    #[test]
    fn who_holds_a_port_is_told() {
        let json = r#"[{"LocalAddress":"0.0.0.0","Program":"desk"},{"LocalAddress":"10.40.0.7","Program":""},
            {"LocalAddress":"::","Program":null},{"LocalAddress":"fe80::1%7","Program":"other"}]"#;
        let expected = [
            (Ipv4Addr::UNSPECIFIED, Some("desk".to_owned())),
            (Ipv4Addr::new(10, 40, 0, 7), None),
            (Ipv4Addr::UNSPECIFIED, None),
        ];
        assert_eq!(holders(json), expected);
    }

    #[test]
    fn what_an_adapter_is_set_to_is_read() {
        let json = r#"{"Routes":[{"RouteMetric":25,"NextHop":"10.40.0.1","DestinationPrefix":"0.0.0.0/0"},
            {"RouteMetric":0,"NextHop":"0.0.0.0","DestinationPrefix":"172.16.0.0/12"}],
            "Addresses":[{"PrefixLength":16,"IPAddress":"10.40.0.50","PreferredLifetime":4294967295,"ValidLifetime":4294967295},
            {"PrefixLength":24,"IPAddress":"192.168.1.20","PreferredLifetime":3000,"ValidLifetime":3600}]}"#;
        let read = state(json, "show").unwrap();
        let addresses: Vec<(u8, u8, u32, u32)> = read
            .addresses
            .iter()
            .map(|one| (one.address.octets()[3], one.prefix, one.valid, one.preferred))
            .collect();
        assert_eq!(addresses, [(50, 16, u32::MAX, u32::MAX), (20, 24, 3600, 3000)]);
        assert_eq!(read.addresses[1].broadcast, Some(Ipv4Addr::new(192, 168, 1, 255)));
        let routes: Vec<(u8, Option<Ipv4Addr>, Option<u32>)> =
            read.routes.iter().map(|one| (one.prefix, one.gateway, one.metric)).collect();
        assert_eq!(routes, [(0, Some(Ipv4Addr::new(10, 40, 0, 1)), Some(25)), (12, None, Some(0))]);
        // What the system's own client leased is not taken from it; what somebody wrote down may be.
        let taken = read.addresses.iter().map(|one| leased(&Move::RemoveAddress(one.clone())));
        assert_eq!(taken.collect::<Vec<_>>(), [None, Some(Ipv4Addr::new(192, 168, 1, 20))]);
    }

    #[rstest]
    #[case("")]
    #[case("{}")]
    #[case(r#"{"Addresses":[],"Routes":null}"#)]
    #[case(r#"{"Addresses":[{"PrefixLength":99,"IPAddress":"10.0.0.1","PreferredLifetime":1,"ValidLifetime":1}],"Routes":[]}"#)]
    #[case(r#"{"Addresses":[],"Routes":[{"RouteMetric":1,"NextHop":"10.0.0.1","DestinationPrefix":"10.0.0.0"}]}"#)]
    fn half_of_a_state_is_none(#[case] json: &str) {
        assert!(state(json, "show").is_err());
    }

    #[test]
    fn whoever_else_holds_an_address_is_told_in_lines() {
        assert_eq!(duplicates("10.40.0.50\r\n\r\n"), [Ipv4Addr::new(10, 40, 0, 50)]);
        assert!(duplicates("").is_empty());
    }

    #[test]
    fn default_routes_are_found_in_any_language() {
        let text = "===========\r\nAktive Routen:\r\n     Netzwerkziel    Netzwerkmaske          Gateway    Schnittstelle Metrik\r\n\
            \x20         0.0.0.0          0.0.0.0      192.168.1.1     192.168.1.20     25\r\n\
            \x20         0.0.0.0          0.0.0.0   Auf Verbindung        10.40.0.7    281\r\n\
            \x20         0.0.0.0          0.0.0.0          On-link        10.40.0.7    281\r\n\
            \x20       10.40.0.0      255.255.0.0         On-link         10.40.0.7    281\r\n";
        assert_eq!(gateways(text), [(Ipv4Addr::new(192, 168, 1, 1), Ipv4Addr::new(192, 168, 1, 20))]);
    }
}
