//! Devices put together from evidence of every kind, in any order.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::Protocol;
use lantern_core::census::{
    Census, CensusDiff, Compared, Device, Levels, Sighting, Standing, Told, Viewpoint, Way,
};
use lantern_core::clash::world_clashes;
use lantern_wire::art_net::PollReply;
use lantern_wire::dns_sd::{Answer, EVERY_TYPE, Fact};
use lantern_wire::sacn::Cid;
use lantern_wire::sdp::Session;
use lantern_wire::{Lldp, MacAddress, Text};
use proptest::prelude::*;
use rstest::rstest;

use crate::support::cases;

const A: Ipv4Addr = Ipv4Addr::new(10, 40, 1, 1);
const B: Ipv4Addr = Ipv4Addr::new(10, 40, 1, 2);
const FAR: Ipv4Addr = Ipv4Addr::new(192, 168, 7, 9);
const ROUTER: Ipv4Addr = Ipv4Addr::new(10, 40, 0, 1);

fn mac(last: u8) -> MacAddress {
    MacAddress([2, 0, 0, 0, 0, last])
}

fn here() -> Viewpoint {
    Viewpoint {
        own: Vec::new(),
        own_mac: None,
        subnets: vec!["10.40.0.0/16".parse().unwrap()],
        gateways: vec![ROUTER],
        asked: true,
        echo_asked: true,
    }
}

fn seen(mac: Option<MacAddress>, from: Ipv4Addr, told: Told) -> Sighting {
    Sighting { mac, ..Sighting::plain(Duration::from_millis(5), from, told) }
}

fn reply(stated: MacAddress, address: Ipv4Addr, name: &str) -> Told {
    let reply = PollReply { address, mac: stated, short_name: Text::cut(name), ..PollReply::default() };
    Told::PollReply(Box::new(reply))
}

fn service(host: &str, kind: &str, address: Ipv4Addr) -> Told {
    let instance = format!("One.{kind}.local.");
    let say = |name: &str, fact| Answer { name: name.to_owned(), fact, is_over: false };
    Told::Services(vec![
        say(EVERY_TYPE, Fact::Pointer(format!("{kind}.local."))),
        say(&format!("{kind}.local."), Fact::Pointer(instance.clone())),
        say(&instance, Fact::Service { host: format!("{host}.local."), port: 80 }),
        say(&format!("{host}.local."), Fact::Address(address)),
    ])
}

fn census(sightings: &[Sighting]) -> Census {
    let mut census = Census::default();
    for sighting in sightings {
        census.take(sighting);
    }
    census
}

fn devices(sightings: &[Sighting]) -> Vec<Device> {
    census(sightings).devices(&here())
}

/// One harbour's worth of evidence.
fn evidence() -> Vec<Sighting> {
    let session = b"v=0\no=- 1 1 IN IP4 10.40.1.2\ns=mix\nc=IN IP4 239.69.1.1\nm=audio 5004 RTP/AVP 98\n";
    let levels = Told::Levels(Levels {
        protocol: Protocol::Sacn,
        cid: Some(Cid([1; 16])),
        source: "Quay desk".to_owned(),
        universe: 1,
        priority: Some(100),
        sequence: None,
        preview: false,
        ended: false,
    });
    let switch = Lldp {
        from: mac(9),
        name: Some("quay-switch".to_owned()),
        port: "7".to_owned(),
        seconds: 120,
        ..Lldp::default()
    };
    vec![
        seen(Some(mac(1)), A, reply(mac(1), A, "quay-north")),
        seen(Some(mac(1)), A, Told::Arp),
        Sighting { to_us: true, ..seen(Some(mac(1)), A, Told::Echo) },
        seen(Some(mac(2)), B, service("hall-mixer", "_oca._tcp", B)),
        seen(None, B, Told::Neighbour),
        seen(
            Some(mac(2)),
            B,
            Told::Announced { key: (B, 1), session: Box::new(Session::parse(session).unwrap()) },
        ),
        seen(Some(mac(3)), FAR, levels),
        seen(Some(mac(4)), A, Told::Arp),
        seen(Some(mac(9)), Ipv4Addr::UNSPECIFIED, Told::Lldp(Box::new(switch))),
        seen(Some(mac(8)), ROUTER, Told::Arp),
    ]
}

#[test]
fn everything_about_one_device_is_one_row() {
    let found = devices(&evidence());
    let rows: Vec<String> = found
        .iter()
        .map(|d| format!("{} {} {} [{}] {}", d.mac.unwrap(), d.title(), d.what, d.standing, d.seen_by.len()))
        .collect();
    assert_eq!(
        rows,
        [
            "02:00:00:00:00:08 10.40.0.1  [seen: ARP only] 1",
            "02:00:00:00:00:01 quay-north maker 0000 model 0000 [answers] 3",
            "02:00:00:00:00:04 10.40.1.1  [seen: ARP only] 1",
            "02:00:00:00:00:02 hall-mixer sound, sound sender [seen: no echo] 3",
            "02:00:00:00:00:03 Quay desk sACN source [seen: other subnet] 1",
            "02:00:00:00:00:09 quay-switch switch [seen: no address] 1",
        ]
    );
}

proptest! {
    #![proptest_config(cases(256))]

    #[test]
    fn the_order_of_evidence_does_not_matter(order in Just((0..evidence().len()).collect::<Vec<_>>()).prop_shuffle()) {
        let all = evidence();
        let shuffled: Vec<Sighting> = order.iter().map(|i| all[*i].clone()).collect();
        prop_assert_eq!(devices(&shuffled), devices(&all));
    }

    #[test]
    fn every_sighting_with_an_address_is_in_some_row(octets in prop::collection::vec((any::<u8>(), 0..4_u8, any::<bool>()), 1..40)) {
        let sightings: Vec<Sighting> = octets
            .iter()
            .map(|(last, who, bare)| seen((!bare).then(|| mac(*who)), Ipv4Addr::new(10, 40, 3, *last), Told::Arp))
            .collect();
        let found = devices(&sightings);
        for (last, who, bare) in octets {
            let address = Ipv4Addr::new(10, 40, 3, last);
            let holds = |device: &Device| device.addresses.contains(&address) && (bare || device.mac == Some(mac(who)));
            prop_assert!(found.iter().any(holds));
        }
    }
}

#[rstest]
#[case::two_by_arp(seen(Some(mac(1)), A, Told::Arp), seen(Some(mac(2)), A, Told::Arp))]
#[case::arp_and_neighbour(seen(Some(mac(1)), A, Told::Arp), seen(Some(mac(2)), A, Told::Neighbour))]
#[case::stated_and_neighbour(seen(None, A, reply(mac(1), A, "x")), seen(Some(mac(2)), A, Told::Neighbour))]
#[case::art_net_and_echo(seen(Some(mac(1)), A, reply(mac(1), A, "x")), seen(Some(mac(2)), A, Told::Echo))]
#[case::two_by_art_net(seen(None, A, reply(mac(1), A, "x")), seen(None, A, reply(mac(2), A, "x")))]
fn two_macs_at_one_address_are_both_named_whatever_the_way(#[case] one: Sighting, #[case] other: Sighting) {
    let census = census(&[one, other]);
    let contested = census.contested(&here());
    assert_eq!((contested.len(), contested[0].address, contested[0].macs.clone()), (1, A, vec![mac(1), mac(2)]));
    let said = world_clashes(&census, &census.devices(&here()), &here(), None)
        .into_iter()
        .find(|finding| finding.rule.code == "W001")
        .unwrap()
        .what;
    assert!(said.contains("02:00:00:00:00:01") && said.contains("02:00:00:00:00:02"), "{said}");
}

#[test]
fn one_that_states_another_mac_than_it_speaks_from_is_one_device_and_no_clash() {
    let census = census(&[seen(Some(mac(7)), A, reply(mac(1), A, "x")), seen(Some(mac(7)), A, Told::Arp)]);
    assert_eq!((census.devices(&here()).len(), census.contested(&here()).len()), (1, 0));
}

#[test]
fn what_a_router_passes_on_is_not_the_routers() {
    let router = seen(Some(mac(8)), ROUTER, Told::Arp);
    let passed = |last| {
        seen(Some(mac(8)), Ipv4Addr::new(10, 99, 0, last), reply(mac(last), Ipv4Addr::new(10, 99, 0, last), "x"))
    };
    let found = devices(&[router, passed(1), passed(2)]);
    assert_eq!(found.len(), 3);
    assert_eq!(found.iter().filter(|device| device.addresses.len() == 1).count(), 3);
}

#[rstest]
#[case::echo(vec![Told::Arp, Told::Echo], A, false, Standing::Answers)]
#[case::to_us(vec![Told::ArtNet], A, true, Standing::Answers)]
#[case::node_by_broadcast(vec![reply(mac(1), A, "x")], A, false, Standing::OneWay)]
#[case::arp(vec![Told::Arp, Told::Neighbour], A, false, Standing::OnlyArp)]
#[case::heard(vec![Told::Arp, Told::Traffic], A, false, Standing::SilentToEcho)]
#[case::far(vec![Told::ArtNet], FAR, false, Standing::OtherSubnet)]
#[case::far_but_talks(vec![Told::ArtNet], FAR, true, Standing::Answers)]
#[case::nowhere(vec![Told::DhcpClient { name: String::new(), class: String::new() }], Ipv4Addr::UNSPECIFIED, false, Standing::NoAddress)]
fn how_a_device_stands_follows_from_what_was_seen(
    #[case] told: Vec<Told>,
    #[case] from: Ipv4Addr,
    #[case] to_us: bool,
    #[case] standing: Standing,
) {
    let sightings: Vec<Sighting> =
        told.into_iter().map(|told| Sighting { to_us, ..seen(Some(mac(1)), from, told) }).collect();
    let found = devices(&sightings);
    assert_eq!((found.len(), found[0].standing), (1, standing));
    assert_eq!(standing.is_fine(), found[0].next().is_none());
    assert_eq!(standing.is_fine(), standing.because().is_empty());
}

#[test]
fn without_having_asked_nobody_is_said_to_be_silent() {
    let from = Viewpoint { echo_asked: false, ..here() };
    let census = census(&[seen(None, A, reply(mac(1), A, "x")), seen(Some(mac(2)), B, Told::Traffic)]);
    let standings: Vec<Standing> = census.devices(&from).iter().map(|device| device.standing).collect();
    assert_eq!(standings, [Standing::Answers, Standing::NotAsked]);
}

#[test]
fn several_dhcp_servers_are_a_warning_and_one_is_none() {
    let server = |last, address| seen(Some(mac(last)), address, Told::DhcpServer { server: address });
    let codes = |sightings: &[Sighting]| -> Vec<&str> {
        let census = census(sightings);
        world_clashes(&census, &census.devices(&here()), &here(), None)
            .iter()
            .map(|finding| finding.rule.code)
            .collect()
    };
    assert_eq!(codes(&[server(1, A), server(1, A)]), [""; 0]);
    assert_eq!(codes(&[server(1, A), server(2, B)]), ["W006"]);
}

#[test]
fn a_stream_that_is_withdrawn_is_over_and_a_source_that_repeats_is_one() {
    let mut all = evidence();
    all.push(seen(None, B, Told::Withdrawn { key: (B, 1) }));
    let again = all[6].clone();
    all.extend([100, 200, 300].map(|at| Sighting { at: Duration::from_millis(at), ..again.clone() }));
    let census = census(&all);
    assert!(census.streams()[0].over);
    let source = &census.sources()[0];
    let sending = source.universes[&1];
    assert_eq!((census.sources().len(), sending.heard, sending.priority), (1, 4, Some(100)));
    assert!((sending.rate().unwrap() - 10.0).abs() < 0.5, "{:?}", sending.rate());
}

#[test]
fn two_censuses_are_compared_in_words() {
    let before = census(&evidence());
    let mut later = evidence();
    later.remove(9);
    later[0] = seen(Some(mac(1)), B, reply(mac(1), B, "quay-mast"));
    later[1] = seen(Some(mac(1)), B, Told::Arp);
    later[2] = Sighting { to_us: true, ..seen(Some(mac(1)), B, Told::Echo) };
    later.push(seen(Some(mac(5)), Ipv4Addr::new(10, 40, 1, 5), Told::Echo));
    let after = census(&later);
    let (old, new) = (before.devices(&here()), after.devices(&here()));
    let compared = |devices, census: &Census| Compared { devices, nodes: &census.nodes().to_vec().leak()[..] };
    let diff = CensusDiff::between(compared(&old, &before), compared(&new, &after));
    let titles = |list: &[&Device]| -> Vec<String> { list.iter().map(|device| device.title()).collect() };
    assert_eq!(
        (titles(&diff.new), titles(&diff.gone)),
        (vec!["10.40.1.5".to_owned()], vec!["10.40.0.1".to_owned()])
    );
    let (_, _, changes) = diff.changed.iter().find(|(_, device, _)| device.mac == Some(mac(1))).unwrap();
    let said: Vec<String> =
        changes.iter().map(|c| format!("{} {} {} {}", c.kind, c.field, c.before, c.after)).collect();
    assert_eq!(said, ["moved address 10.40.1.1 10.40.1.2", "renamed name quay-north quay-mast"]);
    let same = CensusDiff::between(compared(&old, &before), compared(&old, &before));
    assert!(same.is_empty() && same.same == old.len());
}

#[test]
fn ways_are_named_as_they_are_typed() {
    for way in Way::ALL {
        assert_eq!(way.name().parse(), Ok(way));
        assert_eq!(serde_json::to_value(way).unwrap(), way.name());
    }
    assert!("telepathy".parse::<Way>().unwrap_err().contains("art-net, sacn"));
}
