//! Adapters as a common crate tells them, for the systems that have no room of their own for that.

use lantern_core::MacAddress;
use lantern_core::adapter::{Adapter, Medium, Origin, OwnAddress};
use lantern_core::address::{Mask, Subnet};
use netdev::interface::state::OperState;
use netdev::interface::types::InterfaceType;
use netdev::{Interface, get_interfaces};

/// All of them, by the names that people know them by; without gateways.
pub(crate) fn adapters_told() -> Vec<Adapter> {
    get_interfaces().iter().map(adapter).collect()
}

fn adapter(told: &Interface) -> Adapter {
    // The first in a name that may be a number of thirty digits, the second what the system's own settings show.
    let name = told.friendly_name.clone().filter(|_| cfg!(windows)).unwrap_or_else(|| told.name.clone());
    let origin = match told.dhcp_v4_enabled {
        Some(true) => Origin::Leased,
        Some(false) => Origin::Fixed,
        None => Origin::Unknown,
    };
    let own = |net: &netdev::ipnet::Ipv4Net| {
        let mask = Mask::from_prefix(net.prefix_len())?;
        Some(OwnAddress { address: net.addr(), subnet: Subnet::around(net.addr(), mask), origin })
    };
    Adapter {
        label: None,
        preferred: false,
        medium: medium(told),
        on: told.oper_state != OperState::Down || told.is_up(),
        link: told.oper_state == OperState::Up || (told.oper_state == OperState::Unknown && told.is_up()),
        speed: told.transmit_speed.and_then(|bits| u32::try_from(bits / 1_000_000).ok()).filter(|mbit| *mbit > 0),
        mac: told.mac_addr.map(|mac| MacAddress(mac.octets())).filter(|mac| mac.0 != [0; 6]),
        addresses: told.ipv4.iter().filter_map(own).collect(),
        gateways: Vec::new(),
        name,
    }
}

fn medium(told: &Interface) -> Medium {
    match told.if_type {
        _ if told.is_loopback() => Medium::Loopback,
        InterfaceType::Loopback => Medium::Loopback,
        InterfaceType::Wireless80211 | InterfaceType::Wman | InterfaceType::Wwanpp | InterfaceType::Wwanpp2 => {
            Medium::Wireless
        }
        InterfaceType::Tunnel | InterfaceType::Ppp => Medium::Tunnel,
        InterfaceType::ProprietaryVirtual => Medium::Virtual,
        _ => Medium::Wired,
    }
}
