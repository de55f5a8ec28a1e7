//! What fixtures do without data and when they start, and the two orders that make them forget and start anew: what is said of
//! it, held against the units.

use std::time::Duration;

use lantern_core::change::plan_one;
use lantern_core::compare::Wanted;
use lantern_core::facts::FixtureSetting;
use lantern_sim::{FixtureTruth, MemoryGround, Scene};
use rstest::rstest;

use crate::rdm_talk::{OWN, gateway, make, outcome, seen_one, truths, unit};
use crate::support::{self, ground, seat};

/// A wash at slot 57 with a scene for when data stop, and one beside it.
fn rig(quirk: &str) -> MemoryGround {
    let quirks = if quirk.is_empty() { String::new() } else { format!("quirks = [\"{quirk}\"]\n") };
    let first = unit(
        1,
        1,
        1,
        &format!("start_address = 57\nsettings = [[0x0600, 1], [0x0141, 0, 0, 0, 0, 0, 0, 0]]\n{quirks}"),
    );
    let scene = format!("network = \"10.40.0.0\"\n{}{first}{}", gateway(1), unit(1, 1, 2, "start_address = 101"));
    ground(&Scene::parse(&scene).unwrap()).with_frames(OWN)
}

/// Tells the first unit this; gives what became of it, and how both units are.
fn told(ground: &mut MemoryGround, setting: FixtureSetting, text: &str) -> (String, Vec<FixtureTruth>) {
    let wanted = Wanted { settings: vec![(setting, setting.read(text).unwrap())], ..Wanted::default() };
    let (census, seats) = (seen_one(ground), [seat()]);
    let subject = census.subject("7ff0:00000001").unwrap();
    let plan = plan_one(&subject, &wanted, &support::protection(&census, None, &seats));
    assert!(!plan.is_refused(), "{:?}", plan.findings);
    let (made, _) = make(ground, &plan);
    (outcome(&made), truths(ground))
}

#[rstest]
#[case::plain("", "done", &[0, 3, 0, 25, 0xff, 0xff, 128])]
#[case::puts_off("puts-off", "done", &[0, 3, 0, 25, 0xff, 0xff, 128])]
#[case::lags("lags", "done", &[0, 3, 0, 25, 0xff, 0xff, 128])]
#[case::whole_seconds("keeps-whole-seconds", "refused fail mode", &[0, 3, 0, 20, 0xff, 0xff, 128])]
#[case::takes_nothing("takes-nothing", "refused fail mode", &[0; 7])]
fn a_scene_for_when_data_stop(#[case] quirk: &str, #[case] said: &str, #[case] so: &[u8]) {
    let mut ground = rig(quirk);
    let before = truths(&ground);
    let (outcome, after) = told(&mut ground, FixtureSetting::FailMode, "scene 3 after 2.5 s at 128");
    let mut expected = before;
    expected[0].settings.insert(0x0141, so.to_vec());
    assert_eq!((outcome.as_str(), after), (said, expected));
}

/// It forgets everything, and nobody is told that something changed along by mistake; whoever keeps what it had is told so.
#[rstest]
#[case::plain("", "done")]
#[case::puts_off("puts-off", "done")]
#[case::lags("lags", "done")]
#[case::mumbles("mumbles", "done")]
#[case::busy("is-busy", "done")]
#[case::takes_nothing("takes-nothing", "refused factory defaults")]
#[case::protected("write-protected", "refused factory defaults")]
fn everything_as_from_the_factory(#[case] quirk: &str, #[case] said: &str) {
    let mut ground = rig(quirk);
    let before = truths(&ground);
    let (outcome, after) = told(&mut ground, FixtureSetting::FactoryDefaults, "on");
    let forgotten = after[0].label.is_empty() && after[0].start_address == 1 && after[0].settings[&0x0600] == [0];
    assert_eq!((outcome.as_str(), forgotten), (said, said == "done"));
    assert_eq!(after[0] == before[0], !forgotten);
    assert_eq!(after[1], before[1], "who hangs beside it is left alone");
}

/// No fixture tells that it has started anew: it is told once, and not called proven. It is waited for until it is there again.
#[rstest]
#[case::warm("", "warm", 1)]
#[case::cold("", "cold", 1)]
#[case::puts_off("puts-off", "warm", 1)]
#[case::busy("is-busy", "warm", 1)]
#[case::takes_nothing("takes-nothing", "warm", 0)]
fn it_starts_anew(#[case] quirk: &str, #[case] how: &str, #[case] restarts: u32) {
    let mut ground = rig(quirk);
    let (before, began) = (truths(&ground), ground.now());
    let (outcome, after) = told(&mut ground, FixtureSetting::Reset, how);
    assert!(outcome.starts_with("Unverified"), "{outcome}");
    assert_eq!(after[0], FixtureTruth { restarts, ..before[0].clone() });
    assert!(ground.now() - began < Duration::from_secs(60), "{:?}", ground.now() - began);
}
