//! Units on the cables of gateways are counted without a word to them, and read, where they are asked for, as they are.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::census::{Census, FoundFixture, Way, Ways};
use lantern_core::clash::world_clashes;
use lantern_core::compare::{FixtureRow, FixtureState, compare_fixtures};
use lantern_core::conversation::{Means, OnCables, Rediscovery, Survey, SurveyPlan, Vantage};
use lantern_core::facts::{Field, Value};
use lantern_core::sheet::RigSheet;
use lantern_core::universe::PortAddress;
use lantern_sim::{FixtureTruth, MemoryGround, Scene, SimNode};
use lantern_wire::MacAddress;
use rstest::rstest;

use crate::support::{ground, run, run_seeing, seat};

const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);

/// Gateways of four outputs from 10.40.1.1 on, each with universes of its own.
pub(crate) fn gateways(count: u32) -> String {
    (0..count).fold("network = \"10.40.0.0\"\n".to_owned(), |mut text, i| {
        write!(
            text,
            "[[node]]\nname = \"gate-{i}\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:00:20:{i:02x}\"\n\
             address = \"10.40.1.{}\"\npages = [{{ net = 1, sub = {i}, out = [0, 1, 2, 3] }}]\n",
            i + 1
        )
        .unwrap();
        text
    })
}

pub(crate) fn universe(words: &str) -> PortAddress {
    words.parse().unwrap()
}

/// A wash light of two modes behind a port.
fn unit(gateway: u32, port: u32, number: u32, extra: &str) -> String {
    format!(
        "[[fixture]]\nbehind = \"gate-{gateway}\"\nport = {port}\nuid = \"7ff0:{number:08x}\"\nmodel = \"Tidelight Wash\"\n\
         label = \"wash {number}\"\nmodes = [{{ name = \"Wash, plain\", footprint = 14 }}, {{ name = \"Wash, fine\", \
         footprint = 24 }}]\n{extra}\n"
    )
}

pub(crate) fn survey(
    scene: &Scene,
    on_cables: OnCables,
    pace: u32,
    sheet: Option<RigSheet>,
) -> (Survey, MemoryGround, Duration) {
    let mut ground = ground(scene).with_frames(OWN);
    let means = Means { frames: true, ..Means::default() };
    let vantage = Vantage { own_mac: Some(OWN), means, ..Vantage::of_seats(vec![seat()]) };
    let ways = Ways::only(&[Way::ArtNet, Way::Rdm]);
    let art_net = SurveyPlan::art_net(vec![seat()], sheet, false);
    let plan = SurveyPlan { ways, on_cables, pace, vantage, ends_early: false, ..art_net };
    let mut survey = Survey::new(plan);
    let (_, took) = run(&mut survey, &mut ground);
    (survey, ground, took)
}

/// Every unit there really is, by gateway, port and identifier.
fn truth(ground: &MemoryGround) -> BTreeMap<(Ipv4Addr, u32, String), FixtureTruth> {
    let of_node = |node: &SimNode| {
        let address = node.address();
        let each = node.fixtures().map(|(port, unit)| (port as u32, unit.truth().clone()));
        each.map(move |(port, truth)| ((address, port, truth.uid.to_string()), truth)).collect::<Vec<_>>()
    };
    ground.nodes().iter().flat_map(of_node).collect()
}

/// Every unit that was found, by the same.
fn found(census: &Census) -> BTreeMap<(Ipv4Addr, u32, String), FoundFixture> {
    let place = |one: &FoundFixture| {
        let node = census.nodes().iter().find(|node| one.behind.is_of(node)).unwrap();
        (one.behind.address, one.behind.port_of(node).unwrap(), one.uid.to_string())
    };
    census.fixtures().into_iter().map(|one| (place(&one), one)).collect()
}

fn told(fixture: &FoundFixture, field: Field) -> String {
    fixture.facts.get(field).map_or_else(|| "-".to_owned(), |value| field.in_words(value))
}

/// Of each cable that was used, when it was first and last.
fn used(ground: &MemoryGround) -> Vec<(Duration, Duration)> {
    ground.nodes().iter().flat_map(SimNode::cables_used).collect()
}

#[rstest]
#[case::counted(OnCables::Count, 0)]
#[case::read(OnCables::Read, 1)]
fn units_are_counted_without_a_word_to_them_and_read_one_request_at_a_time(
    #[case] on_cables: OnCables,
    #[case] most: usize,
) {
    let units = (0..60).map(|i| unit(i % 3, 1 + i % 4, i + 1, &format!("start_address = {}", 1 + 14 * (i / 12))));
    let scene = Scene::parse(&(gateways(3) + &units.collect::<String>())).unwrap();
    let (survey, ground, _) = survey(&scene, on_cables.clone(), 500, None);
    let (found, truth) = (found(survey.census()), truth(&ground));
    assert_eq!(found.keys().collect::<Vec<_>>(), truth.keys().collect::<Vec<_>>());
    let at_once = ground.nodes().iter().map(SimNode::most_requests_at_once).max();
    assert_eq!(at_once, Some(most), "requests on one cable at any moment");
    for (place, one) in &found {
        let so = &truth[place];
        if on_cables == OnCables::Count {
            assert_eq!(one.facts.told().count(), 0, "nobody asked {place:?}");
            continue;
        }
        assert_eq!(told(one, Field::Label), so.label);
        assert_eq!(told(one, Field::StartAddress), so.start_address.to_string());
        assert_eq!((told(one, Field::Mode), told(one, Field::ModeName)), ("1".into(), "Wash, plain".into()));
        assert_eq!((told(one, Field::Footprint), told(one, Field::Version)), ("14".into(), "1.4.2".into()));
        assert_eq!(told(one, Field::Model), "Tidelight Wash");
        assert!(one.facts.is_whole(), "{:?}", one.facts);
    }
    let read = if on_cables == OnCables::Read { (60, 60) } else { (0, 0) };
    assert_eq!(survey.progress(Duration::ZERO).read, read);
}

/// Whatever a unit does, what is said of it is so; what it does not say is not said.
#[rstest]
#[case::deaf("deaf", false, "- - -")]
#[case::only_required("only-required", true, "- 1 -")]
#[case::puts_off("puts-off", true, "wash 1 1 Wash, plain")]
#[case::puts_off_for_ever("puts-off-for-ever", false, "- - -")]
#[case::in_parts("tells-in-parts", true, "wash 1 1 Wash, plain")]
#[case::counts_wrong("counts-wrong", true, "wash 1 1 Wash, plain")]
#[case::slow("slow", true, "wash 1 1 Wash, plain")]
#[case::mumbles("mumbles", true, "wash 1 1 Wash, plain")]
fn a_unit_is_read_whatever_it_does(#[case] quirk: &str, #[case] is_whole: bool, #[case] said: &str) {
    let odd = unit(0, 2, 1, &format!("quirks = [\"{quirk}\"]"));
    let scene = Scene::parse(&(gateways(1) + &odd + &unit(0, 2, 2, "start_address = 15"))).unwrap();
    let (survey, ground, _) = survey(&scene, OnCables::Read, 500, None);
    let all: Vec<FoundFixture> = found(survey.census()).into_values().collect();
    let [odd, other] = &all[..] else { panic!("{all:?}") };
    let fields = [Field::Label, Field::StartAddress, Field::ModeName].map(|field| told(odd, field));
    assert_eq!(fields.join(" "), said, "{quirk}");
    assert_eq!(odd.facts.is_whole(), is_whole, "{quirk}: {:?}", odd.facts);
    assert_eq!(other.facts.get(Field::StartAddress), Some(&Value::Count(15)), "nobody else suffers");
    let so = truth(&ground).into_values().next().unwrap();
    assert_eq!((so.start_address, so.label.as_str(), so.identifies), (1, "wash 1", false), "nothing was changed");
}

#[test]
fn who_is_in_no_table_is_not_found_and_two_of_one_identifier_are_both_found() {
    let hidden = unit(0, 1, 1, "quirks = [\"hidden\"]");
    let twins = unit(0, 2, 7, "start_address = 5") + &unit(0, 4, 7, "start_address = 9");
    let scene = Scene::parse(&(gateways(1) + &hidden + &twins)).unwrap();
    let (survey, ..) = survey(&scene, OnCables::Read, 500, None);
    let found = found(survey.census());
    let places: Vec<(u32, String)> =
        found.iter().map(|((_, port, _), one)| (*port, told(one, Field::StartAddress))).collect();
    assert_eq!(places, [(2, "5".into()), (4, "9".into())]);
    let (census, from) = (survey.census(), survey.viewpoint());
    let said = world_clashes(census, &census.devices(&from), &from, None);
    let twins = said.iter().find(|finding| finding.rule.code == "W017").map(|finding| finding.what.as_str());
    assert_eq!(twins, Some("7ff0:00000007 is there 2 times: gate-0 port 2, gate-0 port 4"));
}

/// What is locked on the sheet is not asked, and nobody is asked where RDM is off or nothing hangs.
#[test]
fn a_locked_gateway_is_left_alone() {
    let scene = Scene::parse(&(gateways(2) + &unit(0, 1, 1, "") + &unit(1, 1, 2, ""))).unwrap();
    let sheet =
        "[rig]\nname = \"t\"\n[[network]]\nname = \"l\"\nrange = \"10.40.0.0/16\"\nlocked = [\"10.40.1.1\"]\n";
    let (survey, ..) = survey(&scene, OnCables::Read, 500, Some(RigSheet::parse(sheet).unwrap()));
    let uids: Vec<String> = survey.census().fixtures().iter().map(|one| one.uid.to_string()).collect();
    assert_eq!(uids, ["7ff0:00000002"]);
}

/// A hundred cables side by side take hardly longer than the busiest of them, also where every fiftieth datagram is lost; and
/// never are two requests on one cable.
#[test]
fn two_thousand_units_take_the_time_of_one_cable() {
    let units = (0..2000).map(|i| unit(i % 25, 1 + i / 25 % 4, i + 1, "")).collect::<String>();
    let alone = (0..20).map(|i| unit(0, 1, i + 1, "")).collect::<String>();
    let scene = |units: &str, count| Scene::parse(&(gateways(count) + units)).unwrap();
    let (one, lonely, _) = survey(&scene(&alone, 1), OnCables::Read, 20_000, None);
    assert_eq!(one.census().fixtures().len(), 20);
    let busiest = |ground: &MemoryGround| used(ground).iter().map(|(first, last)| *last - *first).max().unwrap();
    let (all, ground, _) = survey(&scene(&units, 25).with_chance(0.02, 5), OnCables::Read, 20_000, None);
    let whole = all.census().fixtures().iter().filter(|one| one.facts.is_whole()).count();
    assert_eq!((all.census().fixtures().len(), whole), (2000, 2000));
    let at_once = ground.nodes().iter().map(SimNode::most_requests_at_once).max();
    assert_eq!(at_once, Some(1));
    let (first, last) = used(&ground).into_iter().reduce(|a, b| (a.0.min(b.0), a.1.max(b.1))).unwrap();
    let (took, by_one, without_loss) = (last - first, busiest(&ground), busiest(&lonely));
    assert!(took <= by_one * 13 / 10, "{took:?} beside {by_one:?} for the busiest cable");
    assert!(by_one <= without_loss * 8 / 5, "{by_one:?} beside {without_loss:?} without loss");
}

/// Behind something that lets no answer back thirty units are in the table; that is found out in less than a minute, and
/// the other cables are done long before.
#[test]
fn a_cable_that_answers_nothing_is_given_up() {
    let deaf = (0..30).map(|i| unit(0, 1, i + 1, "quirks = [\"deaf\"]")).collect::<String>();
    let fine = (0..5).map(|i| unit(0, 2, i + 101, "")).collect::<String>();
    let scene = Scene::parse(&(gateways(1) + &deaf + &fine)).unwrap();
    let (survey, _, took) = survey(&scene, OnCables::Read, 500, None);
    let whole = survey.census().fixtures().iter().filter(|one| one.facts.is_whole()).count();
    assert_eq!((survey.census().fixtures().len(), whole), (35, 5));
    assert!(took < Duration::from_secs(60), "{took:?}");
}

/// The requests keep to the pace of the survey.
#[test]
fn reading_keeps_to_the_pace() {
    let units = (0..200).map(|i| unit(i % 10, 1 + i / 10 % 4, i + 1, "")).collect::<String>();
    let scene = Scene::parse(&(gateways(10) + &units)).unwrap();
    let mut ground = ground(&scene);
    let plan = SurveyPlan {
        ways: Ways::only(&[Way::ArtNet, Way::Rdm]),
        on_cables: OnCables::Read,
        pace: 100,
        ..SurveyPlan::art_net(vec![seat()], None, false)
    };
    let mut survey = Survey::new(plan);
    let mut asked = 0_u32;
    let events = run_seeing(&mut survey, &mut ground, |_, bytes| asked += u32::from(bytes[8..10] == [0, 0x83]));
    assert_eq!(survey.census().fixtures().iter().filter(|one| one.facts.is_whole()).count(), 200);
    assert_eq!(asked, 1600, "each question once");
    let first_reading = used(&ground).into_iter().map(|(first, _)| first).min().unwrap();
    let took = used(&ground).into_iter().map(|(_, last)| last).max().unwrap() - first_reading;
    assert!(took >= Duration::from_secs(15), "1600 questions in {took:?}, of {} events", events.len());
}

pub(crate) const SHEET: &str = "[rig]\nname = \"t\"\n[[network]]\nname = \"l\"\nrange = \"10.40.0.0/16\"\n\
    [[node]]\nname = \"quay\"\nmac = \"02:4d:42:00:20:00\"\naddress = \"10.40.1.1\"\n\
    port = [{ port = 1, out = \"1:0:0\" }, { port = 2, out = \"1:0:1\" }, { port = 3, out = \"1:0:2\" }]\n\
    [[node]]\nname = \"hall\"\nmac = \"02:4d:42:00:20:01\"\naddress = \"10.40.1.2\"\nport = [{ port = 1, out = \"1:1:0\" }]\n\
    [[fixture]]\nname = \"wash\"\non = \"1:0:0\"\nslot = 1\nfootprint = 14\ncount = 2\nmode = 1\n";

fn state(state: &FixtureState) -> String {
    match state {
        FixtureState::NotAsked => "not asked".to_owned(),
        FixtureState::Untold(why) => why.what().to_owned(),
        FixtureState::Missing => "missing".to_owned(),
        FixtureState::Mute(_) => "mute".to_owned(),
        FixtureState::Found(_, all) => all.iter().map(ToString::to_string).collect::<Vec<_>>().join("; "),
    }
}

/// What is said of the second wash is what is so of it; the first one is always as planned.
#[rstest]
#[case::as_planned("behind = \"gate-0\"\nport = 1\nstart_address = 15", "", "Pass")]
#[case::starts_elsewhere(
    "behind = \"gate-0\"\nport = 1\nstart_address = 1",
    "",
    "Fail start address is 1, planned 15"
)]
#[case::other_mode("behind = \"gate-0\"\nport = 1\nstart_address = 15\nmode = 2", "", "Fail mode is 2, planned 1")]
#[case::on_another_port(
    "behind = \"gate-0\"\nport = 2\nstart_address = 15",
    "",
    "Fail cable is quay 2, planned quay 1"
)]
#[case::behind_another_gateway(
    "behind = \"gate-1\"\nport = 1\nstart_address = 15",
    "",
    "Fail cable is hall 1, planned quay 1"
)]
#[case::everything_at_once(
    "behind = \"gate-0\"\nport = 3\nstart_address = 90\nmode = 2",
    "",
    "Fail cable is quay 3, planned quay 1; mode is 2, planned 1; start address is 90, planned 15"
)]
#[case::deaf(
    "behind = \"gate-0\"\nport = 1\nquirks = [\"deaf\"]",
    "uid = [\"7ff0:00000001\", \"7ff0:00000002\"]\n",
    "Fail mute"
)]
#[case::in_no_table("behind = \"gate-0\"\nport = 1\nquirks = [\"hidden\"]", "", "Fail missing")]
#[case::known_by_its_identifier(
    "behind = \"gate-0\"\nport = 1\nstart_address = 40\nlabel = \"as from the shop\"",
    "uid = [\"7ff0:00000001\", \"7ff0:00000002\"]\n",
    "Fail start address is 40, planned 15"
)]
#[case::known_by_its_place(
    "behind = \"gate-0\"\nport = 1\nstart_address = 15\nlabel = \"as from the shop\"",
    "",
    "Pass"
)]
#[case::of_words(
    "behind = \"gate-0\"\nport = 1\nstart_address = 15",
    "uid = [\"7ff0:00000001\", \"7ff0:00000002\"]\n",
    "Pass"
)]
fn a_planned_fixture_is_held_against_the_one_that_hangs_there(
    #[case] second: &str,
    #[case] sheet: &str,
    #[case] said: &str,
) {
    let label = if second.contains("label") { "" } else { "label = \"wash-2\"\n" };
    let of = |uid: u32, rest: &str| {
        format!(
            "[[fixture]]\nuid = \"7ff0:{uid:08x}\"\nmodel = \"Tidelight Wash\"\n{rest}\n\
             modes = [{{ name = \"plain\", footprint = 14 }}, {{ name = \"fine\", footprint = 24 }}]\n"
        )
    };
    let first = of(1, "behind = \"gate-0\"\nport = 1\nlabel = \"wash-1\"");
    let scene = Scene::parse(&(gateways(2) + &first + &of(2, &format!("{label}{second}")))).unwrap();
    let sheet = RigSheet::parse(&format!("{SHEET}{sheet}")).unwrap();
    let (survey, ..) = survey(&scene, OnCables::Read, 500, None);
    let compared = compare_fixtures(&sheet, survey.census());
    let told = |row: &FixtureRow<'_>| format!("{:?} {}", row.verdict(), state(&row.state)).trim_end().to_owned();
    let rows: Vec<(String, String)> = compared.rows.iter().map(|row| (row.name.clone(), told(row))).collect();
    assert_eq!(rows, [("wash-1".into(), "Pass".into()), ("wash-2".into(), said.to_owned())]);
    assert_eq!(compared.findings(&sheet).len(), usize::from(said != "Pass"), "{:?}", compared.findings(&sheet));
    assert!(compared.unexpected.is_empty());
}

/// Behind a gateway that does not answer nobody is called missing; who is not planned is told.
#[test]
fn nobody_is_missing_behind_a_gateway_that_is_off_and_strangers_are_told() {
    let off = gateways(2).replace("address = \"10.40.1.1\"", "address = \"10.40.1.1\"\noff = true");
    let scene = Scene::parse(&(off + &unit(0, 1, 1, "") + &unit(1, 3, 9, ""))).unwrap();
    let (survey, ..) = survey(&scene, OnCables::Read, 500, None);
    let sheet = RigSheet::parse(SHEET).unwrap();
    let compared = compare_fixtures(&sheet, survey.census());
    assert!(compared.rows.iter().all(|row| matches!(row.state, FixtureState::NotAsked)));
    let said: Vec<String> = compared.findings(&sheet).into_iter().map(|finding| finding.what).collect();
    assert_eq!(said, ["7ff0:00000009 (wash 9) on hall 3 is not on the sheet"]);
}

/// Of whose cable nothing was told, it is said why; nobody is sent to look for a plug that may be in its place.
#[rstest]
#[case::everybody_told("", "", "missing", 2)]
#[case::no_table("quirks = [\"tells-no-tables\"]", "", "quay did not tell who hangs on port 1", 1)]
#[case::locked("", "locked = [\"10.40.1.1\"]\n", "quay is locked, and is not asked who hangs on port 1", 0)]
fn of_whom_nothing_was_told_is_not_missing(
    #[case] gateway: &str,
    #[case] locked: &str,
    #[case] said: &str,
    #[case] findings: usize,
) {
    let gate = gateways(1).replace("address = \"10.40.1.1\"", &format!("address = \"10.40.1.1\"\n{gateway}"));
    // The table is that of a cable with somebody else on it.
    let scene = Scene::parse(&(gate + &unit(0, 3, 3, ""))).unwrap();
    let sheet = RigSheet::parse(&SHEET.replace("/16\"\n", &format!("/16\"\n{locked}"))).unwrap();
    let (survey, ..) = survey(&scene, OnCables::Read, 500, Some(sheet.clone()));
    let compared = compare_fixtures(&sheet, survey.census());
    let states: Vec<String> = compared.rows.iter().map(|row| state(&row.state)).collect();
    assert_eq!(states, [said, said]);
    let rows = compared.findings(&sheet).into_iter().filter(|one| ["R017", "R031"].contains(&one.rule.code));
    assert_eq!(rows.count(), findings, "of a cable that nothing was told of there is one, not one for each");
}

/// A gateway that is not on the sheet and calls itself as one that is, is not that one; nor is whoever hangs on it in its place.
#[test]
fn a_gateway_that_calls_itself_like_a_planned_one_is_another() {
    let named = gateways(2).replace("name = \"gate-1\"", "name = \"quay\"").replace("20:01", "20:77");
    let unit = unit(1, 1, 1, "start_address = 1").replace("gate-1", "quay").replace("wash 1", "strange");
    let scene = Scene::parse(&(named + &unit)).unwrap();
    let (survey, ..) = survey(&scene, OnCables::Read, 500, None);
    let sheet = RigSheet::parse(SHEET).unwrap();
    let compared = compare_fixtures(&sheet, survey.census());
    let states: Vec<String> = compared.rows.iter().map(|row| state(&row.state)).collect();
    assert_eq!(states, ["quay does no RDM"; 2]);
    let unexpected: Vec<&str> = compared.unexpected.iter().map(|one| one.cable.as_str()).collect();
    assert_eq!(unexpected, ["quay 1"]);
}

/// Of a row whose first has an identifier on the sheet the others are known by their labels still.
#[test]
fn only_who_has_an_identifier_on_the_sheet_is_known_by_nothing_else() {
    let of = |uid: u32, label: &str, start: u32| {
        unit(0, 1, uid, &format!("start_address = {start}")).replace(&format!("wash {uid}"), label)
    };
    let sheet = RigSheet::parse(&format!("{SHEET}uid = \"7ff0:00000007\"\n")).unwrap();
    let scene = Scene::parse(&(gateways(1) + &of(1, "wash-1", 1) + &of(2, "wash-2", 15))).unwrap();
    let (survey, ..) = survey(&scene, OnCables::Read, 500, None);
    let compared = compare_fixtures(&sheet, survey.census());
    let verdicts: Vec<String> = compared.rows.iter().map(|row| format!("{:?}", row.verdict())).collect();
    assert_eq!((verdicts.join(" "), compared.unexpected.len()), ("Fail Pass".to_owned(), 1));
}

/// What was plugged in after the gateway had searched is found when it searches anew, and only then.
#[rstest]
#[case::as_it_is(Rediscovery::Nothing, 0, false)]
#[case::another_cable(Rediscovery::Universes(BTreeSet::from([universe("1:0:1")])), 1, false)]
#[case::its_cable(Rediscovery::Universes(BTreeSet::from([universe("1:0:0")])), 1, true)]
#[case::all(Rediscovery::Everything, 4, true)]
fn what_was_plugged_in_later_is_found_by_a_search_of_its_cable(
    #[case] rediscovers: Rediscovery,
    #[case] most_searches: usize,
    #[case] is_found: bool,
) {
    let later = unit(0, 1, 2, "start_address = 15\nquirks = [\"plugged-in-later\"]");
    let scene = Scene::parse(&(gateways(2) + &unit(0, 1, 1, "") + &later)).unwrap();
    let mut ground = ground(&scene).with_frames(OWN);
    let means = Means { frames: true, ..Means::default() };
    let vantage = Vantage { own_mac: Some(OWN), means, ..Vantage::of_seats(vec![seat()]) };
    let art_net = SurveyPlan::art_net(vec![seat()], None, false);
    let ways = Ways::only(&[Way::ArtNet, Way::Rdm]);
    let plan = SurveyPlan { ways, on_cables: OnCables::Read, vantage, rediscovers, ends_early: false, ..art_net };
    let mut survey = Survey::new(plan);
    let mut searches = 0;
    run_seeing(&mut survey, &mut ground, |_, bytes| searches += usize::from(bytes.get(9) == Some(&0x82)));
    assert_eq!(searches, most_searches, "one for each cable that is meant, of the one that speaks RDM");
    let fixtures = survey.census().fixtures();
    let uids: Vec<String> = fixtures.iter().map(|one| one.uid.to_string()).collect();
    let found = ["7ff0:00000001", "7ff0:00000002"];
    assert_eq!(uids, if is_found { &found[..] } else { &found[..1] });
    assert!(fixtures.iter().all(|one| one.facts.is_whole()));
}
