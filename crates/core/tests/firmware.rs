//! Firmware for nodes that lose, repeat, lag, refuse and die: what is said of it, and what they really run.

use std::time::Duration;

use lantern_core::Firmware;
use lantern_core::census::Subject;
use lantern_core::change::{ChangePlan, plan_firmware};
use lantern_core::conversation::{Apply, Outcome, TalkEvent, Vantage};
use lantern_core::firmware::Image;
use lantern_core::logbook::Stage;
use lantern_sim::{MemoryGround, Model, Scene, firmware_file};
use rstest::rstest;

use crate::support::{self, ground, run, run_with, seat, survey};

const NEW: Firmware = Firmware { major: 1, minor: 10 };
const RESTART: Duration = Duration::from_secs(60);

fn scene(count: u8, quirks: &str, loss: f64) -> Scene {
    let mut text = format!("network = \"10.40.0.0\"\nloss = {loss}\nseed = 11\n");
    for n in 1..=count {
        text += &format!(
            "[[node]]\nname = \"n{n}\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:00:10:0{n}\"\n\
             address = \"10.40.1.{n}\"\nfirmware = \"1.9\"\npages = [{{ sub = {n}, out = [0, 1] }}]\nquirks = [{quirks}]\n"
        );
    }
    Scene::parse(&text).unwrap()
}

fn image(length: usize) -> (Vec<u8>, Image) {
    let bytes = firmware_file(Model::Four, (NEW.major, NEW.minor), length);
    (bytes.clone(), Image::new(bytes, NEW).unwrap())
}

fn planned(ground: &mut MemoryGround, image: &Image, kind: Option<&str>, any_version: bool) -> ChangePlan {
    let census = survey(ground, None);
    let mut subjects: Vec<Subject> = census.nodes().iter().map(Subject::of_node).collect();
    subjects.sort_by_key(Subject::title);
    let seats = [seat()];
    plan_firmware(&subjects, image, kind, any_version, &support::protection(&census, None, &seats))
}

fn codes(plan: &ChangePlan) -> Vec<&'static str> {
    plan.findings.iter().map(|finding| finding.rule.code).collect()
}

/// Sends it to the first of them.
fn sent(ground: &mut MemoryGround, image: &Image) -> (Outcome, Vec<TalkEvent>) {
    let plan = planned(ground, image, None, true);
    let mut talk = plan.changes[0].talk(Vantage::of_seats(vec![seat()]), RESTART);
    let (events, _) = run(&mut talk, ground);
    (talk.outcome().unwrap().clone(), events.into_iter().map(|(_, event)| event).collect())
}

#[test]
fn two_mebibytes_arrive_whole_through_a_lossy_line() {
    let mut ground = ground(&scene(1, "", 0.05));
    let (bytes, image) = image(2 << 20);
    let (outcome, events) = sent(&mut ground, &image);
    assert_eq!(outcome, Outcome::Done);
    assert_eq!(ground.nodes()[0].loaded(), Some(&bytes[..]));
    assert_eq!(ground.nodes()[0].truth().firmware, 0x010a);
    assert!(events.contains(&TalkEvent::Passed { taken: 1024, of: 2048 }));
    // Half an hour would be no tool for an evening.
    assert!(ground.now() < Duration::from_secs(600), "{:?}", ground.now());
}

#[rstest]
#[case::plain("", 40_000, Stage::Confirmed, 0x010a)]
#[case::one_block("", 500, Stage::Confirmed, 0x010a)]
#[case::a_whole_block("", 1024, Stage::Confirmed, 0x010a)]
#[case::a_byte_more("", 1025, Stage::Confirmed, 0x010a)]
#[case::slow("\"slow-flash\"", 300_000, Stage::Confirmed, 0x010a)]
#[case::counts_itself("\"counts-blocks-itself\"", 300_000, Stage::Confirmed, 0x010a)]
#[case::deaf("\"deaf-to-firmware\"", 40_000, Stage::HalfSent, 0x0109)]
#[case::refuses("\"refuses-firmware\"", 40_000, Stage::Refused, 0x0109)]
#[case::keeps_the_old("\"keeps-old-firmware\"", 40_000, Stage::Refused, 0x0109)]
#[case::dies("\"dies-of-firmware\"", 40_000, Stage::HalfSent, 0x0109)]
#[case::loses_its_name("\"loses-settings-with-firmware\"", 40_000, Stage::MovedAlong, 0x010a)]
fn what_is_said_is_so(
    #[case] quirks: &str,
    #[case] length: usize,
    #[case] said: Stage,
    #[case] runs: u16,
    #[values(0.0, 0.05)] loss: f64,
) {
    let mut ground = ground(&scene(1, quirks, loss));
    let (bytes, image) = image(length);
    let (outcome, _) = sent(&mut ground, &image);
    let truth = ground.nodes()[0].truth();
    // One that counts for itself takes a repeated block twice: what comes of it is a file that it refuses, and says so.
    if quirks.contains("counts-blocks") && loss > 0.0 {
        assert_eq!((Stage::from(&outcome), truth.firmware), (Stage::Refused, 0x0109));
        return;
    }
    assert_eq!((Stage::from(&outcome), truth.firmware), (said, runs), "{outcome:?}");
    if runs == 0x010a {
        let even = length.next_multiple_of(2);
        let loaded = ground.nodes()[0].loaded().unwrap();
        assert_eq!((&loaded[..length], loaded.len()), (&bytes[..], even));
    }
}

/// The cable is pulled in the middle, and put in again or not: it ends, says how far it came, and the node runs what it had.
#[rstest]
#[case::for_good(false)]
#[case::and_put_in_again(true)]
fn a_cable_pulled_in_the_middle_ends_in_a_clear_state(#[case] comes_back: bool) {
    let mut ground = ground(&scene(1, "", 0.0));
    let (_, image) = image(200_000);
    let plan = planned(&mut ground, &image, None, false);
    let mut talk = plan.changes[0].talk(Vantage::of_seats(vec![seat()]), RESTART);
    run_with(&mut talk, &mut ground, |ground, _, event| {
        if matches!(event, TalkEvent::Passed { taken: 96, .. }) {
            let now = ground.now();
            ground.nodes_mut()[0].switch(now, false);
            if comes_back {
                ground.nodes_mut()[0].switch(now, true);
            }
        }
    });
    let outcome = talk.outcome().unwrap();
    let truth = ground.nodes()[0].truth();
    match outcome {
        // It is on again and knows nothing of the file: it refuses what comes in the middle.
        Outcome::Refused(_) => assert!(comes_back),
        Outcome::HalfSent { taken: 96..=97, of: 196, answers } => {
            assert_eq!((*answers, comes_back), (false, false));
        }
        other => panic!("{other:?}"),
    }
    assert_eq!((truth.firmware, truth.name.as_str()), (0x0109, "n1"));
    if !comes_back {
        let now = ground.now();
        ground.nodes_mut()[0].switch(now, true);
        while ground.run_until(now + Duration::from_secs(5)).is_some() {}
    }
    // The way out: the same once more.
    let (outcome, _) = sent(&mut ground, &image);
    assert_eq!((outcome, ground.nodes()[0].truth().firmware), (Outcome::Done, 0x010a));
}

#[test]
fn four_in_a_row_are_never_loaded_at_once() {
    let mut ground = ground(&scene(4, "", 0.02));
    let (bytes, image) = image(60_000);
    let plan = planned(&mut ground, &image, Some("marrowbright-four"), false);
    assert_eq!(codes(&plan), ["C027"; 4]);
    let manner = lantern_core::conversation::Manner { stop_on_failure: true, ..support::manner(60, 1) };
    let mut apply = Apply::new(&plan, Vantage::of_seats(vec![seat()]), manner);
    let mut most = 0;
    run_with(&mut apply, &mut ground, |ground, _, _| {
        let away = ground.nodes().iter().filter(|node| !node.is_listening()).count();
        most = most.max(away);
    });
    assert!(most <= 1);
    for node in ground.nodes() {
        assert_eq!((node.truth().firmware, node.loaded()), (0x010a, Some(&bytes[..])));
    }
    assert!(apply.made().iter().all(|made| made.as_ref().is_some_and(|made| made.outcome == Outcome::Done)));
}

#[rstest]
#[case::newer((1, 10), None, false, &["C027"])]
#[case::the_same((1, 9), None, false, &["C025", "C027"])]
#[case::older((1, 8), None, false, &["C025", "C027"])]
#[case::older_and_meant((1, 8), None, true, &["C027"])]
#[case::its_kind((2, 0), Some("marrowbright-four"), false, &["C027"])]
#[case::another_kind((2, 0), Some("marrowbright-eight"), true, &["C026", "C027"])]
fn what_speaks_against_it_is_said_before(
    #[case] (major, minor): (u8, u8),
    #[case] kind: Option<&str>,
    #[case] any_version: bool,
    #[case] expected: &[&str],
) {
    let mut ground = ground(&scene(1, "", 0.0));
    let image = Image::new(vec![1; 100], Firmware { major, minor }).unwrap();
    let plan = planned(&mut ground, &image, kind, any_version);
    assert_eq!(codes(&plan), expected);
    assert_eq!(plan.is_refused(), expected.len() > 1);
}
