//! Addresses given by DHCP: what is said, held against where the units really are, and what they really were told.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::conversation::{Conversation, Heard, LeaseNews, Leasing, LeasingStage, Outgoing};
use lantern_core::lease::{LeasePlan, LeaseWishes};
use lantern_core::sheet::RigSheet;
use lantern_sim::{Link, MemoryGround, Trouble};
use lantern_wire::MacAddress;
use rstest::rstest;

use crate::support::{self, run, run_with};

const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);
const KEEP: u32 = 86_400;
const RIVAL: Ipv4Addr = Ipv4Addr::new(10, 40, 0, 1);

/// Goes on for so long at most, as a person would let it.
struct For<'l>(&'l mut Leasing, Duration);

impl Conversation for For<'_> {
    type Event = LeaseNews;

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        self.0.hear(now, heard);
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.0.next_send()
    }

    fn wake_at(&self) -> Option<Duration> {
        self.0.wake_at().filter(|_| !self.1.is_zero()).map(|at| at.min(self.1))
    }

    fn wake(&mut self, now: Duration) {
        self.0.wake(now);
        if self.1 <= now {
            self.1 = Duration::ZERO;
        }
    }

    fn next_event(&mut self) -> Option<LeaseNews> {
        self.0.next_event()
    }
}

const fn seconds(seconds: u64) -> Duration {
    Duration::from_secs(seconds)
}

fn mac(number: u8) -> MacAddress {
    MacAddress([0x02, 0x4d, 0x42, 0, 0x30, number])
}

/// Where the sheet plans the unit of this number.
fn planned(number: u8) -> Ipv4Addr {
    Ipv4Addr::new(10, 40, 3, number)
}

/// A sheet of so many amplifiers; `says` what the sheet says of each besides.
fn sheet(count: u8, says: impl Fn(u8) -> String, network: &str) -> RigSheet {
    let nodes: String = (1..=count)
        .map(|n| format!("[[node]]\nname = \"amp-{n}\"\naddress = \"{}\"\n{}\n", planned(n), says(n)))
        .collect();
    let text = format!(
        "[rig]\nname = \"Tidewick\"\n[[network]]\nname = \"sound\"\nrange = \"10.40.0.0/16\"\n{network}\n{nodes}"
    );
    RigSheet::parse(&text).unwrap_or_else(|errors| panic!("{errors}"))
}

fn with_macs(count: u8) -> RigSheet {
    sheet(count, |n| format!("mac = \"{}\"", mac(n)), "gateway = \"10.40.0.1\"")
}

/// A unit that asks, with these habits.
fn client(number: u8, says: &str) -> String {
    format!(
        "[[device]]\nname = \"amp\"\nmac = \"{}\"\naddress = \"0.0.0.0\"\ndhcp = true\n[device.dhcp_client]\n{says}\n",
        mac(number)
    )
}

fn ground(devices: &str) -> MemoryGround {
    ground_with(devices, Link::new(0.0, 5))
}

fn ground_with(devices: &str, link: Link) -> MemoryGround {
    support::ground_of(devices, link, OWN)
}

fn leasing_of(sheet: &RigSheet, wishes: &LeaseWishes, until_all: bool) -> Leasing {
    let plan = LeasePlan::by_sheet(sheet, wishes).unwrap();
    Leasing::new(plan, &support::with_frames(OWN), KEEP, until_all).unwrap()
}

/// Who stands where, by the last number of the MAC address.
fn truth(ground: &MemoryGround) -> Vec<(u8, Ipv4Addr)> {
    ground.devices().iter().map(|device| (device.setup().mac.0[5], device.ip().address)).collect()
}

/// Whether everybody who was said to have an address has it: the last that was said of each.
fn said_is_true(news: &[(Duration, LeaseNews)], ground: &MemoryGround) {
    let mut said = std::collections::BTreeMap::new();
    for (_, news) in news {
        if let LeaseNews::Given { mac, address, .. } = news {
            said.insert(*mac, *address);
        }
    }
    for (mac, address) in said {
        let really = ground.devices().iter().find(|device| device.setup().mac == mac).unwrap();
        assert_eq!(really.ip().address, address, "{mac} was said to have {address}");
    }
}

fn stages(leasing: &Leasing) -> Vec<LeasingStage> {
    leasing.stages().map(|(_, stage)| stage).collect()
}

/// It ends once nobody new asks; one of a kind that has a fixed address is not waited for.
#[test]
fn it_ends_when_nobody_new_asks() {
    let units = "[[device]]\nname = \"amp\"\nmac = \"02:4d:42:00:30:01\"\naddress = \"0.0.0.0\"\ndhcp = true\narrives_ms = 9000\n[device.dhcp_client]\n";
    let sheet = "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n\
        [[node]]\nname = \"amp\"\nmac = \"02:4d:42:00:30:01\"\naddress = \"10.40.3.1\"\n\
        [[node]]\nname = \"gate\"\nkind = \"marrowbright-four\"\nmac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.1\"\n";
    let sheet = RigSheet::parse(sheet).unwrap();
    let mut ground = ground(units);
    let leasing = leasing_of(&sheet, &LeaseWishes::default(), false);
    let mut leasing = leasing.until_quiet_for(Some(Duration::from_secs(12)));
    let (news, took) = run(&mut leasing, &mut ground);
    said_is_true(&news, &ground);
    assert_eq!(stages(&leasing), [LeasingStage::Kept]);
    assert!(took > Duration::from_secs(21) && took < Duration::from_secs(90), "{took:?}");
    // Nobody comes at all.
    let mut leasing =
        leasing_of(&sheet, &LeaseWishes::default(), true).until_quiet_for(Some(Duration::from_secs(12)));
    let (_, took) = run(&mut leasing, &mut ground_with("", Link::new(0.0, 5)));
    assert!(took < Duration::from_secs(30), "{took:?}");
}

/// Twenty units of seven habits, on a good wire and on a bad one.
#[rstest]
#[case::good_wire(Trouble::default())]
#[case::bad_wire(Trouble { loss: 0.15, duplicate: 0.1, reorder: 0.05, corrupt: 0.05 })]
fn everybody_stands_where_the_sheet_says_and_was_told_to_keep_it(#[case] trouble: Trouble) {
    let habits = [
        "",
        "quirks = [\"hears-its-own\"]",
        "quirks = [\"trusts-the-server\"]",
        "quirks = [\"knows-no-timers\"]",
        "quirks = [\"names-its-server\"]",
        "remembers = \"192.168.1.20\"",
        "remembers = \"10.40.3.7\"\nquirks = [\"hears-its-own\", \"names-its-server\"]",
    ];
    let units: String = (1..=20).map(|n| client(n, habits[usize::from(n) % habits.len()])).collect();
    let mut ground = ground_with(&units, Link::with(trouble, 11));
    let mut leasing = leasing_of(&with_macs(20), &LeaseWishes::default(), true);
    let (news, took) = run(&mut leasing, &mut ground);
    ground.run_until(ground.now() + seconds(1));
    assert_eq!(truth(&ground), (1..=20).map(|n| (n, planned(n))).collect::<Vec<_>>());
    said_is_true(&news, &ground);
    assert_eq!(stages(&leasing), [LeasingStage::Kept; 20]);
    for device in ground.devices() {
        let left = device.lease_left(ground.now()).unwrap();
        assert!(left > seconds(KEEP.into()) - took, "{left:?}");
        let ip = device.ip();
        assert_eq!((ip.mask, ip.gateway), (Ipv4Addr::new(255, 255, 0, 0), RIVAL));
    }
    assert!(took < seconds(if trouble.loss == 0.0 { 60 } else { 200 }), "{took:?}");
}

/// Another server is there from the start, or comes later: nothing is given from then on.
#[rstest]
#[case::from_the_start("", 0)]
#[case::switched_on_later("arrives_ms = 40000", 1)]
fn another_server_stops_it_within_one_exchange(#[case] arrives: &str, #[case] given: usize) {
    let rival = format!(
        "[[device]]\nname = \"router\"\nmac = \"02:4d:42:00:99:01\"\naddress = \"{RIVAL}\"\n\
         dhcp_offers = \"10.40.9.9\"\n{arrives}\n"
    );
    let mut ground =
        ground(&[client(1, ""), client(2, "link_local_after_ms = 1000\nagain_ms = 45000"), rival].concat());
    ground.devices_mut()[1].switch(false);
    let mut leasing = leasing_of(&with_macs(2), &LeaseWishes::default(), false);
    let (news, _) = run_with(&mut leasing, &mut ground, |ground, now, _| {
        if now >= seconds(41) {
            ground.devices_mut()[1].switch(true);
        }
    });
    let (last_at, last) = news.last().unwrap();
    assert_eq!(*last, LeaseNews::Rival { server: RIVAL, mac: Some(MacAddress([2, 0x4d, 0x42, 0, 0x99, 1])) });
    let new = news.iter().filter(|(_, news)| matches!(news, LeaseNews::Given { is_new: true, .. })).count();
    assert_eq!(new, given);
    assert_eq!(leasing.rival().map(|(server, _)| server), Some(RIVAL));
    assert_eq!((leasing.wake_at(), leasing.next_send()), (None, None), "nothing more is sent");
    // It is asked for twice a minute, and the first word of it ends everything.
    assert!(*last_at < if given == 0 { seconds(1) } else { seconds(70) }, "{last_at:?}");
}

#[test]
fn what_somebody_holds_is_never_given() {
    let holder = "[[device]]\nname = \"laptop\"\nmac = \"02:4d:42:00:99:02\"\naddress = \"10.40.3.1\"\n";
    let mut ground = ground(&[client(1, ""), client(2, ""), holder.to_owned()].concat());
    let mut leasing = leasing_of(&with_macs(2), &LeaseWishes::default(), false);
    let mut before = None;
    let (news, _) = run_with(&mut For(&mut leasing, seconds(240)), &mut ground, |ground, now, _| {
        if now >= seconds(100) && before.is_none() {
            before = Some(ground.devices()[0].ip().address);
            ground.devices_mut()[2].switch(false);
        }
    });
    said_is_true(&news, &ground);
    assert!(before.unwrap().is_link_local(), "as long as somebody holds what it should have");
    let held: Vec<_> = news.iter().filter(|(_, news)| matches!(news, LeaseNews::Held { .. })).collect();
    let by = Some(MacAddress([2, 0x4d, 0x42, 0, 0x99, 2]));
    let expected = LeaseNews::Held { mac: mac(1), node: Some("amp-1".into()), address: planned(1), by };
    assert_eq!(held.iter().map(|(_, news)| news).collect::<Vec<_>>(), [&expected], "told once");
    // Once the other one is gone, it is given the next time the unit asks.
    assert_eq!(truth(&ground)[..2], [(1, planned(1)), (2, planned(2))]);
    assert_eq!(stages(&leasing), [LeasingStage::Short; 2]);
}

/// Somebody who hears no question of ours, but whom the unit itself finds. Here: who comes between the two.
#[test]
fn what_a_unit_declines_is_told_and_not_given_again() {
    let holder = "[[device]]\nname = \"laptop\"\nmac = \"02:4d:42:00:99:02\"\naddress = \"10.40.3.1\"\n";
    let mut ground = ground(&[client(1, ""), holder.to_owned()].concat());
    ground.devices_mut()[1].switch(false);
    let mut leasing = leasing_of(&with_macs(1), &LeaseWishes::default(), false);
    let (news, _) = run_with(&mut For(&mut leasing, seconds(60)), &mut ground, |ground, _, news| {
        if matches!(news, LeaseNews::Given { .. }) {
            ground.devices_mut()[1].switch(true);
        }
    });
    assert_eq!(ground.devices()[0].times_declined(), 1);
    assert_ne!(ground.devices()[0].ip().address, planned(1));
    let held =
        news.iter().filter(|(_, news)| matches!(news, LeaseNews::Held { address, .. } if *address == planned(1)));
    assert!(held.count() >= 1, "{news:?}");
    assert_eq!(stages(&leasing), [LeasingStage::Held], "and it is not said to have it");
}

/// A unit that lives on a link-local address is moved the next time it asks by itself; one that wants its old address is
/// told to let it go.
#[rstest]
#[case::link_local("link_local_after_ms = 1000\nagain_ms = 20000")]
#[case::old_address("remembers = \"10.40.8.8\"")]
#[case::only_hears_its_own("remembers = \"10.40.8.8\"\nquirks = [\"hears-its-own\"]")]
fn whoever_stands_elsewhere_is_moved(#[case] says: &str) {
    let mut ground = ground(&client(1, says));
    // It has been on for a while before anybody gives anything.
    ground.run_until(seconds(18));
    let mut leasing = leasing_of(&with_macs(1), &LeaseWishes::default(), true);
    let (news, took) = run(&mut leasing, &mut ground);
    said_is_true(&news, &ground);
    assert_eq!(truth(&ground), [(1, planned(1))]);
    assert!(took < seconds(80), "{took:?}");
}

#[test]
fn a_stranger_is_told_of_once_and_given_nothing() {
    let mut ground = ground(&client(9, "class = \"amp \\u001b[31mred\""));
    let mut leasing = leasing_of(&with_macs(1), &LeaseWishes::default(), false);
    let (news, _) = run(&mut For(&mut leasing, seconds(60)), &mut ground);
    let unknown: Vec<_> = news
        .iter()
        .filter_map(|(_, news)| match news {
            LeaseNews::Unknown(stranger) => Some((stranger.mac, stranger.class.to_string())),
            _ => None,
        })
        .collect();
    assert_eq!(unknown.len(), 1);
    assert_eq!(unknown[0].0, mac(9));
    assert!(!unknown[0].1.contains('\u{1b}'), "escaped: {}", unknown[0].1);
    assert!(ground.devices()[0].ip().address.is_link_local());
    assert_eq!((stages(&leasing), leasing.strangers()), (vec![LeasingStage::Awaited], 1));
}

#[test]
fn a_pool_is_for_strangers_and_nobody_planned_is_in_it() {
    let wishes = LeaseWishes { pool: Some("10.40.3.1-10.40.3.4".parse().unwrap()), ..LeaseWishes::default() };
    let holder = "[[device]]\nname = \"laptop\"\nmac = \"02:4d:42:00:99:02\"\naddress = \"10.40.3.3\"\n";
    let mut ground = ground(&[client(1, ""), client(9, ""), client(10, ""), holder.to_owned()].concat());
    let mut leasing = leasing_of(&with_macs(2), &wishes, false);
    let (news, _) = run(&mut For(&mut leasing, seconds(120)), &mut ground);
    said_is_true(&news, &ground);
    let stand = truth(&ground);
    assert_eq!(stand[0], (1, planned(1)));
    let strangers = [stand[1].1, stand[2].1];
    assert_eq!(
        strangers.iter().filter(|address| **address == planned(4)).count(),
        1,
        "the only free one: {strangers:?}"
    );
    assert_eq!(strangers.iter().filter(|address| address.is_link_local()).count(), 1);
}

/// Identical units, switched on one after the other.
#[test]
fn units_without_a_name_are_taken_in_the_order_they_ask() {
    let unknown = sheet(3, |_| String::new(), "");
    let wishes =
        LeaseWishes { next: vec!["amp-2".into(), "amp-1".into(), "amp-3".into()], ..LeaseWishes::default() };
    let units: String = (1..=3)
        .map(|n| {
            client(n, "").replace("dhcp = true", &format!("dhcp = true\narrives_ms = {}", 5000 * u32::from(n)))
        })
        .collect();
    let mut ground = ground(&units);
    let mut leasing = leasing_of(&unknown, &wishes, true);
    assert_eq!(leasing.next(), Some("amp-2"));
    let (news, _) = run(&mut leasing, &mut ground);
    said_is_true(&news, &ground);
    assert_eq!(truth(&ground), [(1, planned(2)), (2, planned(1)), (3, planned(3))]);
    let bound: Vec<_> = leasing.bound().map(|(place, mac)| (place.name.clone(), mac.0[5])).collect();
    assert_eq!(bound, [("amp-1".into(), 2), ("amp-2".into(), 1), ("amp-3".into(), 3)]);
}

/// One that only looks in, and does not go on, is not the unit that was meant.
#[test]
fn who_does_not_go_on_is_not_the_next_one() {
    let unknown = sheet(1, |_| String::new(), "");
    let wishes = LeaseWishes { next: vec!["amp-1".into()], ..LeaseWishes::default() };
    let late = client(2, "").replace("dhcp = true", "dhcp = true\narrives_ms = 40000");
    let mut ground = ground(&[client(1, ""), late].concat());
    let mut leasing = leasing_of(&unknown, &wishes, true);
    let (news, _) = run_with(&mut leasing, &mut ground, |ground, _, news| {
        if *news == LeaseNews::Giving {
            // It asked, and lost its power.
            ground.devices_mut()[0].switch(false);
        }
    });
    said_is_true(&news, &ground);
    assert_eq!(truth(&ground)[1], (2, planned(1)));
}

#[test]
fn the_port_of_a_switch_tells_which_unit_it_is() {
    let unknown = sheet(2, |_| String::new(), "");
    let circuits = vec![("gi7".into(), "amp-1".into()), ("gi8".into(), "amp-2".into())];
    let wishes = LeaseWishes { circuits, ..LeaseWishes::default() };
    let mut ground = ground(&[client(1, "circuit = \"gi8\""), client(2, "circuit = \"gi7\"")].concat());
    let mut leasing = leasing_of(&unknown, &wishes, true);
    let (news, _) = run(&mut leasing, &mut ground);
    said_is_true(&news, &ground);
    assert_eq!(truth(&ground), [(1, planned(2)), (2, planned(1))]);
}

#[rstest]
#[case::its_range("locked = \"10.40.3.0/24\"".to_owned())]
#[case::the_device(format!("locked_devices = \"{}\"", mac(1)))]
fn nothing_is_said_to_whoever_is_locked(#[case] network: String) {
    let locked = sheet(1, |n| format!("mac = \"{}\"", mac(n)), &network);
    let wishes = LeaseWishes { pool: Some("10.40.8.1-10.40.8.9".parse().unwrap()), ..LeaseWishes::default() };
    let mut ground = ground(&client(1, ""));
    let mut leasing = leasing_of(&locked, &wishes, false);
    let (news, _) = run(&mut For(&mut leasing, seconds(60)), &mut ground);
    let told: Vec<_> = news.iter().map(|(_, news)| news).collect();
    assert_eq!(told, [&LeaseNews::Giving, &LeaseNews::Locked(mac(1))]);
    assert!(ground.devices()[0].ip().address.is_link_local());
}

/// Killed in the middle and begun again, everybody has the same address, and nobody loses it meanwhile.
#[test]
fn begun_again_it_gives_the_same() {
    let unknown = sheet(2, |_| String::new(), "");
    let wishes = LeaseWishes {
        next: vec!["amp-2".into(), "amp-1".into()],
        pool: Some("10.40.8.1-10.40.8.9".parse().unwrap()),
        ..LeaseWishes::default()
    };
    let units: String = (1..=3)
        .map(|n| {
            client(n, "").replace("dhcp = true", &format!("dhcp = true\narrives_ms = {}", 5000 * u32::from(n)))
        })
        .collect();
    let mut ground = ground(&units);
    let mut first = leasing_of(&unknown, &wishes, false);
    let (news, _) = run(&mut For(&mut first, seconds(30)), &mut ground);
    let before = truth(&ground);
    assert_eq!(before[..2], [(1, planned(2)), (2, planned(1))]);
    // What is on disk by then.
    let mut again = leasing_of(&unknown, &wishes, false);
    for (_, news) in &news {
        if let LeaseNews::Given { mac, node, address, .. } = news {
            again.remember(*mac, node.as_deref(), *address, Some(seconds(25)));
        }
    }
    let (news, _) = run(&mut For(&mut again, seconds(90)), &mut ground);
    assert_eq!(truth(&ground), before);
    said_is_true(&news, &ground);
    assert!(!news.iter().any(|(_, news)| matches!(news, LeaseNews::Moved { .. })), "{news:?}");
    // And at the end everybody is told.
    again.turn_to_end();
    run(&mut again, &mut ground);
    for device in ground.devices() {
        assert!(device.lease_left(ground.now()).unwrap() > seconds(u64::from(KEEP) - 120));
    }
}

/// One that never asks again cannot be told: that is said, and it is not waited for without end.
#[test]
fn who_never_asks_again_was_not_told() {
    let mut ground = ground(&[client(1, "quirks = [\"never-renews\"]"), client(2, "")].concat());
    let mut leasing = leasing_of(&with_macs(2), &LeaseWishes::default(), false);
    run(&mut For(&mut leasing, seconds(12)), &mut ground);
    leasing.turn_to_end();
    let (_, took) = run(&mut leasing, &mut ground);
    assert!(took <= seconds(61), "{took:?}");
    assert_eq!(stages(&leasing), [LeasingStage::Short, LeasingStage::Kept]);
    let findings = lantern_core::lease::left_finding(&leasing, "t.rig.toml");
    assert_eq!(findings.len(), 1, "{findings:?}");
    assert_eq!((findings[0].rule.code, findings[0].what.as_str()), ("G008", "amp-1"));
}
