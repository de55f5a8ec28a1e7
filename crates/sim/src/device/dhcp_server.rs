//! A DHCP server that offers one address and gives none away (RFC 2131).

use std::collections::VecDeque;
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::dhcp::{CLIENT_PORT, Dhcp, DhcpKind, SERVER_PORT};

use super::body::Body;
use super::{DeviceSetup, Role, Utterance};
use crate::{Destination, Speech};

#[derive(Debug)]
pub(super) struct DhcpServer {
    own: Ipv4Addr,
    mask: Ipv4Addr,
    offers: Ipv4Addr,
    said: VecDeque<Utterance>,
}

impl DhcpServer {
    pub(super) fn new(device: &DeviceSetup, offers: Ipv4Addr) -> Self {
        Self { own: device.address, mask: device.mask, offers, said: VecDeque::new() }
    }
}

impl Role for DhcpServer {
    fn port(&self) -> Option<u16> {
        Some(SERVER_PORT)
    }

    fn hear(&mut self, _: Duration, _: &mut Body, _: SocketAddrV4, bytes: &[u8]) {
        let Ok(message) = Dhcp::parse(bytes) else { return };
        if message.to_client || message.kind != DhcpKind::DISCOVER {
            return;
        }
        let offer = Dhcp {
            to_client: true,
            yours: self.offers,
            server: Some(self.own),
            mask: Some(self.mask),
            lease: Some(3600),
            ..Dhcp::from_client(DhcpKind::OFFER, message.transaction, message.client)
        };
        let to = Destination::One(SocketAddrV4::new(Ipv4Addr::BROADCAST, CLIENT_PORT));
        self.said.push_back(Utterance::Speech(Speech { port: SERVER_PORT, to, bytes: offer.to_bytes() }));
    }

    fn wake_at(&self) -> Option<Duration> {
        None
    }

    fn wake(&mut self, _: Duration, _: &mut Body) {}

    fn next(&mut self) -> Option<Utterance> {
        self.said.pop_front()
    }
}
