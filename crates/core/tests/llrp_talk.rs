//! Targets of LLRP are set wherever they stand, and what is said of it is so: held against where they really are.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::Indicators;
use lantern_core::census::Subject;
use lantern_core::census::{Census, Device, Way, Ways};
use lantern_core::change::{ChangePlan, Part, Protection, plan_by_sheet, plan_one};
use lantern_core::compare::{Addressing, Everybody, State, Wanted, compare_all};
use lantern_core::conversation::{Extent, Outcome, SurveyPlan, TalkEvent, Vantage};
use lantern_core::logbook::Stage;
use lantern_core::sheet::RigSheet;
use lantern_sim::{IpState, Link, MemoryGround};
use lantern_wire::MacAddress;
use rstest::rstest;

use crate::support::{self, GUEST, run, seat};

const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);
const HOME: Ipv4Addr = Ipv4Addr::new(10, 40, 1, 50);
const AWAY: Ipv4Addr = Ipv4Addr::new(192, 168, 7, 9);
const ROUTER: Ipv4Addr = Ipv4Addr::new(10, 40, 0, 2);
const MASK: Ipv4Addr = Ipv4Addr::new(255, 255, 0, 0);
const RESTART: Duration = Duration::from_secs(20);

/// A target in another subnet, with these further keys of its device and of its role.
fn target(address: Ipv4Addr, of_device: &str, of_role: &str) -> String {
    format!(
        "[[device]]\nname = \"beacon\"\nmac = \"02:4d:42:00:10:01\"\naddress = \"{address}\"\nmask = \"255.255.255.0\"\n\
         {of_device}\nllrp = {{ uid = \"7ff0:00000001\"{of_role} }}\n"
    )
}

fn ground(devices: &str, loss: f64, seed: u64) -> MemoryGround {
    support::ground_of(devices, Link::new(loss, seed), OWN)
}

fn vantage() -> Vantage {
    support::with_frames(OWN)
}

/// Who is there, looked for so long.
fn seen(ground: &mut MemoryGround, seconds: u64) -> (Census, Vec<Device>) {
    let plan = SurveyPlan {
        vantage: vantage(),
        ways: Ways::ALL,
        extent: Extent::Whole(Duration::from_secs(seconds)),
        ..SurveyPlan::art_net(vec![seat()], None, true)
    };
    support::seen_by(ground, plan)
}

fn protection<'a>(
    seen: &'a (Census, Vec<Device>),
    seats: &'a [lantern_core::conversation::Seat],
) -> Protection<'a> {
    Protection { devices: &seen.1, own: &[GUEST], ..support::protection(&seen.0, None, seats) }
}

fn planned(ground: &mut MemoryGround, wanted: &Wanted) -> ChangePlan {
    let (seen, seats) = (seen(ground, 6), [seat()]);
    let subject = seen.0.subject("02:4d:42:00:10:01").unwrap();
    plan_one(&subject, wanted, &protection(&seen, &seats))
}

fn codes(plan: &ChangePlan) -> Vec<&'static str> {
    plan.findings.iter().map(|finding| finding.rule.code).collect()
}

fn home() -> Wanted {
    Wanted { addressing: Some(Addressing::Fixed(HOME)), mask: "/16".parse().ok(), ..Wanted::default() }
}

fn wish(what: &str) -> Wanted {
    match what {
        "home" => home(),
        "home with router" => Wanted { gateway: "10.40.0.1".parse().ok(), ..home() },
        "home and label" => Wanted { label: Some("Quay beacon".to_owned()), ..home() },
        "label" => Wanted { label: Some("Quay beacon".to_owned()), ..Wanted::default() },
        "by DHCP" => Wanted { addressing: Some(Addressing::Dhcp), ..Wanted::default() },
        "mask" => Wanted { mask: "/20".parse().ok(), ..Wanted::default() },
        other => panic!("no wish {other}"),
    }
}

/// What is said of a wish, with the events on the way, and where the target really is a minute later.
fn said_and_so(ground: &mut MemoryGround, wanted: &Wanted) -> (Outcome, Vec<TalkEvent>, IpState) {
    let plan = planned(ground, wanted);
    assert!(!plan.is_refused(), "{:?}", plan.findings);
    let mut talk = plan.changes[0].talk(vantage(), RESTART);
    let (events, _) = run(&mut talk, ground);
    let outcome = talk.outcome().unwrap().clone();
    if matches!(outcome, Outcome::Done) {
        assert_eq!(talk.subject().address(), ground.devices()[0].ip().address);
    }
    let now = ground.now();
    ground.run_until(now + Duration::from_secs(60));
    (outcome, events.into_iter().map(|(_, event)| event).collect(), ground.devices()[0].ip())
}

const fn at(address: Ipv4Addr, mask: Ipv4Addr, gateway: Ipv4Addr) -> IpState {
    IpState { address, mask, gateway, dhcp: false }
}

const NONE: Ipv4Addr = Ipv4Addr::UNSPECIFIED;
const NARROW: Ipv4Addr = Ipv4Addr::new(255, 255, 255, 0);
const AS_IT_WAS: IpState = at(AWAY, NARROW, NONE);
const AT_HOME: IpState = at(HOME, MASK, NONE);

/// For each habit: the wish, what is said, and what is really so a minute later.
#[rstest]
#[case::plain("", "", "home", Stage::Confirmed, AT_HOME)]
#[case::with_router("", "", "home with router", Stage::Confirmed, at(HOME, MASK, Ipv4Addr::new(10, 40, 0, 1)))]
#[case::label("", "", "label", Stage::Confirmed, AS_IT_WAS)]
#[case::both("", "", "home and label", Stage::Confirmed, AT_HOME)]
#[case::mask("", "", "mask", Stage::Confirmed, at(AWAY, Ipv4Addr::new(255, 255, 240, 0), NONE))]
#[case::off_dhcp("dhcp = true", "", "home", Stage::Confirmed, AT_HOME)]
#[case::by_lease("lease = \"10.40.2.2\"", "", "by DHCP", Stage::Confirmed,
    IpState { dhcp: true, ..at(Ipv4Addr::new(10, 40, 2, 2), NARROW, NONE) })]
#[case::by_nobody("", "", "by DHCP", Stage::Confirmed, IpState { dhcp: true, ..at(Ipv4Addr::new(169, 254, 16, 1), MASK, NONE) })]
#[case::ignores_apply("", "ignores-apply", "home", Stage::Acknowledged, AS_IT_WAS)]
#[case::at_once("", "takes-at-once", "home", Stage::Confirmed, AT_HOME)]
#[case::tells_what_is_meant("", "tells-what-is-meant", "home", Stage::Confirmed, AT_HOME)]
#[case::tells_and_does_not("", "tells-what-is-meant\", \"ignores-apply", "home", Stage::Acknowledged, AS_IT_WAS)]
#[case::loses_gateway("gateway = \"10.40.0.2\"", "loses-gateway", "home", Stage::MovedAlong, AT_HOME)]
#[case::loses_the_wanted_gateway("", "loses-gateway", "home with router", Stage::Refused, AT_HOME)]
#[case::no_gateway("", "has-no-gateway", "home", Stage::Confirmed, AT_HOME)]
#[case::stays_on_dhcp("dhcp = true\nlease = \"192.168.7.9\"", "stays-on-dhcp", "home", Stage::Acknowledged,
    IpState { dhcp: true, ..AS_IT_WAS })]
#[case::refuses("gateway = \"10.40.0.2\"", "refuses-address", "home", Stage::Refused, at(AWAY, NARROW, ROUTER))]
#[case::no_mode("", "has-no-mode", "home", Stage::Unverified, AT_HOME)]
#[case::slow("", "answers-late", "home", Stage::Confirmed, AT_HOME)]
#[case::puts_off("", "puts-off", "home and label", Stage::Confirmed, AT_HOME)]
#[case::two_interfaces("", "has-two-interfaces", "home", Stage::Confirmed, AT_HOME)]
#[case::elsewhere(
    "",
    "comes-up-elsewhere",
    "home",
    Stage::Elsewhere,
    at(Ipv4Addr::new(10, 40, 1, 51), MASK, NONE)
)]
#[case::dies("", "dies-of-applying", "home", Stage::Silent, AT_HOME)]
#[case::twice("", "answers-twice", "home and label", Stage::Confirmed, AT_HOME)]
#[case::cuts_labels("", "cuts-labels", "label", Stage::Refused, AS_IT_WAS)]
#[case::zeros("", "ends-texts-with-zero", "label", Stage::Confirmed, AS_IT_WAS)]
#[case::afterwards("", "answers-apply-afterwards", "home", Stage::Confirmed, AT_HOME)]
#[case::slow_to_restart("", "slow", "home", Stage::Confirmed, AT_HOME)]
fn what_is_said_is_so(
    #[case] of_device: &str,
    #[case] quirk: &str,
    #[case] wanted: &str,
    #[case] said: Stage,
    #[case] so: IpState,
) {
    let quirks = match quirk {
        "" => String::new(),
        "slow" => ", restart_ms = 9000".to_owned(),
        quirk => format!(", quirks = [\"{quirk}\"]"),
    };
    let mut ground = ground(&target(AWAY, of_device, &quirks), 0.0, 1);
    let (outcome, events, really) = said_and_so(&mut ground, &wish(wanted));
    assert_eq!((Stage::from(&outcome), really), (said, so), "{outcome:?}\n{events:?}");
}

/// Most is done at last, whatever the wire loses, doubles, reorders and damages; and what is said is so.
#[rstest]
fn what_is_said_is_so_on_a_bad_wire(#[values(0, 1, 2, 3)] block: u64) {
    let habits =
        ["", "puts-off", "answers-twice", "answers-late", "takes-at-once", "ignores-apply", "loses-gateway"];
    let wishes = ["home", "home and label", "home with router", "label", "by DHCP"];
    let mut done = 0;
    for seed in block * 60..block * 60 + 60 {
        let habit = habits[(seed % 7) as usize];
        let quirks = if habit.is_empty() { String::new() } else { format!(", quirks = [\"{habit}\"]") };
        let mut ground = ground(&target(AWAY, "gateway = \"10.40.0.2\"", &quirks), 0.1, seed);
        let wanted = wish(wishes[(seed % 5) as usize]);
        let seen = seen(&mut ground, 9);
        let Ok(subject) = seen.0.subject("7ff0:00000001") else { continue };
        let seats = [seat()];
        let plan = plan_one(&subject, &wanted, &protection(&seen, &seats));
        let Some(change) = plan.changes.first().filter(|_| !plan.is_refused()) else { continue };
        let before = ground.devices()[0].ip();
        let mut talk = change.talk(vantage(), RESTART);
        run(&mut talk, &mut ground);
        let outcome = talk.outcome().unwrap().clone();
        let now = ground.now();
        while ground.run_until(now + Duration::from_secs(60)).is_some() {}
        let really = ground.devices()[0].ip();
        match &outcome {
            Outcome::Done => {
                let mut expected = before;
                match wanted.addressing {
                    Some(Addressing::Fixed(address)) => (expected.address, expected.dhcp) = (address, false),
                    Some(Addressing::Dhcp | Addressing::Reserved(_)) => {
                        expected = IpState { dhcp: true, ..really }
                    }
                    None => {}
                }
                expected.mask = wanted.mask.map_or(expected.mask, lantern_core::address::Mask::dotted);
                expected.gateway = wanted.gateway.unwrap_or(expected.gateway);
                assert_eq!(really, expected, "seed {seed}: done is not done");
                done += 1;
            }
            Outcome::Acknowledged(_) => assert_eq!(really.address, before.address, "seed {seed}"),
            Outcome::Elsewhere(there) => assert_eq!(really.address, *there, "seed {seed}"),
            Outcome::Unverified(_) | Outcome::MovedAlong(_) | Outcome::Refused(_) => {
                assert_eq!(talk.subject().address(), really.address, "seed {seed}: {outcome:?}");
            }
            Outcome::Taken(_)
            | Outcome::Shared(_)
            | Outcome::Stranger(_)
            | Outcome::HeardOnly(_)
            | Outcome::HalfSent { .. } => {
                panic!("seed {seed}: {outcome:?}")
            }
            Outcome::Silent { .. } => {}
        }
    }
    assert!(done > 25, "{done}");
}

/// Somebody sits at the wanted address: it is not given, whether that was known before or shows only in the last moment.
#[test]
fn an_address_that_somebody_holds_is_not_given() {
    let other = |arrives: &str| {
        format!("[[device]]\nname = \"mixer\"\nmac = \"02:4d:42:00:20:01\"\naddress = \"{HOME}\"\n{arrives}\n")
    };
    let mut known = ground(&[target(AWAY, "", ""), other("")].concat(), 0.0, 1);
    // A mixer that says nothing is seen by nobody who does not ask for its address.
    let (outcome, _, really) = said_and_so(&mut known, &home());
    assert!(matches!(outcome, Outcome::Taken(_)), "{outcome:?}");
    assert_eq!(really, AS_IT_WAS);
    let mut late = ground(&[target(AWAY, "", ""), other("arrives_ms = 6100")].concat(), 0.0, 1);
    let (outcome, _, really) = said_and_so(&mut late, &home());
    assert!(matches!(outcome, Outcome::Taken(_)), "{outcome:?}");
    assert_eq!(really, AS_IT_WAS);
}

/// One without an address, and two at one: each is told apart, moved home, and read back.
#[test]
fn one_without_an_address_and_two_at_one_come_home() {
    let one = |i: u8, address: &str| {
        format!(
            "[[device]]\nname = \"unit-{i}\"\nmac = \"02:4d:42:00:10:0{i}\"\naddress = \"{address}\"\n\
             llrp = {{ uid = \"7ff0:0000000{i}\" }}\n"
        )
    };
    let mut ground = ground(&[one(1, "0.0.0.0"), one(2, "10.40.1.9"), one(3, "10.40.1.9")].concat(), 0.0, 3);
    for (i, uid) in ["7ff0:00000001", "7ff0:00000002", "02:4d:42:00:10:03"].into_iter().enumerate() {
        let seen = seen(&mut ground, 6);
        let subject = seen.0.subject(uid).unwrap();
        let address = Ipv4Addr::new(10, 40, 3, 10 + i as u8);
        let wanted = Wanted { addressing: Some(Addressing::Fixed(address)), ..home() };
        let seats = [seat()];
        let plan = plan_one(&subject, &wanted, &protection(&seen, &seats));
        assert!(!plan.is_refused(), "{:?}", plan.findings);
        let mut talk = plan.changes[0].talk(vantage(), RESTART);
        run(&mut talk, &mut ground);
        assert_eq!(talk.outcome(), Some(&Outcome::Done), "{uid}");
        assert_eq!(ground.devices()[i].ip().address, address);
    }
    // The address of two cannot say which of them is meant.
    let mut two = ground_of_two();
    let seen = seen(&mut two, 6);
    assert!(seen.0.subject("10.40.1.9").is_err());
}

fn ground_of_two() -> MemoryGround {
    let one = |i: u8| {
        format!(
            "[[device]]\nname = \"unit-{i}\"\nmac = \"02:4d:42:00:10:0{i}\"\naddress = \"10.40.1.9\"\n\
             llrp = {{ uid = \"7ff0:0000000{i}\" }}\n"
        )
    };
    ground(&[one(2), one(3)].concat(), 0.0, 3)
}

/// What speaks against a change of a target.
#[rstest]
#[case::no_host("10.40.0.0", &["C013"])]
#[case::own("10.40.0.7", &["C002"])]
#[case::everybody("255.255.255.255", &["C017"])]
#[case::fine("10.40.1.77", &[])]
fn addresses_that_nobody_may_have_are_refused(#[case] address: &str, #[case] expected: &[&str]) {
    let mut ground = ground(&target(AWAY, "", ""), 0.0, 1);
    let wanted = Wanted { addressing: Some(Addressing::Fixed(address.parse().unwrap())), ..home() };
    assert_eq!(codes(&planned(&mut ground, &wanted)), expected);
}

#[test]
fn what_llrp_does_not_tell_is_not_set_by_it() {
    let mut ground = ground(&target(AWAY, "", ""), 0.0, 1);
    let name = Wanted { name: Some("beacon".to_owned()), ..Wanted::default() };
    assert_eq!(codes(&planned(&mut ground, &name)), ["C005"]);
    let long = Wanted { label: Some("a label of more than thirty-two bytes".to_owned()), ..Wanted::default() };
    assert_eq!(codes(&planned(&mut ground, &long)), ["C012"]);
}

/// One that answers searches and nothing else is found; what it would have to tell is missing.
#[test]
fn one_that_answers_only_searches_is_not_set() {
    let mut ground = ground(&target(AWAY, "", ", quirks = [\"only-probes\"]"), 0.0, 1);
    let given = Wanted { mask: None, ..home() };
    assert_eq!(codes(&planned(&mut ground, &given)), ["C016"]);
    let (outcome, _, really) = said_and_so(&mut ground, &home());
    assert_eq!((outcome, really), (Outcome::Silent { written: false }, AS_IT_WAS));
}

const SHEET: &str = "[rig]\nname = \"t\"\n[[network]]\nname = \"lights\"\nrange = \"10.40.0.0/16\"\ngateway = \"none\"\n\
    [[kind]]\nname = \"beacon\"\nmaker = \"Marrowbright\"\nmodel = \"Beacon\"\nports = 0\n\
    [[node]]\nname = \"quay-beacon\"\nkind = \"beacon\"\nmac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.50\"\n";

/// The sheet is made true by the family that the unit speaks, and is found true afterwards.
#[test]
fn a_sheet_is_applied_and_checked_by_llrp() {
    let sheet = RigSheet::parse(SHEET).unwrap();
    let mut ground = ground(&target(AWAY, "gateway = \"192.168.7.1\"", ""), 0.0, 1);
    let there = seen(&mut ground, 6);
    let comparison =
        compare_all(&sheet, &there.0, Everybody { devices: &there.1, asked_in: &[], own: &[], leases: &[] });
    let said: Vec<String> = comparison.rows[0].differences().iter().map(ToString::to_string).collect();
    assert_eq!(
        said,
        [
            "address is 192.168.7.9, planned 10.40.1.50",
            "mask is 255.255.255.0, planned 255.255.0.0",
            "gateway is 192.168.7.1, planned none"
        ]
    );
    let seats = [seat()];
    let around = Protection { sheet: Some(&sheet), ..protection(&there, &seats) };
    let plan = plan_by_sheet(&comparison, &around, &Part::default());
    assert!(!plan.is_refused() && plan.untouched.is_empty(), "{plan:?}");
    let mut talk = plan.changes[0].talk(vantage(), RESTART);
    run(&mut talk, &mut ground);
    assert_eq!(talk.outcome(), Some(&Outcome::Done));
    assert_eq!(ground.devices()[0].ip(), AT_HOME);
    let there = seen(&mut ground, 6);
    let comparison =
        compare_all(&sheet, &there.0, Everybody { devices: &there.1, asked_in: &[], own: &[], leases: &[] });
    assert!(comparison.is_as_planned(), "{:?}", comparison.rows[0].state);
}

/// One that told nothing of its mask is not as planned.
#[test]
fn what_a_target_did_not_tell_is_not_as_planned() {
    let sheet = RigSheet::parse(SHEET).unwrap();
    let mut ground = ground(&target(HOME, "", ", quirks = [\"only-probes\"]"), 0.0, 1);
    let there = seen(&mut ground, 6);
    assert!(there.1[0].is_seen_by(Way::Llrp));
    let comparison =
        compare_all(&sheet, &there.0, Everybody { devices: &there.1, asked_in: &[], own: &[], leases: &[] });
    let State::Seen(_, differences) = &comparison.rows[0].state else { panic!("{:?}", comparison.rows[0].state) };
    let said: Vec<String> = differences.iter().map(ToString::to_string).collect();
    assert_eq!(
        said,
        [
            "did not tell its addressing, planned fixed",
            "did not tell its mask, planned 255.255.0.0",
            "did not tell its gateway, planned none"
        ]
    );
    assert!(!comparison.is_as_planned());
    let codes: Vec<&str> = comparison.findings(&sheet).iter().map(|finding| finding.rule.code).collect();
    assert_eq!(codes, ["R006"]);
}

/// A node of Art-Net in another subnet, which no datagram of ours reaches, is brought home by LLRP.
#[test]
fn a_node_out_of_reach_is_brought_home_by_its_other_protocol() {
    let node = "[[node]]\nname = \"quay-north\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:00:10:01\"\n\
                address = \"192.168.7.9\"\nmask = \"255.255.255.0\"\npages = [{ net = 0, sub = 1, out = [0, 1, 2, 3] }]\n";
    let mut ground = ground(&[node, &target(AWAY, "", "")].concat(), 0.0, 1);
    let seen = seen(&mut ground, 6);
    let subject = seen.0.subject("02:4d:42:00:10:01").unwrap();
    assert!(matches!(subject, Subject::Node(_)));
    let seats = [seat()];
    let plan = plan_one(&subject, &home(), &protection(&seen, &seats));
    assert!(!plan.is_refused(), "{:?}", plan.findings);
    assert_eq!(plan.changes[0].subject.family(), Way::Llrp);
    // What LLRP cannot set is still refused for being out of reach.
    let named = Wanted { name: Some("mast".to_owned()), ..home() };
    let plan = plan_one(&subject, &named, &protection(&seen, &seats));
    assert!(codes(&plan).contains(&"C007"), "{:?}", codes(&plan));
}

/// A unit is asked to show itself; one that has no word for it says so, and nothing is sent.
#[rstest]
#[case::able("", 0.0)]
#[case::with_loss("", 0.1)]
#[case::slow("answers-late", 0.0)]
fn a_unit_shows_which_one_it_is(#[case] quirk: &str, #[case] loss: f64) {
    let quirks = if quirk.is_empty() { String::new() } else { format!(", quirks = [\"{quirk}\"]") };
    let mut ground = ground(&target(AWAY, "", &quirks), loss, 7);
    for (indicators, flashes) in [(Indicators::Flash, true), (Indicators::Normal, false)] {
        let wanted = Wanted { indicators: Some(indicators), ..Wanted::default() };
        let plan = planned(&mut ground, &wanted);
        let mut talk = plan.changes[0].talk(vantage(), RESTART);
        run(&mut talk, &mut ground);
        assert_eq!((talk.outcome(), ground.devices()[0].flashes()), (Some(&Outcome::Done), flashes));
    }
}

#[test]
fn a_unit_that_cannot_show_itself_is_not_asked_to() {
    let mut ground = ground(&target(AWAY, "", ", quirks = [\"cannot-identify\"]"), 0.0, 7);
    let wanted = Wanted { indicators: Some(Indicators::Flash), ..Wanted::default() };
    assert_eq!(codes(&planned(&mut ground, &wanted)), ["C005"]);
}
