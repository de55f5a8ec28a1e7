//! DHCP servers: asked to show themselves. Nothing is taken, since no request follows (RFC 2131, section 3.1).

use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::dhcp::{Dhcp, DhcpKind};

use super::Asker;
use crate::conversation::Outgoing;

/// When they are asked; a question may get lost.
const ASK_AT: [Duration; 2] = [Duration::from_millis(50), Duration::from_millis(1200)];

/// The questions still to be asked.
#[derive(Debug)]
pub(super) struct Discover {
    /// The MAC address to ask from.
    own: MacAddress,
    mark: u16,
    asked: usize,
}

impl Discover {
    pub(super) const fn new(own: MacAddress, mark: u16) -> Self {
        Self { own, mark, asked: 0 }
    }
}

impl Asker for Discover {
    fn next_at(&self) -> Option<Duration> {
        ASK_AT.get(self.asked).copied()
    }

    fn ask(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        while self.next_at().is_some_and(|at| at <= now) {
            self.asked += 1;
            let asks = Dhcp::from_client(DhcpKind::DISCOVER, u32::from(self.mark), self.own);
            out.extend(asks.to_client_frame().map(Outgoing::Frame));
        }
    }
}
