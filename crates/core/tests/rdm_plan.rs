//! What the sheet says of fixtures beside where they start: behind whom they hang, what they are labelled, and how many slots
//! their mode takes.

use lantern_core::change::{ChangePlan, Part, Protection, plan_rig};
use lantern_core::compare::{FixtureComparison, compare, compare_fixtures};
use lantern_core::exchange::Draft;
use lantern_core::sheet::RigSheet;
use lantern_sim::{FixtureTruth, MemoryGround, Scene};
use rstest::rstest;

use crate::rdm_talk::{OWN, gateway, make, outcome, seen, truths, unit};
use crate::support::{ground, seat};

/// Both ports of one gateway carry 1:1:0, as does one of the other.
const SHEET: &str = "[rig]\nname = \"t\"\n[[network]]\nname = \"l\"\nrange = \"10.40.0.0/16\"\n\
    [[node]]\nname = \"quay\"\nmac = \"02:4d:42:00:20:01\"\naddress = \"10.40.1.1\"\n\
    port = [{ port = 1, out = \"1:1:0\", splits = 2 }, { port = 2, out = \"1:1:0\" }]\n\
    [[fixture]]\nname = \"wash\"\non = \"1:1:0\"\nslot = 1\nfootprint = 14\n";

/// A unit on the second port of a gateway, in its first mode.
fn rig() -> MemoryGround {
    let gateway = gateway(1).replace("out = [0, 1, 2, 3]", "out = [0, 0, 2, 3]");
    let scene = format!("network = \"10.40.0.0\"\n{gateway}{}", unit(1, 2, 1, ""));
    ground(&Scene::parse(&scene.replace("gate-1", "quay")).unwrap()).with_frames(OWN)
}

/// That, and what the sheet makes of it.
fn planned(sheet: &str, and: impl FnOnce(&FixtureComparison<'_>, &ChangePlan, &RigSheet, MemoryGround)) {
    let mut ground = rig();
    let sheet = RigSheet::parse(sheet).unwrap();
    let (census, seats) = (seen(&mut ground), [seat()]);
    let around = Protection { sheet: Some(&sheet), ..Protection::of(&census, &seats) };
    let (nodes, fixtures) = (compare(&sheet, &census), compare_fixtures(&sheet, &census));
    let plan = plan_rig(&nodes, Some(&fixtures), None, &around, &Part::default());
    and(&fixtures, &plan, &sheet, ground);
}

/// Where two ports carry the universe, the one that is named is meant.
#[rstest]
#[case::either("", "")]
#[case::node("behind = \"quay\"", "")]
#[case::port("behind = \"quay\"\nport = 2", "")]
#[case::other("behind = \"quay\"\nport = 1", "cable is quay 2, planned quay 1")]
fn one_hangs_where_it_is_said_to(#[case] rest: &str, #[case] said: &str) {
    planned(&format!("{SHEET}uid = \"7ff0:00000001\"\n{rest}\n"), |fixtures, _, sheet, _| {
        let found: Vec<String> = fixtures.findings(sheet).into_iter().map(|finding| finding.what).collect();
        let expected = if said.is_empty() { Vec::new() } else { vec![format!("wash: {said}")] };
        assert_eq!(found, expected);
    });
}

/// A sheet written from what is there names the port where the universe alone does not, and finds everything as it is.
#[test]
fn a_first_sheet_says_behind_which_port() {
    let mut ground = rig();
    let census = seen(&mut ground);
    let network = "10.40.0.0/16".parse().unwrap();
    let text = Draft { name: "t", network, census: Some(&census), units: &[], areas: &[] }.text();
    assert!(text.contains("behind = \"quay\"\nport = 2\n"), "{text}");
    let sheet = RigSheet::parse(&text).unwrap();
    assert!(compare_fixtures(&sheet, &census).findings(&sheet).is_empty());
}

/// It is labelled as the sheet says, and nothing else of it changes.
#[test]
fn one_is_labelled_by_the_sheet() {
    planned(&format!("{SHEET}uid = \"7ff0:00000001\"\nlabel = \"Mast wash\"\n"), |_, plan, _, mut ground| {
        let before = truths(&ground);
        let (made, _) = make(&mut ground, plan);
        assert_eq!(outcome(&made), "done");
        let expected: Vec<_> =
            before.into_iter().map(|unit| FixtureTruth { label: "Mast wash".to_owned(), ..unit }).collect();
        assert_eq!(truths(&ground), expected);
    });
}

/// In its mode it takes another number of slots than the sheet says: the sheet is wrong, and no other mode is looked for.
#[test]
fn a_mode_of_another_footprint_is_not_set() {
    let sheet = format!("{SHEET}mode = 1\n").replace("footprint = 14", "footprint = 24");
    planned(&sheet, |fixtures, plan, sheet, _| {
        let found = fixtures.findings(sheet);
        let said: Vec<(&str, &str)> = found.iter().map(|one| (one.rule.code, one.what.as_str())).collect();
        assert_eq!(said, [("R024", "wash is in its mode, and footprint is 14, planned 24")]);
        assert!(plan.changes.is_empty() && !plan.is_refused());
        let left: Vec<String> = plan.untouched.iter().map(|one| one.why.to_string()).collect();
        assert_eq!(left, ["it is in its mode, and footprint is 14, planned 24: correct the sheet"]);
        assert_eq!(fixtures.settable(), 0);
    });
}
