//! Who comes, who comes back, and who was here all along.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::conversation::{Arrival, ArrivalKind, Arrivals, Means, SurveyPlan, Vantage};
use lantern_sim::{Link, MemoryGround, Scene};
use lantern_wire::MacAddress;
use rstest::rstest;

use crate::support::{GUEST, run_with, seat};

const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);

const NODE: &str = "02:4d:42:00:10:01";
const FIRST: &str = "02:4f:4c:00:00:01";
const SECOND: &str = "02:4f:4c:00:00:02";

/// A node that is there, and two devices that come at four and at twenty seconds; an announcer and a source that were here
/// all along and are heard late.
const SCENE: &str = "network = \"10.40.0.0\"\n[[node]]\nname = \"quay-north\"\nmodel = \"marrowbright-four\"\n\
    mac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.100\"\npages = [{ out = [0] }]\n\
    [[device]]\nname = \"first\"\nmac = \"02:4f:4c:00:00:01\"\naddress = \"10.40.2.1\"\narrives_ms = 4500\n\
    [[device]]\nname = \"second\"\nmac = \"02:4f:4c:00:00:02\"\naddress = \"10.40.2.2\"\narrives_ms = 20000\n\
    [[device]]\nname = \"here\"\nmac = \"02:4f:4c:00:00:03\"\naddress = \"10.40.2.3\"\necho = false\n\
    streams = [{ name = \"mix\", kind = \"audio\", group = \"239.69.10.9\", port = 5004, format = \"L24/48000/2\" }]\n";

fn told(arrival: &Arrival) -> (u32, &'static str, String) {
    match &arrival.kind {
        ArrivalKind::Came(glimpse) => (arrival.number, "came", glimpse.mac.unwrap().to_string()),
        ArrivalKind::Heard(glimpse) => (arrival.number, "heard", glimpse.mac.unwrap().to_string()),
        ArrivalKind::Back(glimpse, _) => (arrival.number, "back", glimpse.mac.unwrap().to_string()),
        ArrivalKind::Known(device) => (arrival.number, "known", device.name.to_string()),
    }
}

/// The node goes off as the first comes, and on again as the second comes.
#[rstest]
fn one_that_was_switched_off_and_on_is_told_as_back(#[values(0.0, 0.05)] loss: f64) {
    let scene = Scene::parse(SCENE).unwrap();
    let broadcasts = vec![seat().subnet.broadcast(), Ipv4Addr::BROADCAST];
    let mut ground = MemoryGround::new(scene.nodes(), Link::new(loss, 7), GUEST, broadcasts)
        .beside(scene.devices())
        .with_frames(OWN);
    let means = Means { frames: true, ..Means::default() };
    let vantage = Vantage { own_mac: Some(OWN), means, ..Vantage::of_seats(vec![seat()]) };
    let plan = SurveyPlan {
        vantage,
        ways: lantern_core::census::Ways::ALL,
        ..SurveyPlan::art_net(vec![seat()], None, false)
    };
    let mut arrivals = Arrivals::new(plan, None, Some(Duration::from_secs(60)));
    let mut switched = 0;
    let (events, took) = run_with(&mut arrivals, &mut ground, |ground, now, event| {
        if matches!(event.kind, ArrivalKind::Came(_)) {
            ground.nodes_mut()[0].switch(now, switched % 2 == 1);
            switched += 1;
        }
    });
    let all: Vec<(u32, &str, String)> = events.iter().map(|(_, arrival)| told(arrival)).collect();
    let heads: Vec<(u32, &str, &str)> = all
        .iter()
        .filter(|(_, what, _)| *what != "known")
        .map(|(number, what, who)| (*number, *what, who.as_str()))
        .collect();
    assert_eq!(heads, [(1, "came", FIRST), (2, "came", SECOND), (3, "back", NODE)], "{all:?}");
    let away = events.iter().find_map(|(_, arrival)| match arrival.kind {
        ArrivalKind::Back(_, away) => Some(away),
        _ => None,
    });
    assert!((8..30).contains(&away.unwrap().as_secs()), "{away:?}");
    assert!(all.contains(&(3, "known", "quay-north".to_owned())), "{all:?}");
    assert_eq!((arrivals.came(), took.as_secs()), (3, 60));
}
