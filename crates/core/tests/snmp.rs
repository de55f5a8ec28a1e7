//! Agents of SNMP are read and set, and what is said of it is so: held against what they really hold.

use std::collections::BTreeMap;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::census::{Census, Device, Unit, Way, Ways};
use lantern_core::change::{ChangePlan, Part, Protection, plan_one, plan_rig};
use lantern_core::compare::{Everybody, Wanted, compare_all};
use lantern_core::conversation::{Extent, Outcome, Outgoing, Seat, SurveyPlan, TalkEvent, Vantage};
use lantern_core::facts::{Field, ReadingName, Value};
use lantern_core::logbook::Stage;
use lantern_core::secret::{Login, Owner, Secret, Secrets};
use lantern_core::sheet::RigSheet;
use lantern_sim::{Link, MemoryGround};
use lantern_wire::MacAddress;
use lantern_wire::snmp::objects;
use rstest::rstest;

use crate::support::{self, GUEST, run, seat};

const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);
const MAC: &str = "02:4d:42:00:80:01";
const STREAM: &str = "1.3.6.1.4.1.64000.7.1.0";
const DROPOUTS: &str = "1.3.6.1.4.1.64000.7.2.0";
const STATUS: &str = "1.3.6.1.4.1.64000.7.3.0";
const RESTART: Duration = Duration::from_secs(6);

/// An agent with these further keys.
fn agent(further: &str) -> String {
    format!(
        "[[device]]\nname = \"box\"\nmac = \"{MAC}\"\naddress = \"10.40.8.1\"\n\
         [device.snmp]\nname = \"Box 8\"\nlocation = \"Rack 2\"\ncontact = \"Tess\"\ndamaged = 3\ndropped = 12\n{further}\n\
         [device.snmp.objects]\n\
         \"{STREAM}\" = {{ is = \"0\", set = true }}\n\
         \"{DROPOUTS}\" = {{ is = \"4\", sort = \"counter\" }}\n\
         \"{STATUS}\" = {{ is = \"receiving\", sort = \"text\" }}\n"
    )
}

fn quirk(quirk: &str) -> String {
    if quirk.is_empty() { agent("") } else { agent(&format!("quirks = [\"{quirk}\"]")) }
}

/// The sheet that belongs to it.
fn sheet(of_node: &str) -> RigSheet {
    let text = format!(
        "[rig]\nname = \"hall\"\n[[network]]\nname = \"sound\"\nrange = \"10.40.0.0/16\"\n\
         [[kind]]\nname = \"eight\"\nmaker = \"Tessaquill\"\nmodel = \"Eight\"\nports = 0\n\
         [[kind.reading]]\nname = \"stream\"\nobject = \"{STREAM}\"\nset = true\n\
         [[kind.reading]]\nname = \"dropouts\"\nobject = \"{DROPOUTS}\"\nat_most = 0\ncounts = \"faults\"\n\
         [[kind.reading]]\nname = \"status\"\nobject = \"{STATUS}\"\nright = \"receiving*\"\n\
         [[node]]\nname = \"Box 8\"\nkind = \"eight\"\nmac = \"{MAC}\"\naddress = \"10.40.8.1\"\n{of_node}"
    );
    RigSheet::parse(&text).unwrap_or_else(|errors| panic!("{errors}"))
}

fn ground(devices: &str, loss: f64, seed: u64) -> MemoryGround {
    support::ground_of(devices, Link::new(loss, seed), OWN)
}

/// A community, or a user with its password and where it encrypts a second one.
fn vantage(login: &[&str]) -> Vantage {
    let secret = |text: &str| Secret::new(text.to_owned());
    let login = match login {
        [] => None,
        [community] => Some(Login::without_user((*community).to_owned())),
        [user, password] => Some(Login::of_user((*user).to_owned(), secret(password))),
        [user, password, privacy, ..] => {
            Some(Login { privacy: Some(secret(privacy)), ..Login::of_user((*user).to_owned(), secret(password)) })
        }
    };
    let mut secrets = Secrets::default();
    if let Some(login) = login {
        secrets.keep(Way::Snmp, Owner::Everybody, login);
    }
    Vantage { secrets, ..support::with_frames(OWN) }
}

type Seen = (Census, Vec<Device>);

fn seen_as(ground: &mut MemoryGround, login: &[&str], sheet: Option<&RigSheet>) -> Seen {
    let plan = SurveyPlan {
        vantage: vantage(login),
        ways: Ways::ALL,
        extent: Extent::Whole(Duration::from_secs(3)),
        likely: vec![Ipv4Addr::new(10, 40, 8, 1)],
        ..SurveyPlan::art_net(vec![seat()], sheet.cloned(), true)
    };
    support::seen_by(ground, plan)
}

fn unit(seen: &Seen) -> Option<Unit> {
    seen.0.units().into_iter().find(|unit| unit.family == Way::Snmp)
}

fn told(unit: &Unit, field: Field) -> String {
    unit.facts.get(field).map_or_else(|| "-".to_owned(), |value| field.in_words(value))
}

fn reading(name: &str) -> Field {
    Field::Reading(ReadingName::new(name).unwrap())
}

fn really(ground: &MemoryGround, object: &str) -> String {
    ground.devices()[0].objects().remove(object).unwrap_or_default()
}

/// What it is, what it counts at its sockets, and what its kind has it asked for; what is not right there is told.
#[rstest]
#[case("")]
#[case("answers-late")]
#[case("one-by-one")]
fn an_agent_is_read(#[case] habit: &str) {
    let mut ground = ground(&quirk(habit), 0.0, 1);
    let unit = unit(&seen_as(&mut ground, &[], Some(&sheet("")))).unwrap_or_else(|| panic!("not read"));
    assert_eq!(unit.mac, MAC.parse().ok());
    let system =
        [Field::Name, Field::Location, Field::Contact, Field::Description].map(|field| told(&unit, field));
    assert_eq!(system, ["Box 8", "Rack 2", "Tess", "Tessaquill Eight, version 2.4"]);
    assert_eq!(told(&unit, Field::Mask), "255.255.0.0");
    let frames = [Field::DamagedFrames, Field::DroppedFrames].map(|field| told(&unit, field));
    // Who cannot tell several rows at once is not asked for each.
    assert_eq!(frames, if habit == "one-by-one" { ["-", "-"] } else { ["3", "12"] });
    assert_eq!(["stream", "dropouts", "status"].map(|name| told(&unit, reading(name))), ["0", "4", "receiving"]);
    assert_eq!(told(&unit, Field::Faults), "dropouts is 4, right is at most 0");
}

/// Whoever has the password is let in, whichever way it signs and encrypts; nobody else is.
#[rstest]
#[case::community("community = \"stage\"", &["stage"], true)]
#[case::other_community("community = \"stage\"", &[], false)]
#[case::md5("user = { name = \"tech\", password = \"moonrise1\", signs = \"md5\" }", &["tech", "moonrise1"], true)]
#[case::sha1("user = { name = \"tech\", password = \"moonrise1\" }", &["tech", "moonrise1"], true)]
#[case::sha256("user = { name = \"tech\", password = \"moonrise1\", signs = \"sha-256\" }", &["tech", "moonrise1"], true)]
#[case::aes("user = { name = \"tech\", password = \"moonrise1\", encrypts = \"aes\", privacy = \"moonset22\" }",
    &["tech", "moonrise1", "moonset22"], true)]
#[case::des("user = { name = \"tech\", password = \"moonrise1\", signs = \"md5\", encrypts = \"des\", privacy = \"moonset22\" }",
    &["tech", "moonrise1", "moonset22"], true)]
#[case::other_clock("quirks = [\"other-clock\"]\nuser = { name = \"tech\", password = \"moonrise1\" }", &["tech", "moonrise1"], true)]
#[case::wrong_password("user = { name = \"tech\", password = \"moonrise1\" }", &["tech", "moonrise2"], false)]
#[case::wrong_privacy("user = { name = \"tech\", password = \"moonrise1\", encrypts = \"aes\", privacy = \"moonset22\" }",
    &["tech", "moonrise1", "moonset23"], false)]
#[case::unencrypted("user = { name = \"tech\", password = \"moonrise1\", encrypts = \"aes\", privacy = \"moonset22\" }",
    &["tech", "moonrise1"], false)]
#[case::needless_privacy("user = { name = \"tech\", password = \"moonrise1\" }", &["tech", "moonrise1", "moonset22"], false)]
#[case::other_user("user = { name = \"tech\", password = \"moonrise1\" }", &["mate", "moonrise1"], false)]
fn who_is_let_in(#[case] of_agent: &str, #[case] login: &[&str], #[case] is_let_in: bool) {
    let mut ground = ground(&agent(of_agent), 0.0, 1);
    let unit = unit(&seen_as(&mut ground, login, None));
    let name = unit.as_ref().map_or_else(String::new, |unit| told(unit, Field::Name));
    assert_eq!(name == "Box 8", is_let_in, "{unit:?}");
    let is_of_version_3 = login.len() > 1;
    if !is_let_in && is_of_version_3 {
        let access = told(&unit.unwrap_or_else(|| panic!("not told")), Field::Access);
        assert_eq!(access, "refuses the password");
    }
}

fn text(text: &str) -> Option<String> {
    Some(text.to_owned())
}

fn wish(what: &str) -> Wanted {
    match what {
        "name" => Wanted { name: text("Box 9 Büro"), ..Wanted::default() },
        "place" => Wanted { location: text("Back wall"), ..Wanted::default() },
        "all" => Wanted {
            name: text("Box 9"),
            location: text("Back wall"),
            contact: text("Tomasz, 7"),
            ..Wanted::default()
        },
        "no place" => Wanted { location: text(""), ..Wanted::default() },
        "stream" => {
            Wanted { readings: vec![(ReadingName::new("stream").unwrap(), "5".to_owned())], ..Wanted::default() }
        }
        "no number" => Wanted {
            readings: vec![(ReadingName::new("stream").unwrap(), "five".to_owned())],
            ..Wanted::default()
        },
        other => panic!("no wish {other}"),
    }
}

fn planned(ground: &mut MemoryGround, login: &[&str], wanted: &Wanted) -> ChangePlan {
    let sheet = sheet("");
    let (seen, seats): (Seen, [Seat; 1]) = (seen_as(ground, login, Some(&sheet)), [seat()]);
    let subject = seen.0.subject(MAC).unwrap();
    let protection =
        Protection { devices: &seen.1, own: &[GUEST], ..support::protection(&seen.0, Some(&sheet), &seats) };
    plan_one(&subject, wanted, &protection)
}

/// What is said of a wish, with the events on the way, and what it really holds a minute later.
fn said_and_so(
    ground: &mut MemoryGround,
    login: &[&str],
    wanted: &Wanted,
) -> (Outcome, Vec<TalkEvent>, BTreeMap<String, String>) {
    let plan = planned(ground, login, wanted);
    assert!(!plan.is_refused(), "{:?}", plan.findings);
    let mut talk = plan.changes[0].talk(vantage(login), RESTART);
    let (events, _) = run(&mut talk, ground);
    let outcome = talk.outcome().unwrap().clone();
    let now = ground.now();
    while ground.run_until(now + Duration::from_secs(60)).is_some() {}
    (outcome, events.into_iter().map(|(_, event)| event).collect(), ground.devices()[0].objects())
}

/// For each habit: the wish, what is said, and what is really so a minute later.
#[rstest]
#[case::name("", "name", Stage::Confirmed, (objects::NAME, "Box 9 Büro"))]
#[case::place("", "place", Stage::Confirmed, (objects::LOCATION, "Back wall"))]
#[case::no_place("", "no place", Stage::Confirmed, (objects::LOCATION, ""))]
#[case::all("", "all", Stage::Confirmed, (objects::CONTACT, "Tomasz, 7"))]
#[case::stream("", "stream", Stage::Confirmed, (STREAM, "5"))]
#[case::no_number("", "no number", Stage::Refused, (STREAM, "0"))]
#[case::late("answers-late", "all", Stage::Confirmed, (objects::NAME, "Box 9"))]
#[case::one_by_one("one-by-one", "all", Stage::Confirmed, (objects::NAME, "Box 9"))]
#[case::no_interfaces("no-interfaces", "all", Stage::Confirmed, (objects::NAME, "Box 9"))]
#[case::ignores("ignores", "all", Stage::Refused, (objects::NAME, "Box 8"))]
#[case::read_only("read-only", "name", Stage::Refused, (objects::NAME, "Box 8"))]
#[case::cuts("cuts", "name", Stage::Refused, (objects::NAME, "Box 9 B\u{fffd}"))]
#[case::silent_taker("takes-silently", "place", Stage::Confirmed, (objects::LOCATION, "Back wall"))]
fn what_is_said_is_so(#[case] habit: &str, #[case] wanted: &str, #[case] said: Stage, #[case] so: (&str, &str)) {
    let mut ground = ground(&quirk(habit), 0.0, 1);
    let (outcome, events, really) = said_and_so(&mut ground, &[], &wish(wanted));
    let held = really.get(so.0).map(String::as_str);
    // Half a letter is no text, and shown by its bytes.
    let is_so = held == Some(so.1) || (so.1.contains('\u{fffd}') && held == Some("42 6f 78 20 39 20 42 c3"));
    assert!(Stage::from(&outcome) == said && is_so, "{held:?} {outcome:?}\n{events:?}");
}

/// One that forgets what it took is never called done for good where that could be seen: what was read last is what is said.
#[test]
fn one_that_forgets_is_found_out_by_the_next_look() {
    let mut ground = ground(&quirk("forgets"), 0.0, 1);
    let _ = said_and_so(&mut ground, &[], &wish("place"));
    assert_eq!(really(&ground, objects::LOCATION), "Rack 2");
    let unit = unit(&seen_as(&mut ground, &[], None)).unwrap();
    assert_eq!(told(&unit, Field::Location), "Rack 2");
}

/// Whoever stands at the address now and is somebody else is told nothing.
#[test]
fn somebody_else_at_its_address_is_told_nothing() {
    let mut ground = ground(&agent(""), 0.0, 1);
    let plan = planned(&mut ground, &[], &wish("all"));
    let other = agent("description = \"Marrowbright Four\"").replace(MAC, "02:4d:42:00:80:99");
    let mut ground = self::ground(&other, 0.0, 2);
    let mut talk = plan.changes[0].talk(vantage(&[]), RESTART);
    run(&mut talk, &mut ground);
    assert_eq!(talk.outcome().map(Stage::from), Some(Stage::Stranger), "{:?}", talk.outcome());
    assert_eq!(really(&ground, objects::NAME), "Box 8");
}

/// Of two of one model that tell no MAC address the name alone tells which is which: the other one is told nothing.
#[rstest]
#[case("Box 8", Stage::Confirmed, "Back wall")]
#[case("Box 9", Stage::Stranger, "Rack 2")]
fn another_of_the_same_model_is_told_nothing(#[case] name: &str, #[case] said: Stage, #[case] so: &str) {
    let mut ground = ground(&quirk("no-interfaces"), 0.0, 1);
    let plan = planned(&mut ground, &[], &wish("place"));
    let there = quirk("no-interfaces").replace("name = \"Box 8\"", &format!("name = \"{name}\""));
    let mut ground = self::ground(&there, 0.0, 2);
    let mut talk = plan.changes[0].talk(vantage(&[]), RESTART);
    run(&mut talk, &mut ground);
    assert_eq!(talk.outcome().map(Stage::from), Some(said), "{:?}", talk.outcome());
    assert_eq!(really(&ground, objects::LOCATION), so);
}

/// What it says of what it is, is held against the sheet; nobody sets it, and that is said.
#[test]
fn a_description_is_compared_and_left_alone() {
    let sheet = sheet("description = \"Tessaquill Eight, version 3.0\"\n");
    let mut ground = ground(&agent(""), 0.0, 1);
    let seen = seen_as(&mut ground, &[], Some(&sheet));
    let everybody = Everybody { devices: &seen.1, asked_in: &[seat().subnet], own: &[GUEST], leases: &[] };
    let comparison = compare_all(&sheet, &seen.0, everybody);
    let told = |field: Field| {
        let differences = comparison.rows[0].differences();
        differences.iter().find(|one| one.field == field).map(ToString::to_string)
    };
    let expected = "description is Tessaquill Eight, version 2.4, planned Tessaquill Eight, version 3.0";
    assert_eq!(told(Field::Description).as_deref(), Some(expected));
    let seats = [seat()];
    let protection =
        Protection { devices: &seen.1, own: &[GUEST], ..support::protection(&seen.0, Some(&sheet), &seats) };
    let plan = plan_rig(&comparison, None, None, &protection, &Part::default());
    let changed = plan.changes.iter().flat_map(|change| &change.differences);
    assert!(changed.clone().all(|one| one.field != Field::Description), "{:?}", plan.changes);
    let left: Vec<(Field, &str)> = plan
        .by_hand
        .iter()
        .flat_map(|one| one.differences.iter().map(|left| (left.field, one.why.as_str())))
        .collect();
    let why = "it is otherwise than planned, and nothing that it speaks sets that from here";
    assert_eq!(left, [(Field::Description, why)]);
}

/// What counts faults, and can be set, is known as a count, and taken back as it was.
#[test]
fn a_count_is_wanted_as_it_was_found() {
    let name = ReadingName::new("dropouts").unwrap();
    let before = Wanted::of_fields([(Field::Reading(name), Value::Count(7))]);
    assert_eq!(before.readings, [(name, "7".to_owned())]);
    assert!(
        Value::Text("7".into()).is_met_by(&Value::Count(7))
            && !Value::Text("8".into()).is_met_by(&Value::Count(7))
    );
}

/// Set as a user whose messages are signed and encrypted; with another password nothing is.
#[rstest]
#[case("moonrise1", Stage::Confirmed, "Back wall")]
#[case("moonrise9", Stage::Refused, "Rack 2")]
fn a_user_sets(#[case] password: &str, #[case] said: Stage, #[case] so: &str) {
    let user = "user = { name = \"tech\", password = \"moonrise1\", encrypts = \"aes\", privacy = \"moonset22\" }";
    let mut ground = ground(&agent(user), 0.0, 1);
    let right = ["tech", "moonrise1", "moonset22"];
    let plan = planned(&mut ground, &right, &wish("place"));
    let mut talk = plan.changes[0].talk(vantage(&["tech", password, "moonset22"]), RESTART);
    run(&mut talk, &mut ground);
    assert_eq!(talk.outcome().map(Stage::from), Some(said), "{:?}", talk.outcome());
    assert_eq!(really(&ground, objects::LOCATION), so);
}

/// Whatever comes back, a survey ends in its time, and asks a bounded number of times.
#[rstest]
#[case("circles")]
#[case("never-ends")]
#[case("other-request")]
#[case("other-community")]
#[case("garbage")]
#[case("no-interfaces")]
fn hostile_answers_are_bounded(#[case] habit: &str) {
    let mut ground = ground(&quirk(habit), 0.0, 1);
    let mut asked = 0;
    let plan = SurveyPlan {
        vantage: vantage(&[]),
        ways: Ways::ALL,
        extent: Extent::Whole(Duration::from_secs(3)),
        likely: vec![Ipv4Addr::new(10, 40, 8, 1)],
        ..SurveyPlan::art_net(vec![seat()], None, true)
    };
    let mut survey = lantern_core::conversation::Survey::new(plan);
    let (_, took) = support::drive(
        &mut survey,
        &mut ground,
        |_, _, _| true,
        |outgoing| {
            asked += u32::from(matches!(outgoing, Outgoing::Ask { .. }));
        },
    );
    assert!(took < Duration::from_secs(10) && asked < 120, "{took:?}, {asked} questions");
    let census = survey.into_census();
    let told = census.units().into_iter().find(|unit| unit.family == Way::Snmp);
    let is_told = matches!(habit, "circles" | "never-ends" | "no-interfaces");
    assert_eq!(told.is_some(), is_told, "{told:?}");
    let frames = told.map(|unit| unit.facts.get(Field::DamagedFrames).cloned());
    assert!(!matches!(frames.flatten(), Some(Value::Count(count)) if habit == "never-ends" && count > 4000));
}

/// Of two that hold one address only the one who answers is said to tell it; where that cannot be known, nobody is.
#[rstest]
#[case::one_states_itself("", Some(MAC))]
#[case::nobody_states("quirks = [\"no-interfaces\"]", None)]
fn of_two_at_one_address_the_one_who_answers_tells(#[case] habit: &str, #[case] who: Option<&str>) {
    let other = "[[device]]\nname = \"guest\"\nmac = \"02:4d:42:00:80:77\"\naddress = \"10.40.8.1\"\n";
    let mut ground = ground(&format!("{}{other}", agent(habit)), 0.0, 1);
    let seen = seen_as(&mut ground, &[], None);
    assert_eq!(seen.0.units().iter().filter(|unit| unit.family == Way::Snmp).count(), 1);
    assert_eq!(unit(&seen).unwrap().mac, who.map(|mac| mac.parse().unwrap()));
}

/// Where the wire loses questions and answers it is done all the same, and what is said is so.
#[test]
fn what_is_said_is_so_on_a_bad_wire() {
    let habits = ["", "ignores", "read-only", "takes-silently", "one-by-one"];
    let mut done = 0;
    for seed in 0..60 {
        let habit = habits[(seed % 5) as usize];
        let mut ground = ground(&quirk(habit), 0.15, seed);
        if unit(&seen_as(&mut ground, &[], Some(&sheet("")))).is_none() {
            continue;
        }
        let sheet = sheet("");
        let (seen, seats) = (seen_as(&mut ground, &[], Some(&sheet)), [seat()]);
        let Ok(subject) = seen.0.subject(MAC) else { continue };
        let protection =
            Protection { devices: &seen.1, own: &[GUEST], ..support::protection(&seen.0, Some(&sheet), &seats) };
        let plan = plan_one(&subject, &wish("place"), &protection);
        let Some(change) = plan.changes.first() else { continue };
        let mut talk = change.talk(vantage(&[]), RESTART);
        run(&mut talk, &mut ground);
        let (stage, place) = (talk.outcome().map(Stage::from), really(&ground, objects::LOCATION));
        match stage {
            Some(Stage::Confirmed) => assert_eq!(place, "Back wall", "{seed} {habit}"),
            Some(Stage::Refused) => assert_eq!(place, "Rack 2", "{seed} {habit}"),
            _ => {}
        }
        done += u32::from(stage == Some(Stage::Confirmed));
    }
    assert!(done > 20, "{done}");
}
