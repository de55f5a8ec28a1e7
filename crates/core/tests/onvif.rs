//! Cameras are read and set by ONVIF, and what is said of it is so: held against where they really are and what they really tell.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::census::{Census, Device, Unit, Way, Ways};
use lantern_core::change::{ChangePlan, Protection, plan_one};
use lantern_core::compare::{Addressing, Wanted};
use lantern_core::conversation::{Extent, Outcome, Seat, SurveyPlan, TalkEvent, Vantage};
use lantern_core::facts::Field;
use lantern_core::logbook::Stage;
use lantern_core::secret::{Login, Owner, Secret, Secrets};
use lantern_sim::{IpState, Link, MemoryGround};
use lantern_wire::MacAddress;
use rstest::rstest;

use crate::support::{self, GUEST, run, seat};

const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);
const HERE: Ipv4Addr = Ipv4Addr::new(10, 40, 7, 1);
const HOME: Ipv4Addr = Ipv4Addr::new(10, 40, 7, 50);
const NONE: Ipv4Addr = Ipv4Addr::UNSPECIFIED;
const MASK: Ipv4Addr = Ipv4Addr::new(255, 255, 0, 0);
const ROUTER: Ipv4Addr = Ipv4Addr::new(10, 40, 0, 1);
const RESTART: Duration = Duration::from_secs(20);

/// A camera with these further keys of its device and of its role.
fn camera(of_device: &str, of_role: &str) -> String {
    format!(
        "[[device]]\nname = \"eye\"\nmac = \"02:4d:42:00:70:01\"\naddress = \"{HERE}\"\n{of_device}\n\
         onvif = {{ name = \"Stage left\", location = \"Hall\", user = \"tess\", password = \"moonrise\"{of_role} }}\n"
    )
}

fn ground(devices: &str, loss: f64, seed: u64) -> MemoryGround {
    support::ground_of(devices, Link::new(loss, seed), OWN)
}

fn vantage(password: &str) -> Vantage {
    let mut secrets = Secrets::default();
    if !password.is_empty() {
        let login = Login::of_user("tess".to_owned(), Secret::new(password.to_owned()));
        secrets.keep(Way::Onvif, Owner::Everybody, login);
    }
    Vantage { secrets, ..support::with_frames(OWN) }
}

type Seen = (Census, Vec<Device>);

fn seen(ground: &mut MemoryGround, password: &str) -> Seen {
    let plan = SurveyPlan {
        vantage: vantage(password),
        ways: Ways::ALL,
        extent: Extent::Whole(Duration::from_secs(3)),
        ..SurveyPlan::art_net(vec![seat()], None, true)
    };
    support::seen_by(ground, plan)
}

fn told(unit: &Unit, field: Field) -> Option<String> {
    unit.facts.get(field).map(|value| field.in_words(value))
}

fn protection<'a>(seen: &'a Seen, seats: &'a [Seat]) -> Protection<'a> {
    Protection { devices: &seen.1, own: &[GUEST], ..support::protection(&seen.0, None, seats) }
}

fn planned(ground: &mut MemoryGround, password: &str, wanted: &Wanted) -> ChangePlan {
    let (seen, seats) = (seen(ground, password), [seat()]);
    let subject = seen.0.subject("02:4d:42:00:70:01").unwrap();
    plan_one(&subject, wanted, &protection(&seen, &seats))
}

fn home() -> Wanted {
    Wanted { addressing: Some(Addressing::Fixed(HOME)), mask: "/16".parse().ok(), ..Wanted::default() }
}

fn wish(what: &str) -> Wanted {
    let text = |text: &str| Some(text.to_owned());
    match what {
        "home" => home(),
        "home with router" => Wanted { gateway: Some(ROUTER), ..home() },
        "far with router" => Wanted {
            addressing: Some(Addressing::Fixed(HOME)),
            mask: "/24".parse().ok(),
            gateway: "10.40.7.2".parse().ok(),
            ..Wanted::default()
        },
        "router" => Wanted { gateway: Some(ROUTER), ..Wanted::default() },
        "name" => Wanted { name: text("Büro & Co <2>"), ..Wanted::default() },
        "place" => Wanted { location: text("Back wall"), ..Wanted::default() },
        "no place" => Wanted { location: text(""), ..Wanted::default() },
        "host name" => Wanted { host_name: text("eye-left"), ..Wanted::default() },
        "all" => Wanted {
            name: text("eye-left"),
            location: text("Back wall"),
            host_name: text("eye-left"),
            gateway: Some(ROUTER),
            ..home()
        },
        "by DHCP" => Wanted { addressing: Some(Addressing::Dhcp), ..Wanted::default() },
        "mask" => Wanted { mask: "/24".parse().ok(), ..Wanted::default() },
        other => panic!("no wish {other}"),
    }
}

/// What is said of a wish, with the events on the way, and where the camera really is a minute later.
fn said_and_so(ground: &mut MemoryGround, wanted: &Wanted) -> (Outcome, Vec<TalkEvent>, IpState) {
    let plan = planned(ground, "moonrise", wanted);
    assert!(!plan.is_refused(), "{:?}", plan.findings);
    let mut talk = plan.changes[0].talk(vantage("moonrise"), RESTART);
    let (events, _) = run(&mut talk, ground);
    let outcome = talk.outcome().unwrap().clone();
    if matches!(outcome, Outcome::Done) {
        assert_eq!(talk.subject().address(), ground.devices()[0].ip().address);
    }
    let now = ground.now();
    while ground.run_until(now + Duration::from_secs(60)).is_some() {}
    (outcome, events.into_iter().map(|(_, event)| event).collect(), ground.devices()[0].ip())
}

const fn at(address: Ipv4Addr, gateway: Ipv4Addr) -> IpState {
    IpState { address, mask: MASK, gateway, dhcp: false }
}

const AS_IT_WAS: IpState = at(HERE, NONE);
const AT_HOME: IpState = at(HOME, NONE);
const NARROW: Ipv4Addr = Ipv4Addr::new(255, 255, 255, 0);

/// For each habit: the wish, what is said, and what is really so a minute later.
#[rstest]
#[case::plain("", "", "home", Stage::Confirmed, AT_HOME)]
#[case::router("", "", "router", Stage::Confirmed, at(HERE, ROUTER))]
#[case::with_router("", "", "home with router", Stage::Confirmed, at(HOME, ROUTER))]
#[case::all("", "", "all", Stage::Confirmed, at(HOME, ROUTER))]
#[case::name("", "", "name", Stage::Confirmed, AS_IT_WAS)]
#[case::place("", "", "place", Stage::Confirmed, AS_IT_WAS)]
#[case::no_place("", "", "no place", Stage::Confirmed, AS_IT_WAS)]
#[case::host_name("", "", "host name", Stage::Confirmed, AS_IT_WAS)]
#[case::mask("", "", "mask", Stage::Confirmed, IpState { mask: NARROW, ..AS_IT_WAS })]
#[case::by_lease("lease = \"10.40.2.2\"", "", "by DHCP", Stage::Confirmed, IpState { dhcp: true, ..at(Ipv4Addr::new(10, 40, 2, 2), NONE) })]
#[case::off_dhcp("dhcp = true", "", "home", Stage::Confirmed, AT_HOME)]
#[case::needs_restart("", "needs-restart", "all", Stage::Confirmed, at(HOME, ROUTER))]
#[case::gone_first("", "moves-before-answering", "home with router", Stage::Confirmed, at(HOME, ROUTER))]
#[case::ignores("", "ignores-address", "home", Stage::Refused, AS_IT_WAS)]
#[case::elsewhere("", "comes-up-elsewhere", "home", Stage::Elsewhere, at(Ipv4Addr::new(10, 40, 7, 51), NONE))]
#[case::dies("", "dies-of-moving", "home", Stage::Silent, AS_IT_WAS)]
#[case::loses_gateway("gateway = \"10.40.0.2\"", "loses-gateway", "home", Stage::MovedAlong, AT_HOME)]
#[case::loses_the_wanted("", "loses-gateway", "home with router", Stage::Confirmed, at(HOME, ROUTER))]
#[case::far_gateway("mask = \"255.255.255.252\"", "refuses-far-gateway", "far with router", Stage::Confirmed,
    IpState { mask: NARROW, ..at(HOME, Ipv4Addr::new(10, 40, 7, 2)) })]
#[case::digest("", "digest-in-request", "all", Stage::Confirmed, at(HOME, ROUTER))]
#[case::slow("", "answers-late", "all", Stage::Confirmed, at(HOME, ROUTER))]
#[case::far_address("", "states-far-address", "all", Stage::Confirmed, at(HOME, ROUTER))]
#[case::by_sort("", "only-by-sort", "home", Stage::Confirmed, AT_HOME)]
#[case::by_none("", "only-by-none", "home", Stage::Confirmed, AT_HOME)]
#[case::cuts("", "cuts-names", "name", Stage::Refused, AS_IT_WAS)]
#[case::fixed("", "fixed-name", "name", Stage::Refused, AS_IT_WAS)]
#[case::fixed_beside("", "fixed-name", "place", Stage::Confirmed, AS_IT_WAS)]
#[case::ignores_name("", "ignores-name", "name", Stage::Refused, AS_IT_WAS)]
#[case::other_mac("", "states-other-mac", "all", Stage::Confirmed, at(HOME, ROUTER))]
#[case::states_nothing("", "states-nothing", "all", Stage::Confirmed, at(HOME, ROUTER))]
#[case::clock_long_ago("", "clock", "all", Stage::Confirmed, at(HOME, ROUTER))]
#[case::slow_to_restart("", "slow", "home", Stage::Confirmed, AT_HOME)]
fn what_is_said_is_so(
    #[case] of_device: &str,
    #[case] quirk: &str,
    #[case] wanted: &str,
    #[case] said: Stage,
    #[case] so: IpState,
) {
    let role = match quirk {
        "" => String::new(),
        "slow" => ", restart_ms = 9000".to_owned(),
        "clock" => ", clock = \"1970-01-01T00:00:07\"".to_owned(),
        quirk => format!(", quirks = [\"{quirk}\"]"),
    };
    let mut ground = ground(&camera(of_device, &role), 0.0, 1);
    let (outcome, events, really) = said_and_so(&mut ground, &wish(wanted));
    assert_eq!((Stage::from(&outcome), really), (said, so), "{outcome:?}\n{events:?}");
}

/// What its name and its place are to be goes beside what else it tells of itself, and that stays.
#[test]
fn scopes_of_others_stay() {
    let mut ground = ground(&camera("", ""), 0.0, 1);
    let (outcome, ..) = said_and_so(&mut ground, &wish("name"));
    assert_eq!(outcome, Outcome::Done);
    let scopes = ground.devices()[0].scopes();
    let ends = ["type/video_encoder", "hardware/Eye", "location/Hall", "name/B%C3%BCro%20%26%20Co%20%3C2%3E"];
    assert_eq!(scopes.len(), ends.len(), "{scopes:?}");
    assert!(ends.iter().all(|end| scopes.iter().any(|scope| scope.ends_with(end))), "{scopes:?}");
}

/// Where the wire loses searches and answers to them, it is done all the same; and what is said is so.
#[test]
fn what_is_said_is_so_on_a_bad_wire() {
    let habits =
        ["", "needs-restart", "moves-before-answering", "ignores-address", "only-by-none", "loses-gateway"];
    let wishes = ["all", "home", "name", "home with router", "place"];
    let mut done = 0;
    for seed in 0..120 {
        let habit = habits[(seed % 6) as usize];
        let quirks = if habit.is_empty() { String::new() } else { format!(", quirks = [\"{habit}\"]") };
        let mut ground = ground(&camera("", &quirks), 0.25, seed);
        let wanted = wish(wishes[(seed % 5) as usize]);
        let seen = seen(&mut ground, "moonrise");
        let Ok(subject) = seen.0.subject("02:4d:42:00:70:01") else { continue };
        let seats = [seat()];
        let plan = plan_one(&subject, &wanted, &protection(&seen, &seats));
        let Some(change) = plan.changes.first().filter(|_| !plan.is_refused()) else { continue };
        let mut talk = change.talk(vantage("moonrise"), RESTART);
        run(&mut talk, &mut ground);
        let outcome = talk.outcome().unwrap().clone();
        let now = ground.now();
        while ground.run_until(now + Duration::from_secs(60)).is_some() {}
        let really = ground.devices()[0].ip();
        match (&outcome, wanted.addressing) {
            (Outcome::Done, Some(_)) => {
                assert_eq!((really.address, really.gateway), (HOME, wanted.gateway.unwrap_or(NONE)), "{seed}");
                done += 1;
            }
            (Outcome::Done, None) => done += 1,
            (Outcome::Refused(_), Some(_)) => {
                assert_eq!((habit, really.address), ("ignores-address", HERE), "{seed}");
            }
            other => panic!("{seed} {habit}: {other:?}, really {really:?}"),
        }
    }
    assert!(done > 85, "{done}");
}

/// The one that stands there now is another: nothing is sent to it.
#[test]
fn a_stranger_at_its_address_is_told_nothing() {
    let mut before = ground(&camera("", ""), 0.0, 1);
    let plan = planned(&mut before, "moonrise", &wish("all"));
    let other = camera("", "").replace("70:01", "70:02");
    let mut after = ground(&other, 0.0, 1);
    let mut talk = plan.changes[0].talk(vantage("moonrise"), RESTART);
    run(&mut talk, &mut after);
    assert!(matches!(talk.outcome(), Some(Outcome::Stranger(_))), "{:?}", talk.outcome());
    assert_eq!(after.devices()[0].ip(), AS_IT_WAS);
    assert_eq!(after.devices()[0].names().host_name, "eye");
}

/// The same where neither of the two states who it is: the one that is meant would have answered a search from there.
#[test]
fn a_stranger_that_states_nothing_is_told_nothing() {
    let quiet = ", quirks = [\"states-nothing\"]";
    let mut before = ground(&camera("", quiet), 0.0, 1);
    let plan = planned(&mut before, "moonrise", &wish("all"));
    assert_eq!(plan.changes.len(), 1, "{:?}", plan.findings);
    let mut after = ground(&camera("", quiet).replace("70:01", "70:02"), 0.0, 1);
    let mut talk = plan.changes[0].talk(vantage("moonrise"), RESTART);
    run(&mut talk, &mut after);
    assert!(matches!(talk.outcome(), Some(Outcome::Stranger(_))), "{:?}", talk.outcome());
    assert_eq!(after.devices()[0].ip(), AS_IT_WAS);
    assert_eq!(after.devices()[0].names().host_name, "eye");
}

/// Its password was changed since it was planned: nothing is sent, and that is what is said.
#[test]
fn a_password_changed_meanwhile_is_said() {
    let mut ground = ground(&camera("", ""), 0.0, 1);
    let plan = planned(&mut ground, "moonrise", &wish("all"));
    let mut talk = plan.changes[0].talk(vantage("moonset"), RESTART);
    let (events, _) = run(&mut talk, &mut ground);
    assert!(matches!(talk.outcome(), Some(Outcome::Refused(_))), "{:?}", talk.outcome());
    let declined = TalkEvent::Declined(0, "it refuses the password".into());
    assert!(events.iter().any(|(_, event)| *event == declined), "{events:?}");
    assert!(!events.iter().any(|(_, event)| matches!(event, TalkEvent::Sent(_))), "{events:?}");
    assert_eq!(ground.devices()[0].ip(), AS_IT_WAS);
}

/// Somebody came to hold the address meanwhile: it is not given.
#[test]
fn an_address_that_somebody_holds_is_not_given() {
    let mut ground = ground(&camera("", ""), 0.0, 1);
    let plan = planned(&mut ground, "moonrise", &home());
    let both = camera("", "")
        + &format!("[[device]]\nname = \"mixer\"\nmac = \"02:4d:42:00:70:09\"\naddress = \"{HOME}\"\n");
    let mut later = self::ground(&both, 0.0, 1);
    let mut talk = plan.changes[0].talk(vantage("moonrise"), RESTART);
    run(&mut talk, &mut later);
    assert!(matches!(talk.outcome(), Some(Outcome::Taken(_))), "{:?}", talk.outcome());
    assert_eq!(later.devices()[0].ip(), AS_IT_WAS);
}

/// Without the right password nothing is planned, and it is said how to keep it; no password is in anything that is shown.
#[rstest]
#[case::none("", "wants a password")]
#[case::wrong("moonset", "refuses the password")]
fn without_the_right_password_nothing_is_told(
    #[case] password: &str,
    #[case] access: &str,
    #[values("", ", quirks = [\"digest-in-request\"]")] quirks: &str,
) {
    let mut ground = ground(&camera("", quirks), 0.0, 1);
    let seen = seen(&mut ground, password);
    let unit = &seen.0.units()[0];
    assert_eq!(told(unit, Field::Access).as_deref(), Some(access));
    // What a search tells is known all the same.
    assert_eq!(told(unit, Field::Name).as_deref(), Some("Stage left"));
    let plan = planned(&mut ground, password, &home());
    let said: Vec<String> = plan.findings.iter().map(|finding| finding.remedy.clone()).collect();
    assert!(plan.changes.is_empty() && said[0].contains("access set 10.40.7.1 --way onvif"), "{said:?}");
    let all = format!("{:?}{:?}{}", plan, seen.0, serde_json::to_string(&seen.0.evidence()).unwrap());
    assert!(!all.contains("moonset") && !all.contains("moonrise"), "{all}");
}

/// Whoever behaves badly is read as far as it goes, and holds nobody up.
#[rstest]
#[case::mute("never-answers")]
#[case::fails("fails")]
#[case::redirects("redirects")]
#[case::entities("entities")]
#[case::endless("endless")]
fn one_that_behaves_badly_holds_nobody_up(#[case] quirk: &str) {
    let bad = camera("", &format!(", quirks = [\"{quirk}\"]"));
    let good = camera("", "").replace("70:01", "70:02").replace("10.40.7.1", "10.40.7.2");
    let mut ground = ground(&[bad, good].concat(), 0.0, 1);
    let seen = seen(&mut ground, "moonrise");
    let units = seen.0.units();
    let of = |last: u8| units.iter().find(|unit| unit.address.octets()[3] == last).unwrap();
    assert_eq!(told(of(1), Field::Model), None);
    assert_eq!(told(of(1), Field::Name).as_deref(), Some("Stage left"));
    assert_eq!(told(of(2), Field::Model).as_deref(), Some("Eye"));
    assert!(ground.now() < Duration::from_secs(12), "{:?}", ground.now());
}

/// Everything of sixty is read in one survey; and one of another subnet is known by its search, and not connected to.
#[test]
fn sixty_are_read_in_one_survey() {
    let one = |i: u8| {
        camera("", "").replace("70:01", &format!("70:{i:02x}")).replace("10.40.7.1", &format!("10.40.7.{i}"))
    };
    let far = camera("", "").replace("70:01", "71:01").replace("10.40.7.1", "192.168.1.64");
    let all: String = (1..=60).map(one).chain([far]).collect();
    let mut ground = ground(&all, 0.0, 1);
    let seen = seen(&mut ground, "moonrise");
    let units = seen.0.units();
    let whole = units.iter().filter(|unit| unit.facts.is_whole()).count();
    assert_eq!((units.len(), whole), (61, 60));
    let first = units.iter().find(|unit| unit.address == HERE).unwrap();
    assert_eq!(first.what.raw(), "ONVIF Tessaquill Eye, Hall");
    assert_eq!(told(first, Field::Mask).as_deref(), Some("255.255.0.0"));
    assert_eq!(told(first, Field::HostName).as_deref(), Some("eye"));
    let far = seen.1.iter().find(|device| device.address == "192.168.1.64".parse().ok()).unwrap();
    assert_eq!(far.next().as_deref(), Some("deft-lantern adapters advise 192.168.1.64"));
}
