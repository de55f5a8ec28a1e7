//! The rungs that a whole segment cannot break at will: answers that get lost, a port that another program keeps, a page that hangs,
//! and nodes with habits, which are no faults.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::Said;
use lantern_core::adapter::{Adapter, Computer, Holder, Medium, Origin, OwnAddress};
use lantern_core::census::Ways;
use lantern_core::conversation::{Concern, Extent, Means, Reach, Seat, Survey, SurveyPlan, Vantage};
use lantern_core::ladder::{Circumstances, Rung, Step, WasHeard, climb};
use lantern_core::sheet::RigSheet;
use lantern_sim::{Link, MemoryGround, Scene};
use lantern_wire::MacAddress;
use rstest::rstest;

use crate::support::{GUEST, run, seat};

const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);
const NORTH: Ipv4Addr = Ipv4Addr::new(10, 40, 1, 3);
const HEAD: &str = "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n";
const PLANNED: &str = "[[node]]\nname = \"quay-north\"\nmac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.3\"\n";

/// A gateway with these habits.
fn scene(quirks: &str) -> Scene {
    let text = format!(
        "network = \"10.40.0.0\"\n[[node]]\nname = \"quay-north\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:00:10:01\"\n\
         address = \"10.40.1.3\"\nmask = \"255.255.0.0\"\npages = [{{ out = [0, 1, 2, 3] }}]\nquirks = [{quirks}]\n"
    );
    Scene::parse(&text).unwrap()
}

fn computer(holder: Option<&str>) -> Computer {
    let Seat { own, subnet, .. } = seat();
    let adapter = Adapter {
        name: "eth0".to_owned(),
        label: None,
        preferred: false,
        medium: Medium::Wired,
        on: true,
        link: true,
        speed: Some(1000),
        mac: Some(OWN),
        addresses: vec![OwnAddress { address: own, subnet, origin: Origin::Fixed }],
        gateways: Vec::new(),
    };
    let holds = |name: &str| Holder { program: Some(Said::from(name)), address: Ipv4Addr::UNSPECIFIED };
    Computer {
        adapters: vec![adapter],
        holders: holder.map(holds).into_iter().collect(),
        name_servers: Vec::new(),
    }
}

/// Looks and asks as the program does, and climbs: the rungs with their steps.
fn climbed(scene: &Scene, sheet: &str, computer: &Computer, frames: bool, link: Link) -> Vec<(Rung, Step)> {
    let broadcasts = vec![seat().subnet.broadcast(), Ipv4Addr::BROADCAST];
    let mut ground = MemoryGround::new(scene.nodes(), link, GUEST, broadcasts).beside(scene.devices());
    if frames {
        ground = ground.with_frames(OWN);
    }
    let means = Means { frames, ..Means::default() };
    let vantage = Vantage { own_mac: Some(OWN), means, mark: 7, ..Vantage::of_seats(vec![seat()]) };
    let plan = SurveyPlan {
        vantage: vantage.clone(),
        ways: Ways::ALL,
        extent: Extent::Whole(Duration::ZERO),
        concern: Concern::of_one("quay-north", [NORTH]),
        likely: vec![NORTH],
        ..SurveyPlan::art_net(vec![seat()], None, true)
    };
    let mut survey = Survey::new(plan);
    run(&mut survey, &mut ground);
    let mut reach = Reach::new(vantage.clone(), &[NORTH], Ways::ALL, 20);
    run(&mut reach, &mut ground);
    let (from, census) = (survey.viewpoint(), survey.into_census());
    let devices = census.devices(&from);
    let sheet = RigSheet::parse(&format!("{HEAD}{sheet}")).unwrap();
    climb(&Circumstances {
        called: "quay-north",
        address: NORTH,
        planned: sheet.nodes.first(),
        sheet: Some((&sheet, "s.rig.toml")),
        computer,
        adapter: computer.adapters.first(),
        heard: Some(WasHeard {
            vantage: &vantage,
            reached: &reach.reached()[0],
            census: &census,
            devices: &devices,
            from: &from,
        }),
    })
}

/// The code of what is broken; empty where every rung holds.
fn broken(climbed: &[(Rung, Step)]) -> &'static str {
    match climbed.last() {
        Some((_, Step::Broken(finding))) => finding.rule.code,
        _ => "",
    }
}

/// What gets lost is never taken for somebody who is off, elsewhere, or free of a mask of ours.
#[rstest]
fn answers_that_get_lost_are_called_lost(#[values(1, 2, 3, 4, 5, 6, 7, 8)] seed: u64) {
    let climbed = climbed(&scene(""), PLANNED, &computer(None), true, Link::new(0.3, seed));
    assert_eq!(broken(&climbed), "D012", "{climbed:#?}");
}

#[rstest]
#[case::nothing("")]
#[case::answers_twice("\"answers-twice\"")]
#[case::every_second_poll("\"every-second-poll\"")]
#[case::only_broadcast_polls("\"only-broadcast-polls\"")]
fn a_habit_is_no_fault(#[case] quirk: &str) {
    for frames in [true, false] {
        let climbed = climbed(&scene(quirk), PLANNED, &computer(None), frames, Link::new(0.0, 1));
        assert_eq!(broken(&climbed), "", "frames {frames}: {climbed:#?}");
    }
}

/// Another program that holds the port is the reason only where nothing comes, and where it can keep anything from us.
#[rstest]
#[case::it_keeps_the_answers(false, true, "D014")]
#[case::we_hear_all_the_same(true, true, "D013")]
#[case::they_come_all_the_same(false, false, "")]
fn a_program_that_holds_the_port_is_named(#[case] frames: bool, #[case] silent: bool, #[case] expected: &str) {
    // Whoever speaks no Art-Net at all looks, without frames, like one whose answers are taken.
    let there = "network = \"10.40.0.0\"\n[[device]]\nname = \"host\"\nmac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.3\"\n\
        services = [{ name = \"host\", kind = \"_http._tcp\", port = 80 }]\n";
    let scene = if silent { Scene::parse(there).unwrap() } else { scene("") };
    let climbed = climbed(&scene, PLANNED, &computer(Some("visualiser")), frames, Link::new(0.0, 1));
    assert_eq!(broken(&climbed), expected, "{climbed:#?}");
}

#[test]
fn a_page_that_does_not_answer_is_told_where_one_is_expected() {
    let kind = "[[kind]]\nname = \"k\"\nmaker = \"Marrowbright\"\nmodel = \"Four\"\nports = 4\nspeaks = [\"art-net\", \"http\"]\n";
    let sheet = format!("{kind}{PLANNED}kind = \"k\"\n");
    let climbed = climbed(&scene(""), &sheet, &computer(None), true, Link::new(0.0, 1));
    assert_eq!(broken(&climbed), "D015", "{climbed:#?}");
}
