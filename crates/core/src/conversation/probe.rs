//! Asking whether anybody holds an address, in the moment before it is given to a node (RFC 5227, section 2.1.1).

use std::fmt;
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::art_net::PORT;
use lantern_wire::{Arp, MacAddress};

use super::{Other, Outgoing, Vantage};
use crate::Said;

/// How often is asked, and how far apart: a lost question or answer must not make an address free. Twice as often as the
/// RFC has it, since a wrong guess here is what nobody may make.
const ASKS: u32 = 6;
const ASK_EVERY: Duration = Duration::from_millis(100);
/// How long after the last question an answer may come.
const SILENCE: Duration = Duration::from_millis(600);

/// In which way it can be asked who holds an address.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum AskedBy {
    /// By ARP frames of our own: whoever speaks IP answers.
    Arp,
    /// By an echo request, and the system's table of neighbours, which shows whoever answered the system's own ARP.
    System,
    /// By the protocol of the trade only: on a loopback ground there is nothing else.
    ArtNet,
}

/// One address being asked for.
#[derive(Debug)]
pub(crate) struct Probe {
    pub(crate) address: Ipv4Addr,
    asked: u32,
    began: Duration,
}

impl AskedBy {
    /// What is possible from there.
    pub(crate) fn from(vantage: &Vantage) -> Self {
        if vantage.frames_from().is_some() {
            Self::Arp
        } else if (vantage.means.echo || vantage.means.neighbours) && !vantage.is_on_loopback() {
            Self::System
        } else {
            Self::ArtNet
        }
    }
}

impl fmt::Display for AskedBy {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Arp => "by ARP",
            Self::System => "by echo and the system's table of neighbours",
            Self::ArtNet => "by Art-Net only",
        })
    }
}

impl Probe {
    pub(crate) const fn new(now: Duration, address: Ipv4Addr) -> Self {
        Self { address, asked: 0, began: now }
    }

    /// When the next question is due, or the silence is over.
    pub(crate) fn next_at(&self) -> Duration {
        if self.asked < ASKS { self.began + ASK_EVERY * self.asked } else { self.ends_at() }
    }

    fn ends_at(&self) -> Duration {
        self.began + ASK_EVERY * (ASKS - 1) + SILENCE
    }

    /// Whether nobody has answered in all the time there is.
    pub(crate) fn is_over(&self, now: Duration) -> bool {
        self.asked >= ASKS && self.ends_at() <= now
    }

    /// Who else has or wants the address, as an ARP packet shows it (RFC 5227, section 2.1.1); `is_own` knows the MAC
    /// addresses of whom it is for.
    pub(crate) fn contender(
        &self,
        arp: &Arp,
        vantage: &Vantage,
        is_own: impl Fn(MacAddress) -> bool,
    ) -> Option<Other> {
        // Another's probe for the same address is a conflict too: both want it.
        let wants = arp.sender.is_unspecified() && arp.target == self.address;
        let speaks = arp.sender == self.address;
        let is_strange = Some(arp.sender_mac) != vantage.own_mac && !is_own(arp.sender_mac);
        ((wants || speaks) && is_strange).then(|| Other { mac: Some(arp.sender_mac), name: Said::default() })
    }

    /// Asks, when it is due.
    pub(crate) fn ask(&mut self, now: Duration, vantage: &Vantage, send: &mut impl FnMut(Outgoing)) {
        if self.asked >= ASKS || self.next_at() > now {
            return;
        }
        self.asked += 1;
        let to = self.address;
        let seat = vantage.seat_beside(to).unwrap_or(0);
        if let Some(own) = vantage.frames_from() {
            return send(Outgoing::Frame(Arp::probe(own, to).to_bytes()));
        }
        if vantage.means.echo {
            send(Outgoing::Echo { seat, to, number: 1 });
        }
        send(Outgoing::Datagram { seat, to: SocketAddrV4::new(to, PORT), bytes: super::outbox::poll() });
        if vantage.means.neighbours && self.asked.is_multiple_of(3) {
            send(Outgoing::Neighbours);
        }
    }
}
