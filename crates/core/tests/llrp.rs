//! Targets of LLRP are found in any subnet, without an address, and two at one address.

use std::fmt::Write;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::census::{Census, Standing, Way, Ways};
use lantern_core::conversation::{Extent, Means, Survey, SurveyPlan, Vantage};
use lantern_sim::{Link, MemoryGround, Scene};
use lantern_wire::MacAddress;
use rstest::rstest;

use crate::support::{GUEST, run, seat};

const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);

fn device(i: u32, address: &str) -> String {
    format!(
        "[[device]]\nname = \"unit-{i}\"\nmac = \"02:4d:42:00:{:02x}:{:02x}\"\naddress = \"{address}\"\necho = false\n\
         llrp = {{ uid = \"7ff0:{i:08x}\" }}\n",
        i >> 8,
        i & 255
    )
}

/// A survey of so long, with frames or without, of these devices.
fn surveyed(devices: &str, loss: f64, time: Duration, frames: bool) -> Survey {
    let scene = Scene::parse(&format!("network = \"10.40.0.0\"\n{devices}")).unwrap();
    let broadcasts = vec![seat().subnet.broadcast(), Ipv4Addr::BROADCAST];
    let mut ground = MemoryGround::new(Vec::new(), Link::new(loss, 7), GUEST, broadcasts).beside(scene.devices());
    if frames {
        ground = ground.with_frames(OWN);
    }
    let means = Means { frames, ..Means::default() };
    let vantage = Vantage { own_mac: Some(OWN), means, ..Vantage::of_seats(vec![seat()]) };
    let ways = Ways::only(&[Way::Llrp]);
    let plan = SurveyPlan {
        vantage,
        ways,
        extent: Extent::Whole(time),
        ..SurveyPlan::art_net(vec![seat()], None, false)
    };
    let mut survey = Survey::new(plan);
    run(&mut survey, &mut ground);
    survey
}

fn uids(census: &Census) -> Vec<String> {
    census.units().iter().map(|unit| unit.identity.to_string()).collect()
}

#[test]
fn in_another_subnet_without_an_address_and_two_at_one() {
    let devices = [
        device(1, "192.168.7.9"),
        device(2, "0.0.0.0"),
        device(3, "10.40.1.9"),
        device(4, "10.40.1.9"),
        device(5, "10.40.1.10"),
    ]
    .concat();
    let survey = surveyed(&devices, 0.0, Duration::ZERO, true);
    let census = survey.census();
    assert_eq!(
        uids(census),
        ["7ff0:00000001", "7ff0:00000002", "7ff0:00000003", "7ff0:00000004", "7ff0:00000005"]
    );
    let found = census.devices(&survey.viewpoint());
    let rows: Vec<(String, Standing)> = found
        .iter()
        .map(|device| (format!("{} {}", device.address.unwrap_or(GUEST), device.what), device.standing))
        .collect();
    assert!(
        rows.iter().any(|(row, standing)| row.starts_with("192.168.7.9 LLRP 7ff0:00000001")
            && *standing == Standing::OtherSubnet),
        "{rows:?}"
    );
    assert!(
        rows.iter().any(|(row, standing)| row.contains("LLRP 7ff0:00000002") && *standing == Standing::NoAddress),
        "{rows:?}"
    );
    assert_eq!(rows.iter().filter(|(row, _)| row.starts_with("10.40.1.9 LLRP")).count(), 2, "{rows:?}");
    assert_eq!(census.contested(&survey.viewpoint()).len(), 1);
}

/// Three questions and their waits are six seconds by the standard; many more answer than fit in one, so the ranges are asked side
/// by side.
#[rstest]
#[case::as_many_as_fit(200, 0.05, 9)]
#[case::more(600, 0.05, 9)]
#[case::a_thousand(1000, 0.02, 7)]
fn two_hundred_and_more_are_all_found(#[case] count: u32, #[case] loss: f64, #[case] time: u64) {
    let mut devices = String::new();
    for i in 0..count {
        write!(devices, "{}", device(i + 1, &format!("10.40.{}.{}", 2 + i / 200, 1 + i % 200))).unwrap();
    }
    let survey = surveyed(&devices, loss, Duration::from_secs(time), true);
    assert_eq!(survey.census().units().len() as u32, count);
}

/// Through a socket a frame of nobody is not heard; the others are.
#[test]
fn without_frames_those_with_an_address_are_found() {
    let devices = [device(1, "10.40.1.8"), device(2, "0.0.0.0"), device(3, "10.40.1.9")].concat();
    let survey = surveyed(&devices, 0.0, Duration::ZERO, false);
    assert_eq!(uids(survey.census()), ["7ff0:00000001", "7ff0:00000003"]);
    assert_eq!(survey.census().units()[0].mac.unwrap().to_string(), "02:4d:42:00:00:01");
}
