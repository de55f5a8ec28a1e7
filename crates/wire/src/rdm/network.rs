//! IP settings of a device (ANSI E1.37-2, section 4): parameters and their data. Nothing that is set takes effect before
//! [`APPLY`].
//!
//! ```text
//! LIST_INTERFACES   told: id 4, hardware type 2, for each interface
//! HARDWARE_ADDRESS  asked: id 4; told: id 4, MAC address 6
//! DHCP_MODE         asked: id 4; told and set: id 4, 0 or 1
//! CURRENT_ADDRESS   asked: id 4; told: id 4, address 4, prefix 1, by DHCP 1: 0 no, 1 yes, 2 unknown
//! STATIC_ADDRESS    asked: id 4; told and set: id 4, address 4, prefix 1
//! APPLY             set: id 4
//! DEFAULT_ROUTE     asked without data; told and set: id 4, address 4, all zero for none
//! DNS_NAME_SERVER   asked: index 1, 0 to 2; told and set: index 1, address 4, all zero for none
//! DNS_HOST_NAME     asked without data; told and set: text, 1 to 63 bytes
//! ```

use std::net::Ipv4Addr;

use super::text;
use crate::MacAddress;

/// Which interfaces there are (section 4.1).
pub const LIST_INTERFACES: u16 = 0x0700;
/// The MAC address of an interface (section 4.3).
pub const HARDWARE_ADDRESS: u16 = 0x0702;
/// Whether an interface is meant to take its address by DHCP (section 4.4).
pub const DHCP_MODE: u16 = 0x0703;
/// The address an interface has now (section 4.6).
pub const CURRENT_ADDRESS: u16 = 0x0705;
/// The address an interface is meant to have without DHCP (section 4.7).
pub const STATIC_ADDRESS: u16 = 0x0706;
/// Lets what was set take effect (section 4.10).
pub const APPLY: u16 = 0x0709;
/// The gateway (section 4.11).
pub const DEFAULT_ROUTE: u16 = 0x070a;

/// One of the servers that are asked for names (section 4.12).
pub const NAME_SERVER: u16 = 0x070b;
/// What the device is called on the network (section 4.13).
pub const HOST_NAME: u16 = 0x070c;
/// The most bytes of a host name.
pub const MOST_HOST_NAME: usize = 63;

/// The number of an interface.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct InterfaceId(pub u32);

/// An address with its prefix: of [`CURRENT_ADDRESS`] and [`STATIC_ADDRESS`].
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct InterfaceAddress {
    /// Of which interface.
    pub id: InterfaceId,
    /// All zero for none.
    pub address: Ipv4Addr,
    /// How many bits of the mask are set, 0 to 32.
    pub prefix: u8,
}

/// Whether an address came by DHCP.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Leased {
    /// It did not.
    No,
    /// It did.
    Yes,
    /// The device does not know, or says what the standard has no meaning for.
    Unknown,
}

impl InterfaceId {
    /// Its bytes: the data of most questions.
    #[must_use]
    pub const fn to_bytes(self) -> [u8; 4] {
        self.0.to_be_bytes()
    }
}

/// The interfaces told by [`LIST_INTERFACES`]; what is too short to be one is left out.
#[must_use]
pub fn interfaces(data: &[u8]) -> Vec<InterfaceId> {
    data.as_chunks::<6>()
        .0
        .iter()
        .map(|[a, b, c, d, ..]| InterfaceId(u32::from_be_bytes([*a, *b, *c, *d])))
        .collect()
}

/// The MAC address told by [`HARDWARE_ADDRESS`]; `None` when it is too short.
#[must_use]
pub fn hardware_address(data: &[u8]) -> Option<(InterfaceId, MacAddress)> {
    let (id, rest) = numbered(data)?;
    rest.first_chunk().map(|mac| (id, MacAddress(*mac)))
}

/// What [`DHCP_MODE`] tells; `None` when it is neither yes nor no.
#[must_use]
pub fn dhcp_mode(data: &[u8]) -> Option<(InterfaceId, bool)> {
    match numbered(data)? {
        (id, [0, ..]) => Some((id, false)),
        (id, [1, ..]) => Some((id, true)),
        _ => None,
    }
}

/// The data that sets [`DHCP_MODE`].
#[must_use]
pub fn set_dhcp_mode(id: InterfaceId, on: bool) -> Vec<u8> {
    [&id.to_bytes()[..], &[u8::from(on)]].concat()
}

/// What [`CURRENT_ADDRESS`] tells; `None` when it is too short or no prefix.
#[must_use]
pub fn current_address(data: &[u8]) -> Option<(InterfaceAddress, Leased)> {
    let leased = match data.get(9)? {
        0 => Leased::No,
        1 => Leased::Yes,
        _ => Leased::Unknown,
    };
    Some((static_address(data)?, leased))
}

/// What [`STATIC_ADDRESS`] tells; `None` when it is too short or no prefix.
#[must_use]
pub fn static_address(data: &[u8]) -> Option<InterfaceAddress> {
    let (id, rest) = numbered(data)?;
    let [a, b, c, d, prefix] = *rest.first_chunk()?;
    (prefix <= 32).then_some(InterfaceAddress { id, address: Ipv4Addr::new(a, b, c, d), prefix })
}

/// What [`DEFAULT_ROUTE`] tells; `None` when it is too short.
#[must_use]
pub fn default_route(data: &[u8]) -> Option<(InterfaceId, Ipv4Addr)> {
    let (id, rest) = numbered(data)?;
    rest.first_chunk::<4>().map(|address| (id, Ipv4Addr::from(*address)))
}

/// The data that sets [`DEFAULT_ROUTE`].
#[must_use]
pub fn set_default_route(id: InterfaceId, gateway: Ipv4Addr) -> Vec<u8> {
    [id.to_bytes(), gateway.octets()].concat()
}

/// What [`NAME_SERVER`] tells of the server of an index; `None` when it is too short.
#[must_use]
pub fn name_server(data: &[u8]) -> Option<(u8, Ipv4Addr)> {
    let [index, a, b, c, d] = *data.first_chunk()?;
    Some((index, Ipv4Addr::new(a, b, c, d)))
}

/// The data that sets [`NAME_SERVER`].
#[must_use]
pub fn set_name_server(index: u8, address: Ipv4Addr) -> Vec<u8> {
    [&[index][..], &address.octets()].concat()
}

/// The data that sets [`HOST_NAME`], cut to what fits.
#[must_use]
pub fn set_host_name(name: &str) -> Vec<u8> {
    text::cut(name, MOST_HOST_NAME)
}

impl InterfaceAddress {
    /// The data that sets [`STATIC_ADDRESS`].
    #[must_use]
    pub fn to_bytes(self) -> Vec<u8> {
        [&self.id.to_bytes()[..], &self.address.octets(), &[self.prefix]].concat()
    }

    /// The mask that the prefix stands for.
    #[must_use]
    pub fn mask(self) -> Ipv4Addr {
        Ipv4Addr::from_bits(u32::MAX.checked_shl(32 - u32::from(self.prefix)).unwrap_or(0))
    }
}

fn numbered(data: &[u8]) -> Option<(InterfaceId, &[u8])> {
    let (id, rest) = data.split_first_chunk()?;
    Some((InterfaceId(u32::from_be_bytes(*id)), rest))
}
