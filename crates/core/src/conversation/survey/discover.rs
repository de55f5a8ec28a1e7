//! DHCP servers: asked to show themselves. Nothing is taken, since no request follows (RFC 2131, section 3.1).

use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::dhcp::{Dhcp, DhcpKind};

/// When they are asked; a question may get lost.
const ASK_AT: [Duration; 2] = [Duration::from_millis(50), Duration::from_millis(1200)];

/// The questions still to be asked.
#[derive(Debug)]
pub(super) struct Discover {
    /// The MAC address to ask from; `None` where it cannot be asked.
    own: Option<MacAddress>,
    mark: u16,
    asked: usize,
}

impl Discover {
    pub(super) const fn new(own: Option<MacAddress>, mark: u16) -> Self {
        Self { own, mark, asked: 0 }
    }

    /// When to ask next.
    pub(super) fn next_at(&self) -> Option<Duration> {
        ASK_AT.get(self.asked).copied().filter(|_| self.own.is_some())
    }

    /// The frame to send by now.
    pub(super) fn ask(&mut self, now: Duration) -> Option<Vec<u8>> {
        self.next_at().filter(|at| *at <= now)?;
        self.asked += 1;
        Dhcp::from_client(DhcpKind::DISCOVER, u32::from(self.mark), self.own?).to_client_frame()
    }
}
