//! Whether another DHCP server is there: asked for before anything is given, and again while it is.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::dhcp::{Dhcp, DhcpKind};

/// When is asked at first; some servers look for three seconds whether an address is free before they offer it.
const ASK_AT: [Duration; 2] = [Duration::ZERO, Duration::from_millis(500)];
/// How often is asked later.
const AGAIN: Duration = Duration::from_secs(30);

#[derive(Debug)]
pub(super) struct Rivals {
    own: MacAddress,
    mark: u16,
    asked: usize,
    next: Duration,
    heard: Option<(Ipv4Addr, Option<MacAddress>)>,
}

impl Rivals {
    /// How long is listened before anything is given.
    pub(super) const LOOK: Duration = Duration::from_secs(4);

    pub(super) const fn new(own: MacAddress, mark: u16) -> Self {
        Self { own, mark, asked: 0, next: Duration::ZERO, heard: None }
    }

    pub(super) const fn ask_at(&self) -> Duration {
        self.next
    }

    /// Asks every server to show itself, when it is time to.
    pub(super) fn ask(&mut self, now: Duration) -> Option<Vec<u8>> {
        if now < self.next {
            return None;
        }
        self.asked += 1;
        self.next = ASK_AT.get(self.asked).copied().unwrap_or(now + AGAIN);
        Dhcp::from_client(DhcpKind::DISCOVER, self.mark.into(), self.own).to_client_frame()
    }

    pub(super) fn note(&mut self, server: Ipv4Addr, mac: Option<MacAddress>) {
        self.heard = Some((server, mac));
    }

    pub(super) const fn heard(&self) -> Option<(Ipv4Addr, Option<MacAddress>)> {
        self.heard
    }
}
