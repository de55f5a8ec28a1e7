//! A self-test: this computer says something on its adapter and listens whether it hears that itself. What does not come back here
//! does not come from others either: no right to, a firewall, a port held, a network card that swallows it.
//!
//! Nothing of it is of a protocol that a node speaks: a datagram on a port that nobody has been given (RFC 6335, section 6), and a
//! group that is kept for tests (RFC 6676).

use std::collections::VecDeque;
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::{Arp, MacAddress};

use super::{Conversation, Heard, Means, Outgoing, Seat};

/// How long it is listened.
const LISTENS: Duration = Duration::from_millis(700);
/// When everything is said once more: what is said first may be lost while the group is joined.
const AGAIN: Duration = Duration::from_millis(250);
const GROUP: Ipv4Addr = Ipv4Addr::new(233, 252, 0, 54);
const MARK: &[u8] = b"deft-lantern self-test ";

/// What came back. `None` for what there was no means to try.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct OwnVoice {
    /// What was said to everybody in the subnet.
    pub broadcast: Option<bool>,
    /// What was said to a group.
    pub group: Option<bool>,
    /// A frame, as it passed the adapter.
    pub frames: Option<bool>,
    /// An echo of one's own address.
    pub echo: Option<bool>,
}

/// The conversation.
#[derive(Debug)]
pub struct SelfTest {
    seat: Seat,
    own_mac: Option<MacAddress>,
    means: Means,
    /// Tells this run from another one on the same network.
    number: u64,
    heard: OwnVoice,
    to_send: VecDeque<Outgoing>,
    wakes: VecDeque<Duration>,
}

impl SelfTest {
    /// The UDP port that it speaks and hears on.
    pub const PORT: u16 = 49_733;

    /// A test on this seat, with a socket on [`Self::PORT`] where `has_port`; `number` is to be another one each time.
    #[must_use]
    pub fn new(seat: Seat, own_mac: Option<MacAddress>, means: Means, has_port: bool, number: u64) -> Self {
        let heard = OwnVoice {
            broadcast: has_port.then_some(false),
            group: has_port.then_some(false),
            frames: (means.frames && own_mac.is_some()).then_some(false),
            echo: means.echo.then_some(false),
        };
        let join = Outgoing::Join { seat: 0, group: GROUP, port: Self::PORT };
        let to_send = has_port.then_some(join).into_iter().collect();
        let wakes = VecDeque::from([Duration::ZERO, AGAIN, LISTENS]);
        Self { seat, own_mac, means, number, heard, to_send, wakes }
    }

    /// What has come back by now.
    #[must_use]
    pub const fn heard(&self) -> OwnVoice {
        self.heard
    }

    fn said(&self, to: Ipv4Addr) -> Vec<u8> {
        [MARK, &self.number.to_be_bytes(), &to.octets()].concat()
    }

    fn speak(&mut self) {
        for to in [self.seat.subnet.broadcast(), GROUP] {
            if self.heard.broadcast.is_some() {
                let bytes = self.said(to);
                self.to_send.push_back(Outgoing::Datagram {
                    seat: 0,
                    to: SocketAddrV4::new(to, Self::PORT),
                    bytes,
                });
            }
        }
        if self.means.echo {
            self.to_send.push_back(Outgoing::Echo { seat: 0, to: self.seat.own, number: 1 });
        }
        if let Some(own) = self.own_mac.filter(|_| self.means.frames) {
            // Who has my address? Nobody else, it is to be hoped; who hears it learns nothing wrong (RFC 5227, section 1.1).
            let probe = Arp::probe(own, self.seat.own);
            self.to_send.push_back(Outgoing::Frame(probe.to_bytes()));
        }
    }
}

impl Conversation for SelfTest {
    type Event = std::convert::Infallible;

    fn hear(&mut self, _: Duration, heard: &Heard<'_>) {
        let is = |of: &mut Option<bool>| *of = of.map(|_| true);
        match heard {
            Heard::Datagram(datagram) if datagram.port == Self::PORT && *datagram.from.ip() == self.seat.own => {
                if datagram.bytes == self.said(self.seat.subnet.broadcast()) {
                    is(&mut self.heard.broadcast);
                } else if datagram.bytes == self.said(GROUP) {
                    is(&mut self.heard.group);
                }
            }
            Heard::Frame(_) => is(&mut self.heard.frames),
            Heard::Echo { from, .. } if *from == self.seat.own => is(&mut self.heard.echo),
            _ => {}
        }
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.to_send.pop_front()
    }

    fn wake_at(&self) -> Option<Duration> {
        self.wakes.front().copied()
    }

    fn wake(&mut self, now: Duration) {
        while self.wakes.front().is_some_and(|at| *at <= now) {
            self.wakes.pop_front();
            if !self.wakes.is_empty() {
                self.speak();
            }
        }
    }

    fn next_event(&mut self) -> Option<Self::Event> {
        None
    }
}

#[cfg(test)]
mod tests {
    use super::super::Datagram;
    use super::*;

    const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);

    fn seat() -> Seat {
        Seat { own: Ipv4Addr::new(10, 40, 0, 7), subnet: "10.40.0.0/16".parse().unwrap(), limited_broadcast: true }
    }

    fn test(means: Means) -> SelfTest {
        let mut test = SelfTest::new(seat(), Some(OWN), means, true, 5);
        test.wake(Duration::ZERO);
        test
    }

    /// Gives back to it what it says, as far as `hears` lets it.
    fn hearing(test: &mut SelfTest, hears: impl Fn(Ipv4Addr) -> bool) {
        while let Some(said) = test.next_send() {
            match said {
                Outgoing::Datagram { to, bytes, .. } if hears(*to.ip()) => {
                    let from = SocketAddrV4::new(seat().own, SelfTest::PORT);
                    let datagram = Datagram { seat: 0, from, port: SelfTest::PORT, bytes: &bytes };
                    test.hear(Duration::ZERO, &Heard::Datagram(datagram));
                }
                Outgoing::Frame(frame) => test.hear(Duration::ZERO, &Heard::Frame(&frame)),
                Outgoing::Echo { to, number, .. } => test.hear(Duration::ZERO, &Heard::Echo { from: to, number }),
                _ => {}
            }
        }
    }

    #[test]
    fn what_comes_back_is_heard_and_nothing_else() {
        let all = Means { frames: true, echo: true, ..Means::default() };
        let mut whole = test(all);
        hearing(&mut whole, |_| true);
        let yes = Some(true);
        assert_eq!(whole.heard(), OwnVoice { broadcast: yes, group: yes, frames: yes, echo: yes });
        let mut deaf = test(Means::default());
        hearing(&mut deaf, |to| to == GROUP);
        assert_eq!(deaf.heard(), OwnVoice { broadcast: Some(false), group: yes, frames: None, echo: None });
    }

    /// Another computer that tests itself here, and another run on this one, are not our own voice.
    #[test]
    fn anothers_voice_is_not_ones_own() {
        let mut own = test(Means::default());
        let other = SelfTest::new(seat(), None, Means::default(), true, 6);
        for (from, bytes) in [
            (Ipv4Addr::new(10, 40, 0, 8), own.said(GROUP)),
            (seat().own, other.said(GROUP)),
            (seat().own, MARK.to_vec()),
        ] {
            let from = SocketAddrV4::new(from, SelfTest::PORT);
            own.hear(
                Duration::ZERO,
                &Heard::Datagram(Datagram { seat: 0, from, port: SelfTest::PORT, bytes: &bytes }),
            );
        }
        assert_eq!((own.heard().group, own.heard().broadcast), (Some(false), Some(false)));
    }

    #[test]
    fn it_speaks_twice_and_ends() {
        let mut test = test(Means { echo: true, ..Means::default() });
        let mut said = 0;
        while let Some(at) = test.wake_at() {
            test.wake(at);
            while test.next_send().is_some() {
                said += 1;
            }
        }
        // To be in the group, and twice: everybody, the group, an echo.
        assert_eq!(said, 7);
    }
}
