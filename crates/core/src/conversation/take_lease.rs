//! Asking a DHCP server for an address, for this computer (RFC 2131, section 3.1). By frames, since whoever asks has
//! no address yet.

use std::collections::VecDeque;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::dhcp::{CLIENT_PORT, Dhcp, DhcpKind};
use lantern_wire::{MacAddress, UdpFrame};

use super::{Conversation, Heard, Outgoing};
use crate::address::Mask;

/// Each question is asked this often, this far apart.
const TRIES: u32 = 4;
const AGAIN: Duration = Duration::from_millis(1500);
/// What a server means that names no time: a day.
const USUAL_LEASE: u32 = 86_400;

/// An address that was given.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Leased {
    /// The address.
    pub address: Ipv4Addr,
    /// Its mask.
    pub mask: Mask,
    /// The way out the server knows.
    pub gateway: Option<Ipv4Addr>,
    /// The server that gave it.
    pub server: Ipv4Addr,
    /// For how many seconds.
    pub seconds: u32,
}

/// How the asking ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LeaseEnd {
    /// An address was given.
    Given(Leased),
    /// No server answered.
    NoServer,
    /// A server offered an address and then refused it.
    Refused(Ipv4Addr),
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Phase {
    Discovering,
    Requesting { offered: Ipv4Addr, server: Ipv4Addr },
}

/// The conversation with whatever server answers first.
#[derive(Debug)]
pub struct TakeLease {
    own: MacAddress,
    transaction: u32,
    phase: Phase,
    tries: u32,
    again_at: Duration,
    outbox: VecDeque<Vec<u8>>,
    end: Option<LeaseEnd>,
}

impl TakeLease {
    /// Asks for the adapter with this MAC address; `transaction` tells this asking from others.
    #[must_use]
    pub fn new(own: MacAddress, transaction: u32) -> Self {
        Self {
            own,
            transaction,
            phase: Phase::Discovering,
            tries: 0,
            again_at: Duration::ZERO,
            outbox: VecDeque::new(),
            end: None,
        }
    }

    /// How it ended; `None` while it runs.
    #[must_use]
    pub const fn end(&self) -> Option<LeaseEnd> {
        self.end
    }

    /// The frame that tells the server that somebody holds what it gave (RFC 2131, section 3.1.5).
    #[must_use]
    pub fn decline(&self, leased: &Leased) -> Option<Vec<u8>> {
        let message = Dhcp {
            requested: Some(leased.address),
            server: Some(leased.server),
            ..Dhcp::from_client(DhcpKind::DECLINE, self.transaction, self.own)
        };
        message.to_client_frame()
    }

    fn ask(&mut self, now: Duration) {
        if self.tries == TRIES {
            self.end = Some(LeaseEnd::NoServer);
            return;
        }
        let message = match self.phase {
            Phase::Discovering => Dhcp::from_client(DhcpKind::DISCOVER, self.transaction, self.own),
            Phase::Requesting { offered, server } => Dhcp {
                requested: Some(offered),
                server: Some(server),
                ..Dhcp::from_client(DhcpKind::REQUEST, self.transaction, self.own)
            },
        };
        self.outbox.extend(message.to_client_frame());
        self.tries += 1;
        self.again_at = now + AGAIN;
    }

    fn take(&mut self, now: Duration, message: &Dhcp) {
        match (self.phase, message.kind, message.server) {
            (Phase::Discovering, DhcpKind::OFFER, Some(server)) if !message.yours.is_unspecified() => {
                self.phase = Phase::Requesting { offered: message.yours, server };
                self.tries = 0;
                self.ask(now);
            }
            (Phase::Requesting { server: chosen, .. }, DhcpKind::ACK, Some(server)) if server == chosen => {
                let mask = message.mask.and_then(|mask| Mask::try_from(mask).ok());
                self.end = Some(LeaseEnd::Given(Leased {
                    address: message.yours,
                    mask: mask.or_else(|| Mask::from_prefix(24)).unwrap_or(Mask::SIXTEEN),
                    gateway: message.router,
                    server,
                    seconds: message.lease.unwrap_or(USUAL_LEASE),
                }));
            }
            (Phase::Requesting { offered, .. }, DhcpKind::NAK, _) => self.end = Some(LeaseEnd::Refused(offered)),
            _ => {}
        }
    }
}

impl Conversation for TakeLease {
    type Event = ();

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        let Heard::Frame(frame) = heard else { return };
        let Ok(frame) = UdpFrame::parse(frame) else { return };
        if frame.to.port() != CLIENT_PORT || self.end.is_some() {
            return;
        }
        if let Ok(message) = Dhcp::parse(frame.payload)
            && message.to_client
            && message.transaction == self.transaction
            && message.client == self.own
        {
            self.take(now, &message);
        }
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.outbox.pop_front().map(Outgoing::Frame)
    }

    fn wake_at(&self) -> Option<Duration> {
        // What was sent last must leave before it is over.
        self.end.is_none().then_some(self.again_at)
    }

    fn wake(&mut self, now: Duration) {
        if self.again_at <= now && self.end.is_none() {
            self.ask(now);
        }
    }

    fn next_event(&mut self) -> Option<()> {
        None
    }
}

#[cfg(test)]
mod tests {
    use std::net::SocketAddrV4;

    use lantern_wire::Arp;
    use lantern_wire::dhcp::SERVER_PORT;

    use super::super::script::scripted;
    use super::*;

    const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);
    const SERVER: Ipv4Addr = Ipv4Addr::new(10, 70, 0, 1);
    const GIVEN: Ipv4Addr = Ipv4Addr::new(10, 70, 0, 100);

    fn from_server(message: &Dhcp) -> Vec<u8> {
        let payload = message.to_bytes();
        let frame = UdpFrame {
            from_mac: MacAddress([2; 6]),
            to_mac: Arp::EVERYBODY,
            from: SocketAddrV4::new(SERVER, SERVER_PORT),
            to: SocketAddrV4::new(Ipv4Addr::BROADCAST, CLIENT_PORT),
            payload: &payload,
        };
        frame.to_bytes().unwrap()
    }

    fn answer(kind: DhcpKind) -> Dhcp {
        Dhcp {
            to_client: true,
            yours: GIVEN,
            server: Some(SERVER),
            mask: Some(Ipv4Addr::new(255, 255, 0, 0)),
            lease: Some(600),
            ..Dhcp::from_client(kind, 42, OWN)
        }
    }

    fn sent(lease: &mut TakeLease) -> Option<Dhcp> {
        let Outgoing::Frame(frame) = lease.next_send()? else { panic!("not a frame") };
        Some(Dhcp::parse(UdpFrame::parse(&frame).unwrap().payload).unwrap())
    }

    fn hear(lease: &mut TakeLease, message: &Dhcp) {
        lease.hear(Duration::from_millis(10), &Heard::Frame(&from_server(message)));
    }

    #[test]
    fn an_offer_is_asked_for_and_given() {
        let mut lease = TakeLease::new(OWN, 42);
        lease.wake(Duration::ZERO);
        assert_eq!(sent(&mut lease).unwrap().kind, DhcpKind::DISCOVER);
        hear(&mut lease, &answer(DhcpKind::OFFER));
        let request = sent(&mut lease).unwrap();
        assert_eq!(
            (request.kind, request.requested, request.server),
            (DhcpKind::REQUEST, Some(GIVEN), Some(SERVER))
        );
        hear(&mut lease, &answer(DhcpKind::ACK));
        let Some(LeaseEnd::Given(leased)) = lease.end() else { panic!("{:?}", lease.end()) };
        assert_eq!((leased.address, leased.mask, leased.seconds), (GIVEN, Mask::SIXTEEN, 600));
        assert_eq!(lease.wake_at(), None);
        let decline = lease.decline(&leased).unwrap();
        assert_eq!(Dhcp::parse(UdpFrame::parse(&decline).unwrap().payload).unwrap().kind, DhcpKind::DECLINE);
    }

    #[test]
    fn answers_to_others_and_nonsense_are_left_alone() {
        let mut lease = TakeLease::new(OWN, 42);
        lease.wake(Duration::ZERO);
        let strange = [
            Dhcp { transaction: 43, ..answer(DhcpKind::OFFER) },
            Dhcp { client: MacAddress([2; 6]), ..answer(DhcpKind::OFFER) },
            Dhcp { yours: Ipv4Addr::UNSPECIFIED, ..answer(DhcpKind::OFFER) },
            Dhcp { server: None, ..answer(DhcpKind::OFFER) },
            answer(DhcpKind::ACK),
            answer(DhcpKind::NAK),
        ];
        sent(&mut lease);
        for message in &strange {
            hear(&mut lease, message);
        }
        lease.hear(Duration::ZERO, &Heard::Frame(b"\xff"));
        assert_eq!((lease.end(), sent(&mut lease)), (None, None));
    }

    #[test]
    fn a_refusal_and_silence_are_told_apart() {
        let mut lease = TakeLease::new(OWN, 42);
        lease.wake(Duration::ZERO);
        hear(&mut lease, &answer(DhcpKind::OFFER));
        hear(&mut lease, &answer(DhcpKind::NAK));
        assert_eq!(lease.end(), Some(LeaseEnd::Refused(GIVEN)));
        let mut alone = TakeLease::new(OWN, 42);
        let (asked, _) = scripted(&mut alone, &[]);
        assert_eq!((asked.len(), alone.end()), (TRIES as usize, Some(LeaseEnd::NoServer)));
    }
}
