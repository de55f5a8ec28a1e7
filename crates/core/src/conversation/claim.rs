//! Claiming an address for this computer as RFC 5227 has it: ask whether anybody holds it, say that it is ours, and
//! give it up when somebody defends it.

use std::collections::{HashMap, VecDeque};
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::{Arp, MacAddress};

use super::{Conversation, Heard, Outgoing};

/// RFC 5227 spaces probes one to two seconds apart so that hundreds of devices may start at once. We are one, and
/// somebody waits: a third of a second, and more than a second of silence after the last.
const PROBES: u32 = 3;
const PROBE_EVERY: Duration = Duration::from_millis(300);
const SILENCE: Duration = Duration::from_millis(1100);

/// ANNOUNCE_NUM and ANNOUNCE_INTERVAL of RFC 5227.
const ANNOUNCEMENTS: u32 = 2;
const ANNOUNCE_EVERY: Duration = Duration::from_secs(2);
/// How long a defender is listened for.
const WATCH: Duration = Duration::from_secs(4);

/// Somebody else holds, or wants, the address.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Taken {
    /// The address.
    pub address: Ipv4Addr,
    /// Who holds it.
    pub mac: MacAddress,
}

/// Two others that hold one address, noticed by the way.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Duplicate {
    /// The address.
    pub address: Ipv4Addr,
    /// Who was heard with it first, and who later.
    pub macs: [MacAddress; 2],
}

/// The most other devices remembered while listening.
const MOST_OTHERS: usize = 4096;

/// What to do with the addresses.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Aim {
    /// Find out whether they are free, before taking them.
    Probe,
    /// Say that they are ours, after taking them.
    Announce,
}

/// The conversation: it ends at the first conflict, or when its time is over.
#[derive(Debug)]
pub struct Claim {
    aim: Aim,
    own: MacAddress,
    addresses: Vec<Ipv4Addr>,
    rounds: u32,
    outbox: VecDeque<Vec<u8>>,
    taken: Option<Taken>,
    others: HashMap<Ipv4Addr, MacAddress>,
    duplicates: Vec<Duplicate>,
    over: bool,
}

impl Claim {
    /// Asks whether anybody holds one of these addresses: about 1.7 seconds when nobody does.
    #[must_use]
    pub fn probe(own: MacAddress, addresses: Vec<Ipv4Addr>) -> Self {
        Self::new(Aim::Probe, own, addresses)
    }

    /// Says that these addresses are ours, and listens for 4 seconds whether anybody defends one.
    #[must_use]
    pub fn announce(own: MacAddress, addresses: Vec<Ipv4Addr>) -> Self {
        Self::new(Aim::Announce, own, addresses)
    }

    fn new(aim: Aim, own: MacAddress, addresses: Vec<Ipv4Addr>) -> Self {
        Self {
            aim,
            own,
            addresses,
            rounds: 0,
            outbox: VecDeque::new(),
            taken: None,
            others: HashMap::new(),
            duplicates: Vec::new(),
            over: false,
        }
    }

    /// Who else holds one of the addresses, if anybody.
    #[must_use]
    pub const fn taken(&self) -> Option<Taken> {
        self.taken
    }

    /// Addresses that two others were heard with.
    #[must_use]
    pub fn duplicates(&self) -> &[Duplicate] {
        &self.duplicates
    }

    fn notice(&mut self, arp: &Arp) {
        if arp.sender.is_unspecified() || arp.sender_mac == self.own {
            return;
        }
        match self.others.get(&arp.sender) {
            Some(known) if *known != arp.sender_mac => {
                let duplicate = Duplicate { address: arp.sender, macs: [*known, arp.sender_mac] };
                if !self.duplicates.iter().any(|other| other.address == duplicate.address) {
                    self.duplicates.push(duplicate);
                }
            }
            Some(_) => {}
            None if self.others.len() < MOST_OTHERS => {
                self.others.insert(arp.sender, arp.sender_mac);
            }
            None => {}
        }
    }

    const fn rhythm(&self) -> (u32, Duration, Duration) {
        match self.aim {
            Aim::Probe => (PROBES, PROBE_EVERY, SILENCE),
            Aim::Announce => (ANNOUNCEMENTS, ANNOUNCE_EVERY, WATCH),
        }
    }

    fn end(&self) -> Duration {
        match self.rhythm() {
            (rounds, every, silence) if self.aim == Aim::Probe => every * (rounds - 1) + silence,
            (_, _, watch) => watch,
        }
    }

    fn next_round(&self) -> Option<Duration> {
        let (rounds, every, _) = self.rhythm();
        (self.rounds < rounds).then(|| every * self.rounds)
    }

    fn conflict(&self, arp: &Arp) -> Option<Taken> {
        if arp.sender_mac == self.own {
            return None;
        }
        // While probing, another's probe for the same address is a conflict too: we both want it.
        let wants = self.aim == Aim::Probe && arp.sender.is_unspecified();
        let meant = if wants { arp.target } else { arp.sender };
        self.addresses.contains(&meant).then_some(Taken { address: meant, mac: arp.sender_mac })
    }
}

impl Conversation for Claim {
    type Event = Taken;

    fn hear(&mut self, _: Duration, heard: &Heard<'_>) {
        let Heard::Frame(frame) = heard else { return };
        let Ok(arp) = Arp::parse(frame) else { return };
        self.notice(&arp);
        let found = self.conflict(&arp);
        if self.taken.is_none() && found.is_some() {
            self.taken = found;
            self.over = true;
        }
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.outbox.pop_front().map(Outgoing::Frame)
    }

    fn wake_at(&self) -> Option<Duration> {
        (!self.over).then(|| self.next_round().map_or(self.end(), |next| next.min(self.end())))
    }

    fn wake(&mut self, now: Duration) {
        if self.next_round().is_some_and(|at| at <= now) {
            self.rounds += 1;
            for address in &self.addresses {
                let arp = match self.aim {
                    Aim::Probe => Arp::probe(self.own, *address),
                    Aim::Announce => Arp::announcement(self.own, *address),
                };
                self.outbox.push_back(arp.to_bytes());
            }
        }
        self.over |= self.end() <= now;
    }

    fn next_event(&mut self) -> Option<Taken> {
        None
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::super::script::scripted;
    use super::*;

    const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);
    const OTHER: MacAddress = MacAddress([2, 0x4d, 0x42, 0, 0x10, 1]);
    const WANTED: Ipv4Addr = Ipv4Addr::new(10, 40, 0, 9);

    /// Runs the claim with these frames heard, each at its time in milliseconds; gives frames sent and the end.
    fn run(claim: &mut Claim, heard: &[(u64, Arp)]) -> (Vec<(u128, String)>, u128) {
        let frames: Vec<(Duration, Vec<u8>)> =
            heard.iter().map(|(at, arp)| (Duration::from_millis(*at), arp.to_bytes())).collect();
        let (sent, end) = scripted(claim, &frames);
        let frame = |(at, outgoing): (Duration, Outgoing)| match outgoing {
            Outgoing::Frame(frame) => (at.as_millis(), Arp::parse(&frame).unwrap().to_string()),
            other => panic!("{other:?}"),
        };
        (sent.into_iter().map(frame).collect(), end.as_millis())
    }

    #[test]
    fn a_free_address_is_probed_three_times_within_two_seconds() {
        let mut claim = Claim::probe(OWN, vec![WANTED]);
        let (sent, end) = run(&mut claim, &[]);
        let times: Vec<u128> = sent.iter().map(|(at, _)| *at).collect();
        assert_eq!((times, end, claim.taken()), (vec![0, 300, 600], 1700, None));
        assert_eq!(sent[0].1, "ARP probe for 10.40.0.9");
    }

    #[rstest]
    #[case::an_answer(Arp { sender: WANTED, ..Arp::probe(OTHER, WANTED) }, true)]
    #[case::another_probe(Arp::probe(OTHER, WANTED), true)]
    #[case::an_announcement(Arp::announcement(OTHER, WANTED), true)]
    #[case::our_own_echo(Arp::probe(OWN, WANTED), false)]
    #[case::about_another_address(Arp::announcement(OTHER, Ipv4Addr::new(10, 40, 0, 10)), false)]
    #[case::asks_for_it(Arp { sender: Ipv4Addr::new(10, 40, 0, 10), ..Arp::probe(OTHER, WANTED) }, false)]
    fn who_else_speaks_for_it_has_it(#[case] arp: Arp, #[case] taken: bool) {
        let mut claim = Claim::probe(OWN, vec![Ipv4Addr::new(10, 40, 0, 8), WANTED]);
        let (_, end) = run(&mut claim, &[(450, arp)]);
        assert_eq!(claim.taken(), taken.then_some(Taken { address: WANTED, mac: OTHER }));
        assert_eq!(end, if taken { 450 } else { 1700 });
    }

    #[test]
    fn a_late_defender_is_heard_after_the_announcement() {
        let mut claim = Claim::announce(OWN, vec![WANTED]);
        let (sent, end) = run(&mut claim, &[(1200, Arp::announcement(OTHER, WANTED))]);
        assert_eq!((sent.len(), end, claim.taken().map(|t| t.mac)), (1, 1200, Some(OTHER)));
        let mut claim = Claim::announce(OWN, vec![WANTED]);
        let (sent, end) = run(&mut claim, &[(1200, Arp::probe(OTHER, WANTED))]);
        assert_eq!(
            (sent.len(), end, claim.taken()),
            (2, 4000, None),
            "the system answers probes for our addresses"
        );
    }

    #[test]
    fn two_others_with_one_address_are_noticed_once() {
        let contested = Ipv4Addr::new(10, 40, 1, 1);
        let mut claim = Claim::announce(OWN, vec![WANTED]);
        let third = MacAddress([2, 9, 9, 9, 9, 9]);
        let heard = [OTHER, OTHER, third, OTHER].map(|mac| (100, Arp::announcement(mac, contested)));
        run(&mut claim, &heard);
        assert_eq!(claim.duplicates(), [Duplicate { address: contested, macs: [OTHER, third] }]);
        assert_eq!(claim.taken(), None);
    }

    #[test]
    fn what_is_no_arp_is_nothing() {
        let mut claim = Claim::probe(OWN, vec![WANTED]);
        claim.hear(Duration::ZERO, &Heard::Frame(b"\xff\xff"));
        assert_eq!(claim.taken(), None);
    }
}
