//! Clocks: which are announced, which lead, and what streams follow, held against what the devices really announce.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::census::{Census, Device, Ways};
use lantern_core::clash::world_clashes;
use lantern_core::conversation::{Extent, Survey, SurveyPlan};
use lantern_core::finding::Finding;
use lantern_sim::{Link, MemoryGround, Scene};
use lantern_wire::MacAddress;
use lantern_wire::ptp::ClockIdentity;
use rstest::rstest;

use crate::support::{self, GUEST, run, seat};

const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);

fn clock(number: u8, says: &str) -> String {
    format!(
        "[[device]]\nname = \"clock-{number}\"\nmac = \"02:4d:42:00:50:0{number}\"\naddress = \"10.40.4.{number}\"\n\
         clock = {{ {says} }}\n"
    )
}

fn identity(number: u8) -> ClockIdentity {
    ClockIdentity::of_mac(MacAddress([0x02, 0x4d, 0x42, 0, 0x50, number]))
}

/// Listens for so many seconds, with frames or without.
fn heard(devices: &str, seconds: u64, frames: bool) -> (Census, Vec<Device>, Vec<Finding>) {
    let scene = Scene::parse(&format!("network = \"10.40.0.0\"\n{devices}")).unwrap();
    let broadcasts = vec![seat().subnet.broadcast(), Ipv4Addr::BROADCAST];
    let ground = MemoryGround::new(Vec::new(), Link::new(0.0, 5), GUEST, broadcasts).beside(scene.devices());
    let (mut ground, vantage) = match frames {
        true => (ground.with_frames(OWN), support::with_frames(OWN)),
        false => (ground, lantern_core::conversation::Vantage::of_seats(vec![seat()])),
    };
    let extent = Extent::Whole(Duration::from_secs(seconds));
    let plan = SurveyPlan { vantage, ways: Ways::ALL, extent, ..SurveyPlan::art_net(vec![seat()], None, true) };
    let mut survey = Survey::new(plan);
    run(&mut survey, &mut ground);
    let from = survey.viewpoint();
    let census = survey.into_census();
    let devices = census.devices(&from);
    let findings = world_clashes(&census, &devices, &from, None);
    (census, devices, findings)
}

fn codes(findings: &[Finding]) -> Vec<&str> {
    findings
        .iter()
        .map(|finding| finding.rule.code)
        .filter(|code| ["W018", "W019", "W020"].contains(code))
        .collect()
}

#[rstest]
#[case::with_frames(true)]
#[case::by_sockets(false)]
fn the_grandmaster_and_who_follows_it_are_seen(#[case] frames: bool) {
    let devices =
        [clock(1, "class = 6, domain = 4"), clock(2, "follows = \"02:4d:42:00:50:01\", domain = 4")].concat();
    let (census, devices, findings) = heard(&devices, 4, frames);
    let clocks = census.surroundings().clocks;
    let seen: Vec<_> =
        clocks.iter().map(|one| (one.domain, one.grandmaster, one.is_grandmaster(), one.class)).collect();
    assert_eq!(seen, [(4, identity(1), true, 6), (4, identity(1), false, 248)]);
    let what: Vec<String> = devices.iter().map(|device| device.what.to_string()).collect();
    assert_eq!(what, ["PTP grandmaster", "PTP boundary clock"]);
    assert_eq!(codes(&findings), [""; 0], "{findings:?}");
}

#[rstest]
#[case::in_one_domain(&[clock(1, ""), clock(2, "priority1 = 127")], &["W018"])]
#[case::in_two_domains(&[clock(1, ""), clock(2, "domain = 1")], &[])]
#[case::one_makes_way(&[clock(1, "until_ms = 1500"), clock(2, "priority1 = 1").replace("clock =", "arrives_ms = 2000\nclock =")], &[])]
#[case::two_tell_of_one(&[clock(1, ""), clock(2, "follows = \"02:4d:42:00:50:01\""), clock(3, "follows = \"02:4d:42:00:50:01\"")], &[])]
#[case::one_follows_another_leader(&[clock(1, ""), clock(2, "follows = \"02:4d:42:00:50:09\"")], &["W018"])]
#[case::reference_lost(&[clock(1, "class = 7")], &["W020"])]
fn what_is_wrong_with_clocks_is_said(#[case] devices: &[String], #[case] expected: &[&str]) {
    let (_, _, findings) = heard(&devices.concat(), 5, true);
    assert_eq!(codes(&findings), expected, "{findings:?}");
}

#[test]
fn a_flood_of_clocks_is_bounded() {
    let many: String = (0..=255_u8)
        .flat_map(|n| [(n, 1), (n, 2)])
        .map(|(n, half)| {
            format!(
                "[[device]]\nname = \"c\"\nmac = \"02:4d:42:0{half}:60:{n:02x}\"\naddress = \"10.40.{half}.{n}\"\nclock = {{}}\n"
            )
        })
        .collect();
    let (census, _, findings) = heard(&many, 3, true);
    assert_eq!(census.surroundings().clocks.len(), 256);
    assert!(
        findings.iter().any(|finding| finding.rule.code == "W018" && finding.what.contains("more")),
        "{findings:?}"
    );
}
