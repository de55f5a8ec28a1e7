//! Whole frames: what the guest sends as such, and what devices say to each other.

use std::net::{Ipv4Addr, SocketAddrV4};

use lantern_wire::{Arp, ArpOperation, Carries, MacAddress, Packet, UdpFrame, packet};

use super::{MemoryGround, Parcel, Party};
use crate::SimDevice;

impl MemoryGround {
    /// The guest sends a frame: whoever it asks by ARP or echo answers.
    pub fn send_frame(&mut self, frame: &[u8]) {
        let Some(guest) = self.guest_mac else { return };
        let frames: Vec<Vec<u8>> = match (Arp::parse(frame), Packet::parse(frame)) {
            (Ok(asks), _) if asks.operation == ArpOperation::REQUEST => {
                self.answers(&asks, guest).into_iter().map(|answer| answer.to_bytes()).collect()
            }
            (_, Ok(Packet { link: Some(link), carries: Carries::EchoRequest { number, .. } })) => {
                let asked = self.present().find(|(mac, _)| *mac == link.to);
                let quiet = |(mac, _): &(MacAddress, Ipv4Addr)| {
                    self.devices.iter().any(|device| device.setup().mac == *mac && !device.setup().echo)
                };
                let answer = asked.filter(|one| !quiet(one)).map(|(mac, address)| {
                    let reply = packet::echo_packet(false, address, *self.guest.ip(), 0, number);
                    [&guest.0[..], &mac.0, &[8, 0], &reply].concat()
                });
                answer.into_iter().collect()
            }
            _ => Vec::new(),
        };
        for frame in frames {
            self.carry_frame(frame);
        }
        if let Some(to) = frame.first_chunk() {
            self.carry_to_hearers(guest, MacAddress(*to), frame);
        }
        self.carry_to_port(None, frame);
    }

    /// A frame reaches those devices it is for that hear frames.
    pub(super) fn carry_to_hearers(&mut self, from: MacAddress, to: MacAddress, frame: &[u8]) {
        let is_for = |mac: MacAddress| mac != from && (to == mac || to == Arp::EVERYBODY);
        let hears = |device: &SimDevice| device.hears_frames() && is_for(device.setup().mac);
        let hearers: Vec<usize> = (0..self.devices.len()).filter(|i| hears(&self.devices[*i])).collect();
        for index in hearers {
            self.carry_frame_to(Party::Device(index), frame.to_vec());
        }
    }

    /// A device says a frame: the guest hears it, those it is for, and who is asked by ARP answers.
    pub(super) fn say_frame(&mut self, index: usize, frame: Vec<u8>) {
        let own = self.devices[index].setup().mac;
        if let Ok(asks) = Arp::parse(&frame)
            && asks.operation == ArpOperation::REQUEST
        {
            for answer in self.answers(&asks, own) {
                self.carry_to_hearers(answer.from, own, &answer.to_bytes());
            }
        }
        if let Some(to) = frame.first_chunk() {
            self.carry_to_hearers(own, MacAddress(*to), &frame);
        }
        self.carry_to_port(Some(index), &frame);
        if self.has_frames() {
            self.carry_frame(frame);
        }
    }

    /// A datagram for everybody that came as a frame reaches whoever has its port open.
    fn carry_to_port(&mut self, speaker: Option<usize>, frame: &[u8]) {
        let Ok(UdpFrame { from, to, payload, .. }) = UdpFrame::parse(frame) else { return };
        let hears = |i: &usize| Some(*i) != speaker && self.devices[*i].ports().any(|port| port == to.port());
        let hearers: Vec<usize> = (0..self.devices.len()).filter(hears).collect();
        for index in hearers.into_iter().filter(|_| to.ip().is_broadcast()) {
            let (port, bytes) = (to.port(), payload.to_vec());
            let parcel = Parcel {
                to: Party::Device(index),
                from,
                port,
                to_everybody: true,
                bytes,
                frame: Vec::new(),
                link: None,
            };
            self.carry(&parcel);
        }
    }

    /// What everybody else answers who holds the address that is asked for.
    fn answers(&self, asks: &Arp, asker: MacAddress) -> Vec<Arp> {
        let answer = |mac| Arp {
            from: mac,
            to: asker,
            operation: ArpOperation::REPLY,
            sender_mac: mac,
            sender: asks.target,
            target_mac: asker,
            target: asks.sender,
        };
        self.holders(asks.target).into_iter().filter(|mac| *mac != asker).map(answer).collect()
    }

    fn holders(&self, address: Ipv4Addr) -> Vec<MacAddress> {
        self.present().filter(|(_, own)| *own == address).map(|(mac, _)| mac).collect()
    }

    pub(super) fn carry_frame(&mut self, frame: Vec<u8>) {
        self.carry_frame_to(Party::Guest, frame);
    }

    fn carry_frame_to(&mut self, to: Party, frame: Vec<u8>) {
        let from = SocketAddrV4::new(Ipv4Addr::UNSPECIFIED, 0);
        let bytes = Vec::new();
        self.carry(&Parcel { to, from, port: 0, to_everybody: false, bytes, frame, link: None });
    }
}
