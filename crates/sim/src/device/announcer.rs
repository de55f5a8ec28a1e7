//! Somebody who announces streams (RFC 2974).

use std::collections::VecDeque;
use std::net::SocketAddrV4;
use std::time::Duration;

use lantern_wire::sap::{GROUPS, PORT, SDP, Sap};

use super::body::Body;
use super::{DeviceSetup, Role, StreamSetup, Utterance};
use crate::{Destination, Speech};

#[derive(Debug)]
pub(super) struct Announcer {
    device: DeviceSetup,
    at: Duration,
    said: VecDeque<Utterance>,
}

impl Announcer {
    pub(super) fn new(device: &DeviceSetup) -> Self {
        Self { device: device.clone(), at: device.arrives, said: VecDeque::new() }
    }

    fn description(&self, number: usize, stream: &StreamSetup) -> String {
        let own = self.device.address;
        format!(
            "v=0\r\no=- {number} 1 IN IP4 {own}\r\ns={}\r\nc=IN IP4 {}/15\r\nt=0 0\r\nm={} {} RTP/AVP 98\r\n\
             a=rtpmap:98 {}\r\na=recvonly\r\n",
            stream.name, stream.group, stream.kind, stream.port, stream.format
        )
    }
}

impl Role for Announcer {
    fn port(&self) -> Option<u16> {
        Some(PORT)
    }

    fn wake_at(&self) -> Option<Duration> {
        Some(self.at)
    }

    fn wake(&mut self, now: Duration, _: &mut Body) {
        self.at = now + self.device.every;
        for (number, stream) in self.device.streams.iter().enumerate() {
            let description = self.description(number, stream);
            let said = Sap {
                is_opaque: false,
                delete: false,
                hash: u16::try_from(number + 1).unwrap_or(1),
                origin: self.device.address,
                payload_type: SDP,
                payload: description.as_bytes(),
            };
            let to = Destination::Group(SocketAddrV4::new(GROUPS[0], PORT));
            self.said.push_back(Utterance::Speech(Speech { port: PORT, to, bytes: said.to_bytes() }));
        }
    }

    fn next(&mut self) -> Option<Utterance> {
        self.said.pop_front()
    }
}
