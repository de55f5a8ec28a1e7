//! A survey by frames, against hosts that answer ARP and echo, under a virtual clock.

use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_core::census::{Standing, Way, Ways};
use lantern_core::clash::world_clashes;
use lantern_core::conversation::{Conversation, Extent, Heard, Outgoing, Survey, SurveyPlan};
use lantern_wire::art_net::PollReply;
use lantern_wire::{Arp, MacAddress, Text, UdpFrame};
use rstest::rstest;

use crate::support::frames::{ANSWER_TIME, Hosts, OWN, OWN_MAC, Ran, hosts, plan, run};

/// How many went to single devices in the busiest second.
fn busiest(ran: &Ran) -> usize {
    let single = |outgoing: &Outgoing| match outgoing {
        Outgoing::Frame(frame) => !frame.starts_with(&[0xff; 6]) || frame[12..14] == [0x08, 0x06],
        Outgoing::Echo { .. } => true,
        Outgoing::Datagram { to, .. } => {
            !to.ip().is_broadcast() && !to.ip().is_multicast() && to.ip().octets()[3] != 255
        }
        _ => false,
    };
    let times: Vec<Duration> = ran.sent.iter().filter(|(_, o)| single(o)).map(|(at, _)| *at).collect();
    let within = |start: &Duration| {
        times.iter().filter(|at| (*start..*start + Duration::from_secs(1)).contains(at)).count()
    };
    times.iter().step_by(50).map(within).max().unwrap_or(0)
}

fn twenty() -> Hosts {
    hosts((0..20).map(|i| Ipv4Addr::new(10, 40, 1, 3 + i * 12)))
}

#[test]
fn twenty_hosts_of_a_24_are_found_within_a_second_and_a_half() {
    let ranges = vec!["10.40.1.0/24".parse().unwrap()];
    let mut survey = Survey::new(SurveyPlan { extent: Extent::Ranges, ranges, ..plan("10.40.0.0/16") });
    let ran = run(&mut survey, &twenty());
    let found = survey.census().devices(&survey.viewpoint());
    assert_eq!((found.len(), found.iter().filter(|d| d.standing == Standing::Answers).count()), (20, 20));
    assert!(ran.took <= Duration::from_millis(1450), "{:?}", ran.took);
    assert!(busiest(&ran) <= 520, "{}", busiest(&ran));
}

/// Whoever answers an echo is timed; whoever does not has no time, also where the survey waits for it.
#[rstest]
fn answers_to_echoes_are_timed(#[values(true, false)] times_echoes: bool) {
    let mut there = twenty();
    let walled = Ipv4Addr::new(10, 40, 1, 15);
    there.get_mut(&walled).unwrap().1 = false;
    let ranges = vec!["10.40.1.0/24".parse().unwrap()];
    let mut survey =
        Survey::new(SurveyPlan { extent: Extent::Ranges, ranges, times_echoes, ..plan("10.40.0.0/16") });
    let ran = run(&mut survey, &there);
    let times = survey.echo_times();
    assert!(times.len() == 19 && !times.contains_key(&walled), "{times:?}");
    assert!(times.values().all(|took| *took == ANSWER_TIME), "{times:?}");
    assert!(ran.took <= Duration::from_millis(2450), "{:?}", ran.took);
}

#[test]
fn a_16_at_pace_2000_takes_less_than_forty_seconds() {
    let everywhere = hosts((0..256_u32).map(|i| Ipv4Addr::from_bits(0x0a28_0000 + i * 255 + 9)));
    let ranges = vec!["10.40.0.0/16".parse().unwrap()];
    let mut survey =
        Survey::new(SurveyPlan { extent: Extent::Ranges, ranges, pace: 2000, ..plan("10.40.0.0/16") });
    let ran = run(&mut survey, &everywhere);
    assert_eq!(survey.census().devices(&survey.viewpoint()).len(), 256);
    assert!(ran.took <= Duration::from_secs(40), "{:?}", ran.took);
}

#[test]
fn a_small_subnet_is_swept_unasked_and_a_large_one_is_not() {
    let mut small = Survey::new(plan("10.40.0.0/22"));
    assert_eq!(run(&mut small, &twenty()).took, Duration::from_secs(3));
    assert_eq!(small.census().devices(&small.viewpoint()).len(), 20);
    let mut large = Survey::new(plan("10.40.0.0/16"));
    run(&mut large, &twenty());
    assert_eq!(large.census().devices(&large.viewpoint()).len(), 0);
}

#[test]
fn the_likely_are_asked_first() {
    let likely = vec![Ipv4Addr::new(10, 40, 1, 250)];
    let ranges = vec!["10.40.1.0/24".parse().unwrap()];
    let mut survey = Survey::new(SurveyPlan { extent: Extent::Ranges, ranges, likely, ..plan("10.40.0.0/16") });
    let ran = run(&mut survey, &Hosts::new());
    let first = ran.sent.iter().find_map(|(_, outgoing)| match outgoing {
        // Whether somebody has our own address is asked before everything.
        Outgoing::Frame(frame) => Arp::parse(frame).ok().filter(|arp| arp.target != OWN),
        _ => None,
    });
    assert_eq!(first.unwrap().target, Ipv4Addr::new(10, 40, 1, 250));
}

#[test]
fn listening_sends_nothing_at_all() {
    let extent = Extent::Listen(Duration::from_secs(30));
    let mut survey = Survey::new(SurveyPlan { extent, likely: vec![OWN], ..plan("10.40.0.0/22") });
    let arp = Arp::announcement(MacAddress([2; 6]), Ipv4Addr::new(10, 40, 1, 1)).to_bytes();
    survey.hear(Duration::from_secs(1), &Heard::Frame(&arp));
    let ran = run(&mut survey, &twenty());
    assert_eq!((ran.sent.len(), ran.took), (0, Duration::from_secs(30)));
    assert_eq!(survey.census().devices(&survey.viewpoint())[0].standing, Standing::NotAsked);
}

#[test]
fn one_unit_is_found_by_its_mac_and_the_survey_ends_at_once() {
    let wanted = twenty();
    let (_, (mac, _)) = wanted.first_key_value().unwrap();
    let mut survey = Survey::new(SurveyPlan { extent: Extent::Until(*mac), ..plan("10.40.0.0/22") });
    assert!(run(&mut survey, &wanted).took < Duration::from_millis(2200));
    let mut survey = Survey::new(SurveyPlan { extent: Extent::Until(MacAddress([9; 6])), ..plan("10.40.0.0/22") });
    assert!(run(&mut survey, &wanted).took >= Duration::from_secs(3));
}

#[rstest]
#[case(Way::Arp, 20)]
#[case(Way::ArtNet, 0)]
fn only_the_ways_asked_for_count(#[case] only: Way, #[case] count: usize) {
    let mut survey = Survey::new(SurveyPlan { ways: Ways::only(&[only]), ..plan("10.40.0.0/22") });
    run(&mut survey, &twenty());
    let devices = survey.census().devices(&survey.viewpoint());
    assert_eq!(devices.len(), count);
    for device in devices {
        assert_eq!(device.seen_by.iter().map(|seen| seen.way).collect::<Vec<_>>(), [only]);
    }
}

#[test]
fn our_own_frames_are_nobody_and_who_has_our_address_is_somebody() {
    let mut survey = Survey::new(plan("10.40.0.0/22"));
    survey.hear(Duration::ZERO, &Heard::Frame(&Arp::announcement(OWN_MAC, OWN).to_bytes()));
    assert_eq!(survey.census().devices(&survey.viewpoint()).len(), 0);
    let other = MacAddress([2; 6]);
    survey.hear(Duration::ZERO, &Heard::Frame(&Arp::announcement(other, OWN).to_bytes()));
    let devices = survey.census().devices(&survey.viewpoint());
    assert_eq!((devices.len(), devices[0].mac, devices[0].address), (1, Some(other), Some(OWN)));
    let found = world_clashes(survey.census(), &devices, &survey.viewpoint(), None);
    assert!(
        found[0]
            .what
            .contains("10.40.0.7 is this computer's (02:00:00:00:00:07), and 02:02:02:02:02:02 has it too")
    );
}

/// A forged reply, with a name full of terminal escapes.
fn forged(i: u32) -> Vec<u8> {
    let [a, b, c, d] = i.wrapping_mul(0x9e37_79b9).to_be_bytes();
    let mac = MacAddress([2, 0xbd, a, b, c, d]);
    let address = Ipv4Addr::from_bits(0x0a28_0000 | (i.wrapping_mul(0x85eb_ca6b) & 0xffff));
    let short_name = Text::cut("\u{1b}[2J\u{1b}]0;own\u{7}");
    // Pages that never come, so that asking after them tempts.
    let reply =
        PollReply { address, mac, short_name, bind_index: 3, port_count: 4, ..PollReply::default() }.to_bytes();
    let (from, to) = (SocketAddrV4::new(address, 6454), SocketAddrV4::new(Ipv4Addr::BROADCAST, 6454));
    UdpFrame { from_mac: mac, to_mac: Arp::EVERYBODY, from, to, payload: &reply }.to_bytes().unwrap()
}

#[test]
fn a_flood_of_forged_replies_stays_bounded_ends_in_time_and_is_answered_at_the_pace() {
    let mut survey = Survey::new(plan("10.40.0.0/16"));
    survey.wake(Duration::ZERO);
    let mut sent = Vec::new();
    for i in 0..200_000 {
        let now = Duration::from_micros(u64::from(i) * 10);
        survey.hear(now, &Heard::Frame(&forged(i)));
        while survey.wake_at().is_some_and(|at| at <= now) {
            survey.wake(now);
        }
        while survey.next_event().is_some() {}
        sent.extend(std::iter::from_fn(|| survey.next_send()).map(|outgoing| (now, outgoing)));
    }
    let ran = run(&mut survey, &Hosts::new());
    assert!(ran.took <= Duration::from_millis(4500), "{:?}", ran.took);
    sent.extend(ran.sent);
    let busiest = busiest(&Ran { sent, took: ran.took });
    assert!(busiest <= 520, "{busiest}");
    let census = survey.census();
    assert_eq!(census.nodes().len(), 16_384);
    assert!(census.overlooked() > 100_000);
    assert!(census.devices(&survey.viewpoint()).len() <= 65_536 + 16_384);
}

/// A flood of nodes is said before everything else that may be made up.
#[test]
fn more_nodes_than_a_network_has_are_a_finding_of_their_own() {
    use lantern_core::census::{Census, Sighting, Told};
    let mut census = Census::default();
    for i in 0..u32::try_from(Census::MOST_NODES).unwrap() + 10 {
        let frame = forged(i);
        let told = Told::by_datagram(6454, UdpFrame::parse(&frame).unwrap().payload).unwrap().unwrap();
        census.take(&Sighting::plain(Duration::ZERO, Ipv4Addr::from_bits(0x0a28_0000 + i), told));
    }
    assert_eq!(census.nodes().len(), Census::MOST_NODES);
    let from = Default::default();
    let found = world_clashes(&census, &census.devices(&from), &from, None);
    assert_eq!(found[0].rule.code, "W005");
}
