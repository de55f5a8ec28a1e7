//! What every device has besides its roles: an address, how it came by it, and how it gets another.

use std::net::{Ipv4Addr, SocketAddr};
use std::time::Duration;

use lantern_wire::MacAddress;

use super::DeviceSetup;
use crate::link_local;

/// The IP settings of a device.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct IpState {
    /// Its address.
    pub address: Ipv4Addr,
    /// Its mask.
    pub mask: Ipv4Addr,
    /// Its gateway; all zero for none.
    pub gateway: Ipv4Addr,
    /// Whether its address comes by DHCP.
    pub dhcp: bool,
}

impl IpState {
    /// Nothing yet: it asks for an address.
    pub(super) const ASKING: Self = Self {
        address: Ipv4Addr::UNSPECIFIED,
        mask: Ipv4Addr::UNSPECIFIED,
        gateway: Ipv4Addr::UNSPECIFIED,
        dhcp: true,
    };
}

/// What a device is called on the network, and whom it asks there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Names {
    /// Its host name.
    pub host_name: String,
    /// The server that it asks for names; all zero for none.
    pub name_server: Ipv4Addr,
    /// The scope in which it looks for a broker.
    pub scope: String,
    /// Its broker, where it does not look for one.
    pub broker: Option<SocketAddr>,
}

/// A device's body.
#[derive(Debug)]
pub(super) struct Body {
    pub(super) mac: MacAddress,
    pub(super) ip: IpState,
    pub(super) names: Names,
    /// Whether it shows which one it is.
    pub(super) flashes: bool,
    /// What a DHCP server gives it; nothing where there is none.
    lease: Option<(Ipv4Addr, Ipv4Addr)>,
    /// Whether it really asks for one.
    asks: bool,
    /// What it becomes, and when; until then it is silent.
    becomes: Option<(Duration, IpState)>,
}

impl Body {
    pub(super) fn new(setup: &DeviceSetup) -> Self {
        let asks = setup.dhcp_client.is_some();
        let address = if asks && setup.dhcp { Ipv4Addr::UNSPECIFIED } else { setup.address };
        let ip = IpState { address, mask: setup.mask, gateway: setup.gateway, dhcp: setup.dhcp };
        Self {
            mac: setup.mac,
            ip,
            names: Names {
                host_name: setup.name.clone(),
                name_server: Ipv4Addr::UNSPECIFIED,
                scope: "default".to_owned(),
                broker: None,
            },
            flashes: false,
            lease: setup.lease.map(|lease| (lease, setup.mask)),
            asks,
            becomes: None,
        }
    }

    /// Takes other settings at that time, and is silent until then. By DHCP it gets its lease, or chooses a link-local
    /// address (RFC 3927).
    pub(super) fn change(&mut self, at: Duration, wanted: IpState) {
        let chosen = (link_local::address(self.mac), link_local::MASK);
        let (address, mask) = match (wanted.dhcp, self.asks) {
            (true, true) => (Ipv4Addr::UNSPECIFIED, Ipv4Addr::UNSPECIFIED),
            (true, false) => self.lease.unwrap_or(chosen),
            (false, _) => (wanted.address, wanted.mask),
        };
        self.becomes = Some((at, IpState { address, mask, ..wanted }));
    }

    /// Whether it is silent, since it takes other settings.
    pub(super) const fn is_away(&self) -> bool {
        self.becomes.is_some()
    }

    /// When it has taken them.
    pub(super) fn wake_at(&self) -> Option<Duration> {
        self.becomes.map(|(at, _)| at)
    }

    pub(super) fn wake(&mut self, now: Duration) {
        if let Some((at, ip)) = self.becomes
            && at <= now
        {
            self.ip = ip;
            self.becomes = None;
        }
    }
}
