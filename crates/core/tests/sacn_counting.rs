//! Nodes that listen to the sACN universe one above their Port-Address: what is set and checked, held against what they hear.

use lantern_core::Protocol;
use lantern_core::change::{ChangePlan, Part, Protection, Wish, plan_by_sheet, plan_each};
use lantern_core::compare::{Wanted, WantedPort, compare};
use lantern_core::conversation::Apply;
use lantern_core::facts::Known;
use lantern_core::sheet::RigSheet;
use lantern_core::universe::{DeskBase, Universe};
use lantern_sim::{MemoryGround, Scene};
use rstest::rstest;

use crate::rdm_talk::OWN;
use crate::support::{ground, manner, run, seat, survey, with_frames};

/// Listens to sACN on four outputs from this Port-Address on.
fn node(sub: u8, quirks: &str) -> MemoryGround {
    let text = format!(
        "network = \"10.40.0.0\"\n[[node]]\nname = \"orlop-four\"\nmodel = \"marrowbright-four\"\n\
         mac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.100\"\nquirks = [{quirks}]\n\
         pages = [{{ sub = {sub}, out = [4, 5, 6, 7] }}]\n"
    );
    ground(&Scene::parse(&text).unwrap()).with_frames(OWN)
}

fn sheet(more: &str) -> RigSheet {
    let text = format!(
        "[rig]\nname = \"t\"\n[[network]]\nname = \"l\"\nrange = \"10.40.0.0/16\"\n\
         [[node]]\nname = \"orlop-four\"\nmac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.100\"\n{more}\n\
         port = [{{ port = 1, out = \"sacn 101\" }}, {{ port = 2, out = \"sacn 102\" }}, \
         {{ port = 3, out = \"sacn 103\" }}, {{ port = 4, out = \"sacn 104\" }}]\n"
    );
    RigSheet::parse(&text).unwrap()
}

fn heard(ground: &MemoryGround) -> Vec<u16> {
    ground.nodes()[0].sacn_heard()
}

fn codes(ground: &mut MemoryGround, sheet: &RigSheet) -> Vec<&'static str> {
    let census = survey(ground, None);
    let findings = compare(sheet, &census).findings(sheet);
    findings.iter().map(|finding| finding.rule.code).collect()
}

fn by_sheet(ground: &mut MemoryGround, sheet: &RigSheet) -> ChangePlan {
    let (census, seats) = (survey(ground, None), [seat()]);
    let around = Protection { sheet: Some(sheet), ..Protection::of(&census, &seats) };
    plan_by_sheet(&compare(sheet, &census), &around, &Part::default())
}

fn make(ground: &mut MemoryGround, plan: &ChangePlan) {
    assert!(!plan.is_refused(), "{:?}", plan.findings);
    let mut apply = Apply::new(plan, with_frames(OWN), manner(20, 4));
    run(&mut apply, ground);
    assert!(apply.made().iter().flatten().all(|made| !made.outcome.is_failure()), "{:?}", apply.made());
}

/// In either way of counting it hears what the sheet says, is found as planned then, and nothing is left to be set.
#[rstest]
#[case::as_the_standard("", "")]
#[case::one_above("\"counts-sacn-from-one\"", "sacn_offset = 1")]
fn a_node_hears_what_the_sheet_says(#[case] quirk: &str, #[case] more: &str) {
    let (mut ground, sheet) = (node(2, quirk), sheet(more));
    let plan = by_sheet(&mut ground, &sheet);
    make(&mut ground, &plan);
    assert_eq!(heard(&ground), [101, 102, 103, 104]);
    assert!(by_sheet(&mut ground, &sheet).changes.is_empty());
    assert_eq!(codes(&mut ground, &sheet), Vec::<&str>::new());
    // And back to what it told, whatever it counts from.
    let told = plan.changes.iter().flat_map(|change| &change.differences).filter_map(|one| match &one.found {
        Known::Told(value) => Some((one.field, value.clone())),
        Known::Untold | Known::CannotTell => None,
    });
    let (census, seats) = (survey(&mut ground, None), [seat()]);
    let subject = census.subject("orlop-four").unwrap();
    let wish = Wish::as_told(subject, Wanted::of_fields(told), "taken back".to_owned());
    let around = Protection { sheet: Some(&sheet), ..Protection::of(&census, &seats) };
    make(&mut ground, &plan_each(&[wish], &around));
    assert_eq!(ground.nodes()[0].truth().ports, node(2, quirk).nodes()[0].truth().ports);
}

/// By hand the universe is that on the wire as well, where the sheet knows how the node counts.
#[test]
fn a_universe_set_by_hand_is_the_one_on_the_wire() {
    let (mut ground, sheet) = (node(2, "\"counts-sacn-from-one\""), sheet("sacn_offset = 1"));
    let (census, seats) = (survey(&mut ground, None), [seat()]);
    let universe = Universe::read("sacn 45", DeskBase::Zero).ok();
    let port = WantedPort { number: 2, universe, protocol: Some(Protocol::Sacn), ..WantedPort::default() };
    let wanted = Wanted { ports: vec![port], ..Wanted::default() };
    let wish = Wish::asked_for(census.subject("orlop-four").unwrap(), wanted);
    let around = Protection { sheet: Some(&sheet), ..Protection::of(&census, &seats) };
    make(&mut ground, &plan_each(&[wish], &around));
    assert_eq!(heard(&ground), [45]);
}

/// All of them one beside the plan is a finding of its own, beside that they are otherwise; one alone is none.
#[rstest]
#[case::counted_otherwise("", 101, &["R003", "R025"])]
#[case::said_wrongly("sacn_offset = 1", 102, &["R003", "R025"])]
#[case::two_below("", 100, &["R003"])]
#[case::as_planned("", 102, &[])]
fn all_of_them_beside_is_told(#[case] more: &str, #[case] first: u16, #[case] said: &[&str]) {
    let mut ground = node(2, "");
    let sheet = sheet(more);
    let planned: Vec<(u32, String)> =
        (1..).zip(first - 1..first + 3).map(|(port, number)| (port, format!("sacn {number}"))).collect();
    let port = |(number, text): &(u32, String)| WantedPort {
        number: *number,
        universe: Universe::read(text, DeskBase::Zero).ok(),
        ..WantedPort::default()
    };
    let wanted = Wanted { ports: planned.iter().map(port).collect(), ..Wanted::default() };
    let (census, seats) = (survey(&mut ground, None), [seat()]);
    let wish = Wish::asked_for(census.subject("orlop-four").unwrap(), wanted);
    make(&mut ground, &plan_each(&[wish], &Protection::of(&census, &seats)));
    assert_eq!(heard(&ground)[0], first - 1);
    assert_eq!(codes(&mut ground, &sheet), said);
}
