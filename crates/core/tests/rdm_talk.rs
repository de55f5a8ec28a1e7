//! Units on the cables of gateways are set, and what is said of it is so: held against what they really are.

use std::collections::BTreeSet;
use std::fmt::Write;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::Indicators;
use lantern_core::census::{Census, Way, Ways};
use lantern_core::change::{ChangePlan, Part, Protection, Wish, plan_each, plan_one, plan_rig};
use lantern_core::compare::{Addressing, Wanted, WantedPort, compare, compare_fixtures};
use lantern_core::conversation::{
    Apply, ApplyNews, Depth, Made, Means, OnCables, Outcome, Survey, SurveyPlan, TalkEvent, Vantage,
};
use lantern_core::facts::{Field, FixtureSetting};
use lantern_core::sheet::{RigSheet, WantedMode};
use lantern_core::universe::{DeskBase, Universe};
use lantern_sim::{FixtureTruth, MemoryGround, Scene, SimNode};
use lantern_wire::MacAddress;
use rstest::rstest;

use crate::support::{self, ground, manner, run, run_seeing, seat};

pub(crate) const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);

/// A gateway of four outputs at 10.40.1.N, with universes of its own.
pub(crate) fn gateway(number: u32) -> String {
    format!(
        "[[node]]\nname = \"gate-{number}\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:00:20:{number:02x}\"\n\
         address = \"10.40.1.{number}\"\npages = [{{ net = 1, sub = {number}, out = [0, 1, 2, 3] }}]\n"
    )
}

/// A wash light of two modes at slot 1.
pub(crate) fn unit(gateway: u32, port: u32, number: u32, extra: &str) -> String {
    format!(
        "[[fixture]]\nbehind = \"gate-{gateway}\"\nport = {port}\nuid = \"7ff0:{number:08x}\"\nmodel = \"Tidelight Wash\"\n\
         label = \"wash {number}\"\nmodes = [{{ name = \"Wash, plain\", footprint = 14 }}, {{ name = \"Wash, fine\", \
         footprint = 24 }}]\n{extra}\n"
    )
}

fn scene(units: &str) -> Scene {
    Scene::parse(&format!("network = \"10.40.0.0\"\n{}{}{units}", gateway(1), gateway(2))).unwrap()
}

fn vantage() -> Vantage {
    let means = Means { frames: true, ..Means::default() };
    Vantage { own_mac: Some(OWN), means, ..Vantage::of_seats(vec![seat()]) }
}

pub(crate) fn seen(ground: &mut MemoryGround) -> Census {
    let ways = Ways::only(&[Way::ArtNet, Way::Rdm]);
    let art_net = SurveyPlan::art_net(vec![seat()], None, true);
    let plan = SurveyPlan { vantage: vantage(), ways, on_cables: OnCables::Read, ends_early: false, ..art_net };
    let mut survey = Survey::new(plan);
    run(&mut survey, ground);
    survey.into_census()
}

/// The same where it is about the first unit: its further settings are read too.
pub(crate) fn seen_one(ground: &mut MemoryGround) -> Census {
    let ways = Ways::only(&[Way::ArtNet, Way::Rdm]);
    let on_cables = OnCables::ReadSome {
        uids: BTreeSet::from(["7ff0:00000001".parse().unwrap()]),
        beside: false,
        depth: Depth::Own,
    };
    let art_net = SurveyPlan::art_net(vec![seat()], None, true);
    let plan = SurveyPlan { vantage: vantage(), ways, on_cables, ends_early: false, ..art_net };
    let mut survey = Survey::new(plan);
    run(&mut survey, ground);
    survey.into_census()
}

pub(crate) fn truths(ground: &MemoryGround) -> Vec<FixtureTruth> {
    ground.nodes().iter().flat_map(|node| node.fixtures().map(|(_, unit)| unit.truth().clone())).collect()
}

fn most_at_once(ground: &MemoryGround) -> usize {
    ground.nodes().iter().map(SimNode::most_requests_at_once).max().unwrap()
}

/// Makes the plan; gives what became of each change, and why a step was not taken.
pub(crate) fn make(ground: &mut MemoryGround, plan: &ChangePlan) -> (Vec<Option<Made>>, Vec<String>) {
    let mut apply = Apply::new(plan, vantage(), manner(20, 4));
    let (events, _) = run(&mut apply, ground);
    let declined = events.into_iter().filter_map(|(_, event)| match event.news {
        ApplyNews::Talk(TalkEvent::Declined(_, why)) => Some(why.to_string()),
        _ => None,
    });
    let declined = declined.collect();
    (apply.made().to_vec(), declined)
}

fn to_set() -> Wanted {
    Wanted {
        label: Some("mast-wash-3".to_owned()),
        start_address: Some(57),
        mode: Some(WantedMode::Words("Wash, fine".to_owned())),
        ..Wanted::default()
    }
}

fn planned(ground: &mut MemoryGround, who: &str, wanted: &Wanted) -> ChangePlan {
    let (census, seats) = (seen(ground), [seat()]);
    plan_one(&census.subject(who).unwrap(), wanted, &support::protection(&census, None, &seats))
}

pub(crate) fn outcome(made: &[Option<Made>]) -> String {
    let [Some(made)] = made else { panic!("{made:?}") };
    match &made.outcome {
        Outcome::Done => "done".to_owned(),
        Outcome::Refused(open) => {
            let fields: Vec<String> = open.iter().map(|one| one.field.to_string()).collect();
            format!("refused {}", fields.join(", "))
        }
        Outcome::Silent { written } => format!("silent {written}"),
        other => format!("{other:?}"),
    }
}

/// Mode, start address and label at once, of a unit with every habit there is.
#[rstest]
#[case::plain("", "done", "")]
#[case::puts_off("puts-off", "done", "")]
#[case::in_parts("tells-in-parts", "done", "")]
#[case::counts_wrong("counts-wrong", "done", "")]
#[case::mumbles("mumbles", "done", "")]
#[case::slow("slow", "done", "")]
#[case::lags("lags", "done", "")]
#[case::restarts("restarts-with-mode", "done", "")]
#[case::forgets_where("mode-resets-address", "done", "")]
#[case::busy("is-busy", "done", "")]
#[case::takes_nothing("takes-nothing", "refused mode name, start address, label", "")]
#[case::cuts("cuts-labels", "refused label", "")]
#[case::protected("write-protected", "refused mode name, start address, label", "it is write-protected")]
fn what_is_said_of_a_unit_that_was_set_is_so(#[case] quirk: &str, #[case] said: &str, #[case] why: &str) {
    let quirks = if quirk.is_empty() { String::new() } else { format!("quirks = [\"{quirk}\"]") };
    let mut ground =
        ground(&scene(&(unit(1, 2, 1, &quirks) + &unit(1, 2, 2, "start_address = 101")))).with_frames(OWN);
    let plan = planned(&mut ground, "wash 1", &to_set());
    let (made, declined) = make(&mut ground, &plan);
    assert_eq!(outcome(&made), said, "{quirk}");
    assert!(
        if why.is_empty() { declined.is_empty() } else { declined.iter().any(|one| one == why) },
        "{declined:?}"
    );
    let truths = truths(&ground);
    let is = |truth: &FixtureTruth| (truth.label.clone(), truth.start_address, truth.mode);
    let so = match said {
        "done" => ("mast-wash-3".to_owned(), 57, 2),
        "refused label" => ("mast-was".to_owned(), 57, 2),
        _ => ("wash 1".to_owned(), 1, 1),
    };
    assert_eq!(is(&truths[0]), so, "{quirk}");
    assert_eq!(is(&truths[1]), ("wash 2".to_owned(), 101, 1), "nobody else is touched");
    if quirk != "slow" {
        assert_eq!(most_at_once(&ground), 1);
    }
}

/// One that keeps its place in another mode is not asked for its place; one that loses it gets it back.
#[rstest]
#[case::keeps("")]
#[case::loses("quirks = [\"mode-resets-address\"]")]
fn a_mode_does_not_cost_the_start_address(#[case] quirks: &str) {
    let mut ground = ground(&scene(&unit(1, 1, 1, &format!("start_address = 57\n{quirks}")))).with_frames(OWN);
    let wanted = Wanted { mode: Some(WantedMode::Number(2)), ..Wanted::default() };
    let plan = planned(&mut ground, "7ff0:00000001", &wanted);
    assert_eq!(plan.changes[0].differences.len(), 1);
    let (made, _) = make(&mut ground, &plan);
    let truth = &truths(&ground)[0];
    assert_eq!((outcome(&made).as_str(), truth.mode, truth.start_address), ("done", 2, 57));
}

#[rstest]
#[case::other_words(Wanted { mode: Some(WantedMode::Words("Spot".into())), ..Wanted::default() }, "refused mode name",
    "no mode is called Spot; it has 1 Wash, plain (14 slots), 2 Wash, fine (24 slots)")]
#[case::no_such_number(Wanted { mode: Some(WantedMode::Number(9)), ..Wanted::default() }, "refused mode",
    "the value is out of its range")]
fn why_a_unit_does_not_take_something_is_told(#[case] wanted: Wanted, #[case] said: &str, #[case] why: &str) {
    let mut ground = ground(&scene(&unit(1, 1, 1, ""))).with_frames(OWN);
    let plan = planned(&mut ground, "wash 1", &wanted);
    let (made, declined) = make(&mut ground, &plan);
    assert_eq!(outcome(&made), said);
    assert!(declined.iter().any(|one| one == why), "{declined:?}");
    assert_eq!(truths(&ground)[0].mode, 1);
}

#[rstest]
#[case::beyond("7ff0:00000001", Wanted { start_address: Some(505), ..Wanted::default() }, "C029", true)]
#[case::taken("7ff0:00000001", Wanted { start_address: Some(95), ..Wanted::default() }, "C030", false)]
#[case::dark("7ff0:00000001", Wanted { indicators: Some(Indicators::Mute), ..Wanted::default() }, "C005", true)]
#[case::address("7ff0:00000001", Wanted { addressing: Some(Addressing::Dhcp), ..Wanted::default() }, "C005", true)]
#[case::long("7ff0:00000001", Wanted { label: Some("x".repeat(33)), ..Wanted::default() }, "C012", true)]
#[case::of_a_node("gate-1", Wanted { start_address: Some(5), ..Wanted::default() }, "C005", true)]
fn what_speaks_against_it_is_said_before(
    #[case] who: &str,
    #[case] wanted: Wanted,
    #[case] code: &str,
    #[case] is_refused: bool,
) {
    let mut ground = ground(&scene(&(unit(1, 1, 1, "") + &unit(1, 1, 2, "start_address = 101")))).with_frames(OWN);
    let plan = planned(&mut ground, who, &wanted);
    let codes: Vec<&str> = plan.findings.iter().map(|finding| finding.rule.code).collect();
    assert_eq!((codes, plan.is_refused()), (vec![code], is_refused));
}

/// Four hundred units behind eight cables, some of the datagrams lost: each gets its place, one request at a time on every cable,
/// and all cables side by side.
#[test]
fn many_units_are_set_side_by_side() {
    let units = (0..160).fold(String::new(), |mut all, i| {
        write!(all, "{}", unit(1 + i % 2, 1 + i / 2 % 4, i + 1, "")).unwrap();
        all
    });
    let mut ground = ground(&scene(&units).with_chance(0.01, 3)).with_frames(OWN);
    let (census, seats) = (seen(&mut ground), [seat()]);
    let wishes: Vec<Wish> = (0..160_u32)
        .map(|i| {
            let subject = census.subject(&format!("7ff0:{:08x}", i + 1)).unwrap();
            Wish::asked_for(subject, Wanted { start_address: Some(1 + 14 * (i / 8)), ..Wanted::default() })
        })
        .collect();
    let plan = plan_each(&wishes, &support::protection(&census, None, &seats));
    assert!(!plan.is_refused(), "{:?}", plan.findings);
    let (mut apply, began) = (Apply::new(&plan, vantage(), manner(20, 1)), ground.now());
    run(&mut apply, &mut ground);
    assert_eq!(apply.how_far().failed, 0);
    for truth in truths(&ground) {
        let i = u32::from(truth.uid.0[5]) - 1;
        assert_eq!(u32::from(truth.start_address), 1 + 14 * (i / 8), "{}", truth.uid);
    }
    assert_eq!(most_at_once(&ground), 1);
    assert!(ground.now() - began < Duration::from_secs(40), "{:?}", ground.now() - began);
}

/// Its gateway moves and its port gets another universe: it is set where it is reached then.
#[test]
fn a_fixture_waits_for_its_gateway_and_is_reached_where_that_is_then() {
    let mut ground = ground(&scene(&unit(1, 2, 1, ""))).with_frames(OWN);
    let (census, seats) = (seen(&mut ground), [seat()]);
    let universe = Universe::read("3:4:5", DeskBase::Zero).unwrap();
    let ports = (1..=4).map(|number| WantedPort {
        number,
        universe: Some(if number == 2 {
            universe
        } else {
            Universe::read(&format!("3:4:{number}"), DeskBase::Zero).unwrap()
        }),
        ..WantedPort::default()
    });
    let to: Ipv4Addr = [10, 40, 1, 77].into();
    let moved = Wanted { addressing: Some(Addressing::Fixed(to)), ports: ports.collect(), ..Wanted::default() };
    let wishes = [
        Wish::asked_for(
            census.subject("wash 1").unwrap(),
            Wanted { start_address: Some(57), ..Wanted::default() },
        ),
        Wish::asked_for(census.subject("gate-1").unwrap(), moved),
    ];
    let plan = plan_each(&wishes, &support::protection(&census, None, &seats));
    assert!(!plan.is_refused(), "{:?}", plan.findings);
    let (made, _) = make(&mut ground, &plan);
    assert!(made.iter().all(|one| one.as_ref().is_some_and(|one| one.outcome == Outcome::Done)), "{made:?}");
    assert_eq!(truths(&ground)[0].start_address, 57);
    assert_eq!(made[1].as_ref().unwrap().subject.address(), to);
}

/// One that is told to go where a DHCP server says, or fails, takes no fixture with it.
#[test]
fn a_fixture_stays_as_it_is_where_nobody_knows_where_its_gateway_will_be() {
    let mut ground = ground(&scene(&unit(1, 2, 1, ""))).with_frames(OWN);
    let (census, seats) = (seen(&mut ground), [seat()]);
    let wishes = [
        Wish::asked_for(
            census.subject("wash 1").unwrap(),
            Wanted { start_address: Some(57), ..Wanted::default() },
        ),
        Wish::asked_for(
            census.subject("gate-1").unwrap(),
            Wanted { addressing: Some(Addressing::Dhcp), ..Wanted::default() },
        ),
    ];
    let plan = plan_each(&wishes, &support::protection(&census, None, &seats));
    assert_eq!(plan.changes.len(), 1);
    assert!(plan.untouched[0].why.contains("where its gateway will be reached"), "{:?}", plan.untouched);
}

/// By the sheet: what can be set is; who hangs elsewhere, is mute or is not there is left alone, and nobody is told twice.
#[test]
fn a_sheet_sets_what_it_can_and_says_what_it_leaves() {
    let units = unit(1, 1, 1, "start_address = 5")
        + &unit(1, 1, 2, "mode = 2\nstart_address = 15")
        + &unit(2, 1, 3, "start_address = 29")
        + &unit(1, 2, 4, "quirks = [\"deaf\"]");
    let mut ground = ground(&scene(&units)).with_frames(OWN);
    let fixture = |name: &str, on: &str, slot: u32, uid: u32| {
        format!(
            "[[fixture]]\nname = \"{name}\"\non = \"{on}\"\nslot = {slot}\nfootprint = 14\nuid = \"7ff0:{uid:08x}\"\n"
        )
    };
    let node = |number: u32| {
        let port = |port: u32| format!("[[node.port]]\nport = {port}\nout = \"1:{number}:{}\"\n", port - 1);
        format!(
            "[[node]]\nname = \"gate-{number}\"\nkind = \"marrowbright-four\"\naddress = \"10.40.1.{number}\"\n"
        ) + &(1..=4).map(port).collect::<String>()
    };
    let text = "[rig]\nname = \"t\"\n[[network]]\nname = \"l\"\nrange = \"10.40.0.0/16\"\n".to_owned()
        + &node(1)
        + &node(2)
        + &fixture("a", "1:1:0", 1, 1)
        + &fixture("b", "1:1:0", 15, 2)
        + &fixture("c", "1:1:0", 29, 3)
        + &fixture("d", "1:1:1", 1, 4)
        + &fixture("e", "1:1:1", 15, 5);
    let sheet = RigSheet::parse(&text).unwrap_or_else(|error| panic!("{error:?}"));
    let (census, seats) = (seen(&mut ground), [seat()]);
    let around = Protection { sheet: Some(&sheet), ..Protection::of(&census, &seats) };
    let (nodes, fixtures) = (compare(&sheet, &census), compare_fixtures(&sheet, &census));
    let plan = plan_rig(&nodes, Some(&fixtures), None, &around, &Part::default());
    assert!(!plan.is_refused(), "{:?}", plan.findings);
    let planned: Vec<(&str, Vec<Field>)> = plan
        .changes
        .iter()
        .filter(|change| change.subject.fixture().is_some())
        .map(|change| {
            (change.planned_as.as_deref().unwrap(), change.differences.iter().map(|one| one.field).collect())
        })
        .collect();
    assert_eq!(planned, [("a", vec![Field::StartAddress]), ("b", vec![Field::Footprint])]);
    let left: Vec<&str> = plan.untouched.iter().map(|one| one.name.as_str()).collect();
    assert_eq!(left, ["c", "d", "e"]);
    let mut apply = Apply::new(&plan, vantage(), manner(20, 4));
    let mut told = 0;
    run_seeing(&mut apply, &mut ground, |_, bytes| told += usize::from(bytes.get(9) == Some(&0x83)));
    assert_eq!(apply.how_far().failed, 0);
    assert!(told > 0);
    let truths = truths(&ground);
    let is: Vec<(u16, u8)> = truths.iter().map(|truth| (truth.start_address, truth.mode)).collect();
    assert_eq!(is, [(1, 1), (15, 1), (1, 1), (29, 1)]);
}

/// The gateway loses its power: nobody behind it is lost sight of for long, and nothing is called done.
#[test]
fn behind_a_gateway_without_power_all_is_silent_soon() {
    let units = (1..=20).map(|i| unit(1, 1, i, "")).collect::<String>();
    let mut ground = ground(&scene(&units)).with_frames(OWN);
    let (census, seats) = (seen(&mut ground), [seat()]);
    let wishes: Vec<Wish> = (1..=20_u32)
        .map(|i| {
            let subject = census.subject(&format!("7ff0:{i:08x}")).unwrap();
            Wish::asked_for(subject, Wanted { start_address: Some(1 + 14 * i), ..Wanted::default() })
        })
        .collect();
    let plan = plan_each(&wishes, &support::protection(&census, None, &seats));
    let began = ground.now();
    ground.nodes_mut()[0].switch(began, false);
    let (made, _) = make(&mut ground, &plan);
    let is_silent =
        |made: &Option<Made>| made.as_ref().is_some_and(|made| made.outcome == Outcome::Silent { written: false });
    assert!(made.iter().all(is_silent), "{made:?}");
    assert!(ground.now() - began < Duration::from_secs(75), "{:?}", ground.now() - began);
}

/// Broken off after any of its events, planned anew from what is so then, it comes to its end.
#[test]
fn broken_off_anywhere_it_is_gone_on_with() {
    for quirk in ["", "quirks = [\"mode-resets-address\"]", "quirks = [\"lags\"]"] {
        for events in 0..8 {
            let mut ground = ground(&scene(&unit(1, 2, 1, quirk))).with_frames(OWN);
            let plan = planned(&mut ground, "7ff0:00000001", &to_set());
            let (mut apply, mut seen) = (Apply::new(&plan, vantage(), manner(20, 4)), 0);
            support::run_until(&mut apply, &mut ground, |_, _, _| {
                seen += 1;
                seen <= events
            });
            let plan = planned(&mut ground, "7ff0:00000001", &to_set());
            let (made, _) = make(&mut ground, &plan);
            assert!(
                made.iter().all(|one| one.as_ref().is_some_and(|one| one.outcome == Outcome::Done)),
                "{made:?}"
            );
            let so = &truths(&ground)[0];
            assert_eq!((so.label.as_str(), so.start_address, so.mode), ("mast-wash-3", 57, 2), "{quirk} {events}");
        }
    }
}

/// Two gateways change places, so one of them waits aside: what hangs behind either is set where that is in the end.
#[test]
fn fixtures_behind_gateways_that_change_places_are_set() {
    let mut ground = ground(&scene(&(unit(1, 2, 1, "") + &unit(2, 2, 2, "")))).with_frames(OWN);
    let (census, seats) = (seen(&mut ground), [seat()]);
    let slot = |who: &str| {
        Wish::asked_for(census.subject(who).unwrap(), Wanted { start_address: Some(57), ..Wanted::default() })
    };
    let to = |who: &str, last: u8| {
        let address = Addressing::Fixed([10, 40, 1, last].into());
        Wish::asked_for(census.subject(who).unwrap(), Wanted { addressing: Some(address), ..Wanted::default() })
    };
    let wishes = [slot("wash 1"), slot("wash 2"), to("gate-1", 2), to("gate-2", 1)];
    let plan = plan_each(&wishes, &support::protection(&census, None, &seats));
    assert!(!plan.is_refused(), "{:?}", plan.findings);
    assert_eq!(plan.changes.len(), 5, "one of the gateways waits aside");
    let (made, _) = make(&mut ground, &plan);
    assert!(made.iter().all(|one| one.as_ref().is_some_and(|one| one.outcome == Outcome::Done)), "{made:?}");
    assert!(truths(&ground).iter().all(|truth| truth.start_address == 57), "{:?}", truths(&ground));
}

/// One that goes on telling its old mode for a while is asked again, and not waited for until its time is over.
#[rstest]
#[case::by_words(WantedMode::Words("Wash, fine".to_owned()))]
#[case::by_number(WantedMode::Number(2))]
fn one_that_lags_is_done_as_soon_as_it_tells_the_mode(#[case] mode: WantedMode) {
    let mut ground = ground(&scene(&unit(1, 2, 1, "quirks = [\"lags\"]"))).with_frames(OWN);
    let plan = planned(&mut ground, "wash 1", &Wanted { mode: Some(mode), ..Wanted::default() });
    let began = ground.now();
    let (made, _) = make(&mut ground, &plan);
    assert_eq!((outcome(&made).as_str(), truths(&ground)[0].mode), ("done", 2));
    assert!(ground.now() - began < Duration::from_secs(6), "{:?}", ground.now() - began);
}

/// What a unit has besides, each by its parameter: pan the other way, its display, its lamp.
const FURTHER: &str = "settings = [[0x0600, 0], [0x0500, 2], [0x0501, 255], [0x0403, 1], [0x0404, 1]]";

/// Its further settings, each with every habit; what one does not know it is not told.
#[rstest]
#[case::plain("", "done")]
#[case::puts_off("puts-off", "done")]
#[case::lags("lags", "done")]
#[case::busy("is-busy", "done")]
#[case::in_parts("tells-in-parts", "done")]
#[case::takes_nothing("takes-nothing", "refused pan invert, display level, lamp at start")]
#[case::protected("write-protected", "refused pan invert, display level, lamp at start")]
fn what_is_said_of_further_settings_is_so(#[case] quirk: &str, #[case] said: &str) {
    let quirks = if quirk.is_empty() { String::new() } else { format!("quirks = [\"{quirk}\"]") };
    let mut ground = ground(&scene(&unit(1, 1, 1, &format!("{FURTHER}\n{quirks}")))).with_frames(OWN);
    let before = truths(&ground)[0].clone();
    let settings = [
        (FixtureSetting::PanInvert, "on"),
        (FixtureSetting::DisplayLevel, "10"),
        (FixtureSetting::LampAtStart, "off"),
    ];
    let read = |(setting, text): (FixtureSetting, &str)| (setting, setting.read(text).unwrap());
    let wanted = Wanted { settings: settings.into_iter().map(read).collect(), ..Wanted::default() };
    let (census, seats) = (seen_one(&mut ground), [seat()]);
    let plan =
        plan_one(&census.subject("7ff0:00000001").unwrap(), &wanted, &support::protection(&census, None, &seats));
    assert!(!plan.is_refused(), "{:?}", plan.findings);
    let (made, _) = make(&mut ground, &plan);
    let after = truths(&ground)[0].clone();
    let mut so = before.clone();
    if said == "done" {
        so.settings.extend([(0x0600, vec![1]), (0x0501, vec![10]), (0x0404, vec![0])]);
    }
    assert_eq!((outcome(&made).as_str(), after), (said, so));
    if said == "done" {
        let (made, _) = make(&mut ground, &plan.back());
        assert_eq!((outcome(&made).as_str(), truths(&ground)[0].clone()), ("done", before));
    }
}
