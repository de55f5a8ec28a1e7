//! Asking single addresses: whether anybody has one, and whether whoever was seen can be talked to.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::{Arp, Link, packet};

use super::Survey;
use crate::census::Sighting;
use crate::conversation::Outgoing;

impl Survey {
    pub(super) fn consider_echo(&mut self, now: Duration, sighting: &Sighting) {
        if !self.plan.can_ask_echo() {
            return;
        }
        let is_meant =
            self.plan.concern.has(sighting.from, sighting.mac) || self.concerned.contains(&sighting.from);
        if !is_meant {
            return;
        }
        let whom = (sighting.from, sighting.mac.filter(|_| self.plan.vantage.means.frames));
        if self.outbox.reaches(sighting.from) && self.echoes.ask(now, whom) && self.plan.vantage.means.frames {
            // Everybody is asked who has the address: whoever shares it answers too.
            self.knock(sighting.from);
        }
        if sighting.to_us {
            self.echoes.answered(whom);
        }
    }

    pub(super) fn sweep(&mut self, now: Duration) {
        while !self.sweep.is_over() && self.outbox.has_room(now) {
            // Without frames and echo only the system can tell a MAC address, once it was made to look for it.
            let (census, means) = (&self.census, self.plan.vantage.means);
            let is_settled = |address| (means.frames || means.echo) && census.is_seen(address);
            let Some(address) = self.sweep.next(now, is_settled) else { break };
            let outgoing = self.knocking(address);
            self.outbox.send_now(outgoing);
        }
    }

    /// Asks whether anybody has an address, in the best way there is.
    fn knock(&mut self, address: Ipv4Addr) {
        let outgoing = self.knocking(address);
        self.outbox.send_in_turn(outgoing);
    }

    fn knocking(&self, address: Ipv4Addr) -> Outgoing {
        let seat = self.outbox.seat_beside(address);
        match self.plan.vantage.frames_from() {
            Some(own) => {
                // Whoever sits in another subnet is asked without claiming an address there.
                let sender = seat.map_or(Ipv4Addr::UNSPECIFIED, |seat| self.plan.vantage.seats[seat].own);
                Outgoing::Frame(Arp { sender, ..Arp::probe(own, address) }.to_bytes())
            }
            None if self.plan.vantage.means.echo => {
                Outgoing::Echo { seat: seat.unwrap_or(0), to: address, number: 1 }
            }
            None => self.outbox.knocking(address),
        }
    }

    pub(super) fn ask_echoes(&mut self, now: Duration) {
        while let Some(((address, mac), _)) = self.echoes.next(now) {
            let seat = self.outbox.seat_beside(address).unwrap_or(0);
            match (self.plan.vantage.frames_from(), mac) {
                (Some(own), Some(mac)) => {
                    let link = Link { from: own, to: mac };
                    let frame = packet::echo_request(
                        link,
                        self.plan.vantage.seats[seat].own,
                        address,
                        self.plan.vantage.mark,
                        1,
                    );
                    self.outbox.send_in_turn(Outgoing::Frame(frame));
                }
                // Its MAC address comes with the answer to this.
                (Some(_), None) => self.knock(address),
                (None, _) => self.outbox.send_in_turn(Outgoing::Echo { seat, to: address, number: 1 }),
            }
        }
    }
}
