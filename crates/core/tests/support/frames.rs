//! A survey by frames, against hosts that answer ARP and echo, under a virtual clock.

use std::collections::BTreeMap;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::census::Ways;
use lantern_core::conversation::{Conversation, Heard, Means, Outgoing, Seat, Survey, SurveyPlan, Vantage};
use lantern_wire::{Arp, ArpOperation, Carries, Link, MacAddress, Packet, packet};

pub(crate) const OWN: Ipv4Addr = Ipv4Addr::new(10, 40, 0, 7);
pub(crate) const OWN_MAC: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);
/// How long an answer is under way.
pub(crate) const ANSWER_TIME: Duration = Duration::from_millis(1);

/// A survey by frames from a computer in this subnet.
pub(crate) fn plan(subnet: &str) -> SurveyPlan {
    let seat = Seat { own: OWN, subnet: subnet.parse().expect("a test harness"), limited_broadcast: true };
    let means = Means { frames: true, echo: false, neighbours: false };
    let vantage = Vantage { own_mac: Some(OWN_MAC), means, ..Vantage::of_seats(vec![seat]) };
    SurveyPlan {
        vantage,
        ways: Ways::ALL,
        ranges: SurveyPlan::usual_ranges(&[seat]),
        ..SurveyPlan::art_net(Vec::new(), None, false)
    }
}

/// Hosts by address; those that answer echo requests say so.
pub(crate) type Hosts = BTreeMap<Ipv4Addr, (MacAddress, bool)>;

/// Hosts at these addresses; all answer echo requests.
pub(crate) fn hosts(addresses: impl IntoIterator<Item = Ipv4Addr>) -> Hosts {
    let mac = |address: Ipv4Addr| {
        let [a, b, c, d] = address.octets();
        MacAddress([2, 0, a, b, c, d])
    };
    addresses.into_iter().map(|address| (address, (mac(address), true))).collect()
}

/// What the hosts answer to a frame.
fn answer(hosts: &Hosts, frame: &[u8]) -> Option<Vec<u8>> {
    if let Ok(arp) = Arp::parse(frame) {
        let (mac, _) = hosts.get(&arp.target)?;
        let reply =
            Arp { to: arp.sender_mac, operation: ArpOperation::REPLY, ..Arp::announcement(*mac, arp.target) };
        return Some(reply.to_bytes());
    }
    let Ok(Packet { carries: Carries::EchoRequest { from, number, .. }, link: Some(link) }) = Packet::parse(frame)
    else {
        return None;
    };
    let (address, _) = hosts.iter().find(|(_, (mac, echo))| *mac == link.to && *echo)?;
    let mut reply = packet::echo_request(Link { from: link.to, to: link.from }, *address, from, 0, number);
    // A reply has type 0 where the request has 8.
    reply[34] = 0;
    Some(reply)
}

/// What left, and when it was over.
pub(crate) struct Ran {
    pub(crate) sent: Vec<(Duration, Outgoing)>,
    pub(crate) took: Duration,
}

/// Runs the survey to its end.
pub(crate) fn run(survey: &mut Survey, hosts: &Hosts) -> Ran {
    let (mut sent, mut answers, mut now) =
        (Vec::new(), BTreeMap::<(Duration, usize), Vec<u8>>::new(), Duration::ZERO);
    while let Some(wake) = survey.wake_at() {
        match answers.first_key_value().map(|(key, _)| *key).filter(|(at, _)| *at <= wake) {
            Some(key) => {
                now = now.max(key.0);
                survey.hear(now, &Heard::Frame(&answers.remove(&key).expect("a test harness")));
            }
            None => {
                now = now.max(wake);
                survey.wake(now);
            }
        }
        while survey.next_event().is_some() {}
        while let Some(outgoing) = survey.next_send() {
            if let Outgoing::Frame(frame) = &outgoing
                && let Some(reply) = answer(hosts, frame)
            {
                answers.insert((now + ANSWER_TIME, sent.len()), reply);
            }
            sent.push((now, outgoing));
        }
        assert!(now < Duration::from_secs(300), "the survey does not end");
    }
    Ran { sent, took: now }
}
