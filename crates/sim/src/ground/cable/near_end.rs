//! The near end of a pretended cable: one socket, and the programs that are plugged in there.

use std::collections::VecDeque;
use std::io;
use std::net::{Ipv4Addr, SocketAddr, UdpSocket};
use std::time::Duration;

use lantern_wire::{Arp, ArpOperation, MacAddress};

use super::super::switched::Uplink;

/// The most programs that are plugged in at a time.
const MOST: usize = 64;
const LONGEST_FRAME: usize = 1514;
/// Shorter than any frame: somebody plugs himself out.
const UNPLUGGED: usize = 1;
/// The shortest wait a system knows; nothing would be no limit.
const SHORTEST: Duration = Duration::from_millis(1);

pub(super) struct NearEnd {
    socket: UdpSocket,
    guest: (Ipv4Addr, MacAddress),
    /// Who is plugged in, the first who came first.
    programs: VecDeque<SocketAddr>,
    heard: VecDeque<Vec<u8>>,
}

impl NearEnd {
    pub(super) fn open(guest: (Ipv4Addr, MacAddress)) -> io::Result<Self> {
        let socket = UdpSocket::bind((Ipv4Addr::LOCALHOST, 0))?;
        socket.set_nonblocking(true)?;
        Ok(Self { socket, guest, programs: VecDeque::new(), heard: VecDeque::new() })
    }

    pub(super) fn place(&self) -> io::Result<SocketAddr> {
        self.socket.local_addr()
    }

    /// Takes in one datagram, if one waits.
    fn take(&mut self) -> io::Result<()> {
        let mut buffer = [0; LONGEST_FRAME];
        let (length, from) = self.socket.recv_from(&mut buffer)?;
        match length {
            0 => {
                // One that was killed never plugged itself out: the oldest makes room.
                if self.programs.len() >= MOST {
                    self.programs.pop_front();
                }
                self.programs.push_back(from);
            }
            UNPLUGGED => self.programs.retain(|program| *program != from),
            // Whoever did not plug himself in is not on the cable.
            _ if self.programs.contains(&from) => {
                self.carry(&buffer[..length]);
                self.heard.push_back(buffer[..length].to_vec());
            }
            _ => {}
        }
        Ok(())
    }

    fn carry(&self, frame: &[u8]) {
        for program in &self.programs {
            self.socket.send_to(frame, program).unwrap_or(0);
        }
    }

    /// What the system of a real computer would answer.
    fn answer(&self, frame: &[u8]) -> Option<Arp> {
        let (address, mac) = self.guest;
        let asked = Arp::parse(frame).ok()?;
        let is_for_us = asked.operation == ArpOperation::REQUEST && asked.target == address;
        is_for_us.then_some(Arp {
            to: asked.sender_mac,
            from: mac,
            operation: ArpOperation::REPLY,
            sender_mac: mac,
            sender: address,
            target_mac: asked.sender_mac,
            target: asked.sender,
        })
    }
}

impl Uplink for NearEnd {
    fn hear(&mut self) -> Option<Vec<u8>> {
        while self.heard.is_empty() {
            match self.take() {
                Ok(()) => {}
                // Somebody who went without a word: none of the socket's own (Windows tells it here).
                Err(error) if error.kind() == io::ErrorKind::ConnectionReset => {}
                Err(_) => break,
            }
        }
        self.heard.pop_front()
    }

    fn send(&mut self, frame: &[u8]) {
        self.carry(frame);
        self.heard.extend(self.answer(frame).map(|answer| answer.to_bytes()));
    }

    fn wait(&mut self, longest: Duration) {
        if !self.heard.is_empty() {
            return;
        }
        let waits = self.socket.set_nonblocking(false);
        if waits.and_then(|()| self.socket.set_read_timeout(Some(longest.max(SHORTEST)))).is_ok() {
            // Nothing in all that time is no failure.
            self.take().unwrap_or(());
        }
        self.socket.set_nonblocking(true).unwrap_or(());
    }
}
