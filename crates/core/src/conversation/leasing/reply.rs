//! An answer, and whom its frame is for (RFC 2131, section 4.1).

use std::net::{Ipv4Addr, SocketAddrV4};

use lantern_wire::dhcp::{CLIENT_PORT, Dhcp, DhcpKind, SERVER_PORT};
use lantern_wire::{Arp, MacAddress, UdpFrame};

use crate::lease::Terms;

/// For how long an address is given, and when to ask again, in seconds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Times {
    pub(super) lease: u32,
    renew: u32,
    rebind: u32,
}

impl Times {
    /// As long as it runs: a unit asks again soon enough to be told anything.
    pub(super) const SHORT: Self = Self { lease: 60, renew: 20, rebind: 45 };

    /// In the usual proportions (RFC 2131, section 4.4.5).
    pub(super) const fn of(lease: u32) -> Self {
        Self { lease, renew: lease / 2, rebind: lease / 8 * 7 }
    }
}

/// An answer to a message.
#[derive(Debug)]
pub(super) struct Reply<'m> {
    /// Our MAC address.
    pub(super) own: MacAddress,
    /// Our address there.
    pub(super) server: Ipv4Addr,
    pub(super) to: &'m Dhcp,
    /// The MAC address of the frame that the message came in.
    pub(super) frame_from: MacAddress,
}

impl Reply<'_> {
    /// What is said with an address, as a frame. Whoever asks only what else there is to know has its address already.
    pub(super) fn with(&self, kind: DhcpKind, terms: &Terms, times: Option<Times>) -> Option<Vec<u8>> {
        let yours = if times.is_some() { terms.address } else { Ipv4Addr::UNSPECIFIED };
        self.frame(&Dhcp {
            yours,
            mask: Some(terms.mask.dotted()),
            router: terms.gateway,
            lease: times.map(|times| times.lease),
            renew_after: times.map(|times| times.renew),
            rebind_after: times.map(|times| times.rebind),
            host_name: terms.host_name.clone().into_bytes(),
            ..self.to.answer(kind, self.server)
        })
    }

    /// That it cannot have what it wants.
    pub(super) fn refusal(&self) -> Option<Vec<u8>> {
        let words = b"the rig sheet plans another address".to_vec();
        self.frame(&Dhcp { words, ..self.to.answer(DhcpKind::NAK, self.server) })
    }

    fn frame(&self, answer: &Dhcp) -> Option<Vec<u8>> {
        let asked = self.to;
        let client = |address| (asked.client, SocketAddrV4::new(address, CLIENT_PORT));
        let (to_mac, to) = if !asked.relay.is_unspecified() {
            (self.frame_from, SocketAddrV4::new(asked.relay, SERVER_PORT))
        } else if answer.kind != DhcpKind::NAK && !asked.has.is_unspecified() {
            client(asked.has)
        } else if answer.by_broadcast {
            (Arp::EVERYBODY, SocketAddrV4::new(Ipv4Addr::BROADCAST, CLIENT_PORT))
        } else {
            client(answer.yours)
        };
        let payload = answer.to_bytes();
        let from = SocketAddrV4::new(self.server, SERVER_PORT);
        UdpFrame { from_mac: self.own, to_mac, from, to, payload: &payload }.to_bytes()
    }
}
