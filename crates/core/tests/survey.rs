//! The survey against simulated nodes in memory, under a virtual clock, from seeds.

use std::time::Duration;

use lantern_core::conversation::{Conversation, Survey, SurveyEvent, SurveyPlan};
use lantern_core::sheet::RigSheet;
use lantern_sim::{Scene, TIDEWICK, TIDEWICK_MENDED_SHEET};
use rstest::rstest;

use crate::support::{GUEST, datagram, ground, one_node, run, seat};

fn plan(expected: Option<&str>) -> SurveyPlan {
    let expected = expected.map(|text| RigSheet::parse(text).unwrap());
    SurveyPlan::art_net(vec![seat()], expected, false)
}

#[rstest]
fn a_thousand_nodes_are_all_found_in_four_seconds_at_two_percent_loss(#[values(1, 2)] seed: u64) {
    let mut ground = ground(&Scene::crowd(1000, 0.02, seed));
    let mut survey = Survey::new(plan(None));
    let (_, took) = run(&mut survey, &mut ground);
    assert_eq!(survey.census().nodes().len(), 1000);
    assert!(took <= Duration::from_secs(4), "{took:?}");
}

#[rstest]
fn two_hundred_nodes_are_all_found_at_two_percent_loss(#[values(0, 1, 2, 3, 4)] block: u64) {
    for seed in block * 20..block * 20 + 20 {
        let mut ground = ground(&Scene::crowd(200, 0.02, seed));
        let mut survey = Survey::new(plan(None));
        let (events, took) = run(&mut survey, &mut ground);
        assert_eq!(survey.census().nodes().len(), 200, "seed {seed}");
        assert!(took <= Duration::from_millis(3001), "seed {seed} took {took:?}");
        let polls = events.iter().filter(|(_, event)| matches!(event, SurveyEvent::Asked { .. })).count();
        assert_eq!(polls, 4, "seed {seed}");
    }
}

#[test]
fn without_a_sheet_the_whole_three_seconds_are_waited_for_late_ones() {
    let mut ground = ground(&one_node("late_ms = 1900"));
    let mut survey = Survey::new(plan(None));
    let (_, took) = run(&mut survey, &mut ground);
    assert_eq!((survey.census().nodes().len(), took), (1, Duration::from_secs(3)));
}

#[test]
fn with_a_sheet_it_ends_when_everybody_on_it_has_answered() {
    let mut ground = ground(&Scene::parse(&TIDEWICK.replace("off = true", "")).unwrap());
    let mut survey = Survey::new(plan(Some(TIDEWICK_MENDED_SHEET)));
    let (_, took) = run(&mut survey, &mut ground);
    assert_eq!(survey.census().nodes().len(), 10);
    assert!(took >= Duration::from_secs(1) && took < Duration::from_millis(2500), "took {took:?}");
}

#[test]
fn one_that_is_off_is_waited_for_to_the_end() {
    let mut ground = ground(&Scene::parse(TIDEWICK).unwrap());
    let mut survey = Survey::new(plan(Some(TIDEWICK_MENDED_SHEET)));
    let (_, took) = run(&mut survey, &mut ground);
    assert_eq!((survey.census().nodes().len(), took), (9, Duration::from_secs(3)));
}

#[rstest]
fn settings_are_asked_for_and_asked_again_when_lost(#[values(0.0, 0.2)] loss: f64, #[values(1, 2, 3)] seed: u64) {
    let mut ground = ground(&Scene::crowd(40, loss, seed));
    let mut survey = Survey::new(SurveyPlan { ask_settings: true, ..plan(None) });
    let (_, took) = run(&mut survey, &mut ground);
    let told = survey.census().nodes().iter().filter(|node| node.settings.is_some()).count();
    assert!(told >= if loss == 0.0 { 40 } else { 37 }, "only {told} told");
    assert!(took <= Duration::from_secs(4));
}

#[test]
fn a_node_in_another_subnet_is_found_and_not_asked_in_vain() {
    let scene = Scene::parse(&TIDEWICK.replace("10.40.240.1", "192.168.7.9")).unwrap();
    let mut ground = ground(&scene);
    let mut survey = Survey::new(SurveyPlan { ask_settings: true, ..plan(None) });
    run(&mut survey, &mut ground);
    let far = survey.census().designated("192.168.7.9").unwrap();
    assert_eq!((far.name().to_string().as_str(), far.settings), ("Four", None));
}

#[test]
fn broken_and_foreign_datagrams_are_counted_and_end_nothing() {
    let mut survey = Survey::new(plan(None));
    let from = std::net::SocketAddrV4::new(GUEST, 6454);
    for bytes in [&b""[..], b"Art-Net\0\x00\x21", b"\xff\xff", b"Art-Net\0\x00\x52\0\x0e\0\0"] {
        survey.hear(Duration::from_millis(5), &datagram(from, bytes));
    }
    // The last is ArtSync: readable, and it introduces nobody.
    assert_eq!((survey.unreadable(), survey.census().nodes().len()), (3, 0));
    assert!(survey.wake_at().is_some());
}

#[test]
fn the_same_seed_gives_the_same_survey() {
    let events = || run(&mut Survey::new(plan(None)), &mut ground(&Scene::crowd(50, 0.3, 9))).0;
    assert_eq!(events(), events());
}
