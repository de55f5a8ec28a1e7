//! The way to a unit on the cable of an Art-Net gateway (Art-Net 4, "ArtRdm").

use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::art_net::{Message, PORT, Rdm};
use lantern_wire::rdm::{self, Uid};

use super::{Carrier, Reading, own_uid};
use crate::census::{FoundFixture, Told, Way};
use crate::conversation::{Heard, Outgoing, Seat, Vantage, sightings};
use crate::universe::PortAddress;

/// The gateway, and which of its cables.
#[derive(Debug)]
pub(in crate::family) struct Gateway {
    vantage: Vantage,
    own: Uid,
    address: Ipv4Addr,
    universe: PortAddress,
}

impl Gateway {
    /// The one that this fixture hangs behind.
    pub(in crate::family) fn of(fixture: &FoundFixture, vantage: Vantage) -> Self {
        let (address, universe) = (fixture.behind.address, fixture.behind.universe);
        Self { own: own_uid(&vantage), vantage, address, universe }
    }
}

impl Carrier for Gateway {
    fn own(&self) -> Option<Uid> {
        Some(self.own)
    }

    fn whole(&self, uid: Uid) -> Reading {
        Reading::new(uid).with_settings()
    }

    fn send(&mut self, _: Duration, request: rdm::Message) -> Option<Outgoing> {
        let seat = Seat::beside(&self.vantage.seats, self.address)?;
        let bytes = Rdm::new(self.universe.flat(), request).to_bytes();
        Some(Outgoing::Datagram { seat, to: SocketAddrV4::new(self.address, PORT), bytes })
    }

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) -> Vec<rdm::Message> {
        let answer = |told: &Told| match told {
            Told::Spoke { family: Way::Rdm, bytes, .. } => match Message::parse(bytes) {
                Ok(Message::Rdm(answer)) if answer.port_address() == self.universe.flat() => Some(answer.message),
                _ => None,
            },
            _ => None,
        };
        let all = sightings(&self.vantage, now, heard).1;
        let from_there = all.iter().filter(|sighting| sighting.from == self.address);
        from_there.filter_map(|sighting| answer(&sighting.told)).filter(|answer| answer.to == self.own).collect()
    }
}
