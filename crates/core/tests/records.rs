//! What is written down: designations, first sheets, the logbook, and what to say when nobody answers.

use std::net::Ipv4Addr;

use lantern_core::census::Subject;
use lantern_core::census::Viewpoint;
use lantern_core::census::{Census, DesignationError};
use lantern_core::change::{Protection, plan_one};
use lantern_core::clash::{sheet_clashes, world_clashes};
use lantern_core::compare::{Addressing, Wanted, compare};
use lantern_core::conversation::Outcome;
use lantern_core::exchange::Draft;
use lantern_core::logbook::{FORMAT, Line, Record, Stage, StepTaken};
use lantern_core::sheet::RigSheet;
use lantern_sim::{Scene, TIDEWICK};
use rstest::rstest;

use crate::support::{ground, seat, survey};

fn harbour(change: impl Fn(&str) -> String) -> Census {
    survey(&mut ground(&Scene::parse(&change(TIDEWICK)).unwrap()), None)
}

fn as_it_is() -> Census {
    harbour(ToOwned::to_owned)
}

#[rstest]
#[case("quay-north", "10.40.1.100")]
#[case("QUAY-North", "10.40.1.100")]
#[case("10.40.2.101", "10.40.2.101")]
#[case("02-4D-42-00-20-02", "10.40.2.101")]
fn a_node_is_known_by_name_address_and_mac(#[case] wanted: &str, #[case] address: Ipv4Addr) {
    assert_eq!(as_it_is().designated(wanted).unwrap().address, address);
}

#[test]
fn whoever_is_not_there_or_there_twice_is_told() {
    let census = as_it_is();
    let near = Some("quay-north".to_owned());
    let nobody = DesignationError::Nobody { wanted: "quay-nrth".to_owned(), near };
    assert_eq!(census.designated("quay-nrth").unwrap_err(), nobody);
    let Err(DesignationError::Several { who, .. }) = census.designated("hall-west") else {
        panic!("one hall-west")
    };
    assert_eq!(who[0].split(' ').next(), Some("02:4d:42:00:20:01"));
}

#[test]
fn a_sheet_from_a_census_knows_every_node_again_and_shows_its_clashes() {
    let census = as_it_is();
    let text =
        Draft { name: "Tidewick", network: seat().subnet, census: Some(&census), units: &[], areas: &[] }.text();
    let sheet = RigSheet::parse(&text).unwrap();
    let comparison = compare(&sheet, &census);
    assert!(comparison.unexpected.is_empty() && comparison.rows.len() == 9);
    let codes: Vec<&str> = sheet_clashes(&sheet).iter().map(|finding| finding.rule.code).collect();
    assert!(codes.contains(&"N001") && codes.contains(&"U002"), "{codes:?}");
}

#[test]
fn what_the_network_says_cannot_break_a_sheet() {
    let hostile = |text: &str| {
        text.replace("\"barge-guest\"", "\"\\\"]\\n[rig]\\u001b\"").replace("Barge, the", "\\u0000'''")
    };
    let census = harbour(hostile);
    let text =
        Draft { name: "t\"\n[x]", network: seat().subnet, census: Some(&census), units: &[], areas: &[] }.text();
    assert_eq!(RigSheet::parse(&text).unwrap().nodes.len(), 9);
    assert!(!text.contains('\u{1b}'));
}

#[test]
fn the_world_by_itself_shows_what_is_wrong() {
    let census = harbour(|text| text.replace("10.40.5.100", "10.40.1.100").replace("10.40.240.1", "192.168.7.9"));
    let from = Viewpoint { subnets: vec![seat().subnet], ..Viewpoint::default() };
    let found = world_clashes(&census, &census.devices(&from), &from, None);
    let said: Vec<String> = found.iter().map(|f| format!("{} {}", f.rule.code, f.what)).collect();
    assert!(
        said[0].starts_with("W001 10.40.1.100 is held by 02:4d:42:00:10:01 (quay-north) and 02:4d:42:00:50:01"),
        "{said:?}"
    );
    assert!(
        said.iter().any(|one| one == "W002 Four has 192.168.7.9, this computer is in 10.40.0.0/16"),
        "{said:?}"
    );
    assert!(said.iter().any(|one| one.starts_with("W003 2 nodes say they are hall-west")), "{said:?}");
}

#[test]
fn a_line_of_the_logbook_says_who_what_and_how_far() {
    let (census, seats) = (as_it_is(), [seat()]);
    let wanted =
        Wanted { addressing: Some(Addressing::Fixed(Ipv4Addr::new(10, 40, 1, 150))), ..Wanted::default() };
    let protection = Protection::of(&census, &seats);
    let plan = plan_one(&Subject::of_node(census.designated("quay-north").unwrap()), &wanted, &protection);
    let (node, step) = (plan.changes[0].node_name(), &plan.changes[0].steps[0]);
    let stage = Stage::from(&Outcome::Refused(Vec::new()));
    let fields = step.differences.clone();
    let record = Record::Step(StepTaken { change: 1, node, step: 1, stage, fields, along: Vec::new() });
    let line = Line { format: FORMAT, at: "2026-05-03T18:00:00Z".to_owned(), run: "r".to_owned(), record };
    let expected = "{\"format\":2,\"at\":\"2026-05-03T18:00:00Z\",\"run\":\"r\",\"record\":\"step\",\"change\":1,\"node\":\
                    {\"family\":\"art-net\",\"mac\":\"02:4d:42:00:10:01\",\"identity\":null,\"name\":\"quay-north\",\"address\":\
                    \"10.40.1.100\"},\"step\":1,\"stage\":\"refused\",\"fields\":[{\"field\":\"address\",\"planned\":\
                    \"10.40.1.150\",\"found\":\"10.40.1.100\",\"known\":\"told\"}]}";
    assert_eq!(serde_json::to_string(&line).unwrap(), expected);
}
