//! Who was away and is back: switched off and on again, or unplugged and plugged in elsewhere.

use std::collections::HashMap;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;

use crate::census::{Sighting, Told};

/// Everybody is polled about every two and a half seconds: one that misses three polls was away.
const MISSED: Duration = Duration::from_millis(8500);
/// The first words of one that starts follow each other closely.
const STARTING: Duration = Duration::from_secs(3);
/// The most devices watched.
const MOST: usize = 65_536;

/// When everybody was last heard.
#[derive(Debug, Default)]
pub(super) struct Returns(HashMap<Who, Last>);

/// The MAC address, or where that is not seen the address.
type Who = (Option<MacAddress>, Option<Ipv4Addr>);

#[derive(Debug, Clone, Copy, Default)]
struct Last {
    heard: Duration,
    /// An answer to a poll.
    answer: Option<Duration>,
}

impl Returns {
    /// Takes in a sighting; gives for how long its sender was away, if it has just come back.
    pub(super) fn heard(&mut self, sighting: &Sighting) -> Option<Duration> {
        let (mac, address) = sighting.holder();
        let who = (mac, mac.is_none().then_some(address));
        let is_answer = matches!(sighting.told, Told::PollReply(_));
        if !self.0.contains_key(&who) && self.0.len() >= MOST {
            return None;
        }
        let is_known = self.0.contains_key(&who);
        let last = self.0.entry(who).or_default();
        let before = *last;
        last.heard = sighting.at;
        if is_answer {
            last.answer = Some(sighting.at);
        }
        // What is not asked all the time is quiet for long without being away: there the first words of a start tell.
        let away = match before.answer {
            Some(answer) if is_answer => (answer + MISSED <= sighting.at).then(|| sighting.at - answer),
            _ => (starts(sighting) && before.heard + STARTING <= sighting.at).then(|| sighting.at - before.heard),
        };
        if away.is_some() && before.answer.is_some() {
            // Its next answer belongs to the same return.
            last.answer = Some(sighting.at);
        }
        away.filter(|_| is_known)
    }
}

/// Whether only one that has just been switched on says this: it asks whether its address is free (RFC 5227), or for one.
fn starts(sighting: &Sighting) -> bool {
    match sighting.told {
        Told::Arp => sighting.from.is_unspecified(),
        Told::DhcpClient { .. } => true,
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const MAC: MacAddress = MacAddress([2, 0, 0, 0, 0, 9]);
    const ADDRESS: Ipv4Addr = Ipv4Addr::new(10, 40, 1, 9);

    fn sighting(seconds: u64, from: Ipv4Addr, told: Told) -> Sighting {
        Sighting { mac: Some(MAC), ..Sighting::plain(Duration::from_secs(seconds), from, told) }
    }

    fn away(told: &[(u64, Ipv4Addr, Told)]) -> Vec<Option<u64>> {
        let mut returns = Returns::default();
        let heard = |(at, from, told): &(u64, Ipv4Addr, Told)| {
            returns.heard(&sighting(*at, *from, told.clone())).map(|away| away.as_secs())
        };
        told.iter().map(heard).collect()
    }

    #[test]
    fn one_that_is_quiet_is_not_away_and_one_that_starts_was() {
        let none = Ipv4Addr::UNSPECIFIED;
        let told = [
            (0, ADDRESS, Told::Arp),
            (60, ADDRESS, Told::Traffic),
            (100, none, Told::Arp),
            (101, none, Told::Arp),
            (102, ADDRESS, Told::Arp),
            (200, none, Told::DhcpClient { name: String::new(), class: String::new() }),
        ];
        assert_eq!(away(&told), [None, None, Some(40), None, None, Some(98)]);
    }
}
