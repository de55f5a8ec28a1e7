//! Fixtures on another cable than planned: a guide asks for those of one cable at once, believes what is found, and what hands did is
//! taken back from the logbook.

use lantern_core::change::{Compared, Guide, GuideStep, Part, Protection, Replug, plan_rig};
use lantern_core::compare::{Everybody, compare_all, compare_fixtures};
use lantern_core::conversation::{OnCables, Survey};
use lantern_core::logbook::{FORMAT, Line, Planned, Record, Stage, StepTaken, plan_back, read};
use lantern_core::sheet::RigSheet;
use lantern_sim::Scene;
use rstest::rstest;

use crate::rdm::{SHEET, gateways, survey, universe};
use crate::support::seat;

/// The two washes of the sheet, on these ports of their gateway.
fn hanging(ports: [u32; 2]) -> Survey {
    let unit = |(n, port): (usize, u32)| {
        format!(
            "[[fixture]]\nbehind = \"gate-0\"\nport = {port}\nuid = \"7ff0:{n:08x}\"\nlabel = \"wash-{n}\"\nmodel = \"Wash\"\n\
             modes = [{{ name = \"plain\", footprint = 14 }}]\nstart_address = {}\n",
            n * 14 - 13
        )
    };
    let units: String = (1..).zip(ports).map(unit).collect();
    let scene = Scene::parse(&(gateways(2) + &units)).unwrap();
    survey(&scene, OnCables::Read, 500, None).0
}

fn next(guide: &Guide, found: &Survey) -> GuideStep {
    let sheet = RigSheet::parse(SHEET).unwrap();
    let (census, devices) = (found.census(), found.census().devices(&found.viewpoint()));
    let (nodes, fixtures) = (
        compare_all(&sheet, census, Everybody { devices: &devices, asked_in: &[], own: &[], leases: &[] }),
        compare_fixtures(&sheet, census),
    );
    let seats = [seat()];
    let protection = Protection { sheet: Some(&sheet), devices: &devices, ..Protection::of(census, &seats) };
    let compared = Compared { nodes: &nodes, fixtures: Some(&fixtures), patches: None };
    // The nodes of the sheet are called otherwise than they call themselves, which is not what this is about.
    guide.next(compared, &protection, &Part { nodes: vec!["wash-*".parse().unwrap()], ..Part::default() })
}

fn named(step: &GuideStep) -> Vec<String> {
    match step {
        GuideStep::Replug(all) => {
            let one = |replug: &Replug| format!("{} {} > {}", replug.name, replug.from_to().0, replug.from_to().1);
            all.iter().map(one).collect()
        }
        GuideStep::Over(_) => Vec::new(),
        other => panic!("{other:?}"),
    }
}

/// Those of one cable are asked for together, whoever is skipped is not asked for again, and who hangs right is not asked for.
#[rstest]
#[case::right([1, 1], &[], &[])]
#[case::one([1, 2], &["wash-2 quay 2 > quay 1"], &[])]
#[case::both_of_one_cable([3, 3], &["wash-1 quay 3 > quay 1", "wash-2 quay 3 > quay 1"], &[])]
#[case::of_two_cables([2, 3], &["wash-1 quay 2 > quay 1"], &["wash-2 quay 3 > quay 1"])]
fn hands_are_asked_cable_by_cable(#[case] ports: [u32; 2], #[case] first: &[&str], #[case] then: &[&str]) {
    let (found, mut guide) = (hanging(ports), Guide::default());
    let asked = next(&guide, &found);
    assert_eq!(named(&asked), first);
    if let GuideStep::Replug(all) = &asked {
        let from = universe(&format!("1:0:{}", ports[ports.len() - all.len().min(2)] - 1));
        assert!(ports[0] == 2 || all[0].universes.contains(&from), "{:?}", all[0].universes);
        assert!(all[0].universes.contains(&universe("1:0:0")), "where it is to hang it is looked for");
        all.iter().for_each(|one| guide.skip(&one.name));
    }
    assert_eq!(named(&next(&guide, &found)), then);
}

/// What the logbook says that hands did, and was seen, is asked for the other way round; where it hangs as before, nothing is.
#[rstest]
#[case::it_hangs_there(1, Some("quay 1 > quay 2"))]
#[case::it_hangs_as_before(2, None)]
#[case::it_hangs_on_a_third(3, Some("quay 3 > quay 2"))]
fn what_hands_did_is_taken_back_by_hands(#[case] now: u32, #[case] asked: Option<&str>) {
    let GuideStep::Replug(all) = next(&Guide::default(), &hanging([1, 2])) else { panic!("nothing to do") };
    let line = |record| {
        let line = Line { format: FORMAT, at: "2026-11-01T00:00:00Z".into(), run: "r".into(), record };
        serde_json::to_string(&line).unwrap() + "\n"
    };
    let step = |stage| line(Record::Step(StepTaken::of_replug(0, &all[0], stage)));
    let log =
        line(Record::Planned(Planned::of_replug(0, &all[0]))) + &step(Stage::ByHand) + &step(Stage::Confirmed);
    let (runs, torn) = read(&log).unwrap();
    assert_eq!((torn, runs[0].sent.len(), runs[0].sent[0].step.stage), (0, 1, Stage::Confirmed));

    let found = hanging([1, now]);
    let (sheet, seats) = (RigSheet::parse(SHEET).unwrap(), [seat()]);
    let protection = Protection { sheet: Some(&sheet), ..Protection::of(found.census(), &seats) };
    let plan = plan_back(&runs[0].back(&Part::default(), 0), &protection);
    let back = plan.replugs.iter().map(Replug::from_to).map(|(from, to)| format!("{from} > {to}")).next();
    assert_eq!(
        (back.as_deref(), plan.changes.len(), plan.untouched.len()),
        (asked, 0, usize::from(asked.is_some()))
    );
    if let Some(one) = plan.replugs.first() {
        assert!(one.universes.contains(&universe("1:0:1")), "where it hung: {:?}", one.universes);
    }
}

/// Without a guide it is left alone, and said why: nothing else of it is set where it hangs by mistake.
#[test]
fn without_a_guide_it_is_left_alone() {
    let found = hanging([1, 2]);
    let (sheet, census, seats) = (RigSheet::parse(SHEET).unwrap(), found.census(), [seat()]);
    let devices = census.devices(&found.viewpoint());
    let (nodes, fixtures) = (
        compare_all(&sheet, census, Everybody { devices: &devices, asked_in: &[], own: &[], leases: &[] }),
        compare_fixtures(&sheet, census),
    );
    let protection = Protection { sheet: Some(&sheet), devices: &devices, ..Protection::of(census, &seats) };
    let part = Part { nodes: vec!["wash-*".parse().unwrap()], ..Part::default() };
    let plan = plan_rig(&nodes, Some(&fixtures), None, &protection, &part);
    assert!(plan.changes.is_empty());
    let why: Vec<&str> = plan.untouched.iter().map(|one| &*one.why).collect();
    assert_eq!(
        why,
        [
            "cable is quay 2, planned quay 1: plug it in there and run the same command again, or let --guided lead you"
        ]
    );
}
