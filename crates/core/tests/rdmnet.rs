//! Gateways behind a broker are found, read and patched, and what is said of it is so: held against what their ports really are.

use std::collections::BTreeMap;
use std::time::Duration;

use lantern_core::census::{Census, Device, Unit, Way, Ways};
use lantern_core::change::{ChangePlan, Part, Protection, plan_by_sheet, plan_one};
use lantern_core::compare::{Everybody, State, Wanted, WantedPort, compare_all};
use lantern_core::conversation::{Apply, ApplyNews, Extent, Made, Outcome, SurveyPlan, TalkEvent, Vantage};
use lantern_core::facts::{Field, PortField};
use lantern_core::sheet::RigSheet;
use lantern_core::universe::{DeskBase, Universe};
use lantern_core::{Direction, Indicators};
use lantern_sim::{EndpointTruth, Link, MemoryGround, Scene, SimDevice};
use lantern_wire::MacAddress;
use rstest::rstest;

use crate::support::dice::Dice;
use crate::support::{self, GUEST, manner, run, seat};

const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);

/// A broker with one gateway of eight ports behind it, which LLRP tells the place of; with these further keys.
fn scene(of_broker: &str, of_gateway: &str) -> Scene {
    let text = format!(
        "network = \"10.40.0.0\"\n\
         [[device]]\nname = \"chart-room\"\nmac = \"02:4d:42:00:30:01\"\naddress = \"10.40.0.20\"\n\
         [[device.services]]\nname = \"Night\"\nkind = \"_rdmnet._tcp\"\nport = 8888\ntext = [\"E133Scope=default\"]\n\
         [device.broker]\nport = 8888\nuid = \"7ff0:00b00001\"\n{of_broker}\n\
         [[device.broker.gateways]]\nuid = \"7ff0:00a00008\"\nlabel = \"orlop-eight\"\n\
         universes = [101, 102, 103, 104, 105, 106, 107, 0]\n{of_gateway}\n\
         [[device]]\nname = \"orlop\"\nmac = \"02:4d:42:00:30:02\"\naddress = \"10.40.2.8\"\n\
         llrp = {{ uid = \"7ff0:00a00008\", label = \"orlop-eight\" }}\n"
    );
    Scene::parse(&text).unwrap()
}

fn ground(scene: &Scene) -> MemoryGround {
    let broadcasts = vec![seat().subnet.broadcast(), std::net::Ipv4Addr::BROADCAST];
    MemoryGround::new(scene.nodes(), Link::new(0.0, 7), GUEST, broadcasts).beside(scene.devices()).with_frames(OWN)
}

fn vantage() -> Vantage {
    support::with_frames(OWN)
}

fn seen(ground: &mut MemoryGround) -> (Census, Vec<Device>) {
    let plan = SurveyPlan {
        vantage: vantage(),
        ways: Ways::ALL,
        extent: Extent::Whole(Duration::from_secs(5)),
        ..SurveyPlan::art_net(vec![seat()], None, true)
    };
    support::seen_by(ground, plan)
}

fn gateway(census: &Census) -> Option<Unit> {
    census.units().into_iter().find(|unit| unit.family == Way::Rdmnet)
}

fn ports(ground: &MemoryGround) -> Vec<EndpointTruth> {
    ground.devices().iter().flat_map(SimDevice::endpoints).collect()
}

fn universes(ground: &MemoryGround) -> Vec<u16> {
    ports(ground).into_iter().map(|port| port.universe).collect()
}

fn sacn(number: u16) -> Option<Universe> {
    Universe::read(&format!("sacn {number}"), DeskBase::Zero).ok()
}

fn patched(numbers: &[(u32, u16)]) -> Wanted {
    let port = |(number, universe): &(u32, u16)| WantedPort {
        number: *number,
        universe: sacn(*universe),
        ..WantedPort::default()
    };
    Wanted { ports: numbers.iter().map(port).collect(), ..Wanted::default() }
}

fn planned(ground: &mut MemoryGround, wanted: &Wanted) -> ChangePlan {
    let (census, seats) = (seen(ground).0, [seat()]);
    let subject = census.subject("orlop-eight").unwrap();
    plan_one(&subject, wanted, &support::protection(&census, None, &seats))
}

/// Makes the plan; gives what became of each change, and what was remarked on the way.
fn make(ground: &mut MemoryGround, plan: &ChangePlan) -> (Vec<Option<Made>>, Vec<String>) {
    assert!(!plan.is_refused(), "{:?}", plan.findings);
    let mut apply = Apply::new(plan, vantage(), manner(20, 4));
    let (events, _) = run(&mut apply, ground);
    let told = events.into_iter().filter_map(|(_, event)| match event.news {
        ApplyNews::Talk(TalkEvent::Remarked(what)) => Some(what.to_string()),
        ApplyNews::Talk(TalkEvent::Declined(_, why)) => Some(format!("declined: {why}")),
        _ => None,
    });
    let told = told.collect();
    (apply.made().to_vec(), told)
}

fn outcome(made: &[Option<Made>]) -> String {
    let [Some(made)] = made else { panic!("{made:?}") };
    let fields = |all: Vec<String>| all.join(", ");
    match &made.outcome {
        Outcome::Done => "done".to_owned(),
        Outcome::Refused(open) => {
            format!("refused {}", fields(open.iter().map(|one| one.field.to_string()).collect()))
        }
        Outcome::MovedAlong(along) => {
            format!("along {}", fields(along.iter().map(|one| one.field.to_string()).collect()))
        }
        Outcome::Silent { written } => format!("silent {written}"),
        other => format!("{other:?}"),
    }
}

#[test]
fn a_gateway_behind_a_broker_is_one_device_with_its_ports() {
    let mut ground = ground(&scene("", ""));
    let (census, devices) = seen(&mut ground);
    let unit = gateway(&census).unwrap();
    assert_eq!(unit.mac, Some("02:4d:42:00:30:02".parse().unwrap()), "LLRP tells where it stands");
    assert_eq!(unit.what.to_string(), "RDMnet Marrowbright Octet, 8 ports: sacn 101 to 107");
    let told = |port, field| {
        let field = Field::Port(port, field);
        unit.facts.get(field).map(|value| field.in_words(value))
    };
    assert_eq!(told(1, PortField::Universe).as_deref(), Some("sacn 101"));
    assert_eq!(told(8, PortField::Universe).as_deref(), Some("none"));
    assert_eq!(told(8, PortField::Direction).as_deref(), Some("out"));
    let own: Vec<&Device> = devices.iter().filter(|device| device.mac == unit.mac).collect();
    let [device] = own[..] else { panic!("{own:?}") };
    assert_eq!((device.name.to_string().as_str(), device.units.len()), ("orlop-eight", 2));
    // The same again from a file.
    let text = serde_json::to_string(&census.evidence()).unwrap();
    let again = Census::default().with(serde_json::from_str(&text).unwrap());
    assert_eq!(again.units(), census.units());
}

/// What brokers do wrong costs no more than what is behind them, and never hangs a survey.
#[rstest]
#[case::plain("", true)]
#[case::in_pieces("quirks = [\"speaks-in-pieces\"]", true)]
#[case::twice("quirks = [\"says-twice\"]", true)]
#[case::redirects("quirks = [\"redirects\"]", true)]
#[case::loses("quirks = [\"loses-requests\"]", true)]
#[case::hangs_up("hangs_up_after = 5", true)]
#[case::silent("quirks = [\"never-replies\"]", false)]
#[case::full("quirks = [\"is-full\"]", false)]
#[case::mumbles("quirks = [\"mumbles\"]", false)]
#[case::other_scope("scope = \"quay\"", false)]
fn whatever_a_broker_does_the_survey_ends(#[case] of_broker: &str, #[case] is_found: bool) {
    let mut ground = ground(&scene(of_broker, ""));
    let unit = gateway(&seen(&mut ground).0);
    let told = unit.is_some_and(|unit| unit.facts.get(Field::Port(7, PortField::Label)).is_some());
    assert_eq!(told, is_found);
}

/// Two ports patched, one of them from nothing, and the label: with every habit of the gateway.
#[rstest]
#[case::plain("", "done", [101, 202, 103, 104, 105, 106, 107, 208])]
#[case::lags("lags-behind", "done", [101, 202, 103, 104, 105, 106, 107, 208])]
#[case::puts_off("puts-off", "done", [101, 202, 103, 104, 105, 106, 107, 208])]
#[case::restarts("restarts-with-universe", "done", [101, 202, 103, 104, 105, 106, 107, 208])]
#[case::no_modes("has-no-modes", "done", [101, 202, 103, 104, 105, 106, 107, 208])]
#[case::takes_nothing("takes-nothing", "refused port 2 universe, port 8 universe", [101, 102, 103, 104, 105, 106, 107, 0])]
#[case::protected("is-write-protected", "refused port 2 universe, port 8 universe", [101, 102, 103, 104, 105, 106, 107, 0])]
#[case::patches_more("patches-the-next", "along port 1 universe, port 3 universe", [208, 202, 202, 104, 105, 106, 107, 208])]
#[case::dies("dies-of-universe", "silent true", [101, 202, 103, 104, 105, 106, 107, 0])]
fn what_is_said_of_patched_ports_is_so(#[case] quirk: &str, #[case] said: &str, #[case] so: [u16; 8]) {
    let quirks = if quirk.is_empty() { String::new() } else { format!("quirks = [\"{quirk}\"]") };
    let mut ground = ground(&scene("", &quirks));
    let plan = planned(&mut ground, &patched(&[(2, 202), (8, 208)]));
    let (made, told) = make(&mut ground, &plan);
    assert_eq!((outcome(&made).as_str(), universes(&ground)), (said, so.to_vec()), "{told:?}");
    if quirk == "is-write-protected" {
        assert_eq!(told, ["declined: it is write-protected", "declined: it is write-protected"]);
    }
}

#[test]
fn a_port_that_counts_oddly_keeps_its_number_and_one_that_is_not_there_is_refused() {
    let mut ground = ground(&scene("", "quirks = [\"counts-oddly\"]"));
    let plan = planned(&mut ground, &patched(&[(8, 300)]));
    let (made, _) = make(&mut ground, &plan);
    assert_eq!(
        (outcome(&made).as_str(), universes(&ground)[1]),
        ("done", 300),
        "the second port bears the number 8"
    );
    let plan = planned(&mut ground, &patched(&[(2, 300)]));
    let [finding] = &plan.findings[..] else { panic!("{:?}", plan.findings) };
    assert_eq!(finding.what, "orlop-eight has no port 2, it states 8");
}

#[test]
fn a_label_of_a_port_that_is_too_long_is_refused() {
    let mut ground = ground(&scene("", ""));
    let port = WantedPort { number: 1, label: Some("x".repeat(33)), ..WantedPort::default() };
    let plan = planned(&mut ground, &Wanted { ports: vec![port], ..Wanted::default() });
    let codes: Vec<&str> = plan.findings.iter().map(|finding| finding.rule.code).collect();
    assert_eq!(codes, ["C012"]);
}

/// A locked gateway is asked nothing, by its MAC address or by where it stands; where anything is locked, nor is one that nobody can
/// place. A lock elsewhere keeps nobody from being read.
#[rstest]
#[case::device("locked_devices = [\"02:4d:42:00:30:02\"]", true, false)]
#[case::range("locked = [\"10.40.2.0/24\"]", true, false)]
#[case::broker("locked = [\"10.40.0.20/32\"]", true, false)]
#[case::broker_by_mac("locked_devices = [\"02:4d:42:00:30:01\"]", true, false)]
#[case::elsewhere("locked = [\"10.40.9.0/24\"]", true, true)]
#[case::not_placed("locked = [\"10.40.9.0/24\"]", false, false)]
#[case::nothing_locked("", false, true)]
fn a_locked_gateway_is_asked_nothing(#[case] locks: &str, #[case] is_placed: bool, #[case] is_read: bool) {
    let sheet =
        format!("[rig]\nname = \"Orlop\"\n[[network]]\nname = \"light\"\nrange = \"10.40.0.0/16\"\n{locks}\n");
    let mut ground = ground(&scene("", ""));
    if !is_placed {
        ground.devices_mut()[1].switch(false);
    }
    let plan = SurveyPlan {
        vantage: vantage(),
        ways: Ways::ALL,
        extent: Extent::Whole(Duration::from_secs(5)),
        ..SurveyPlan::art_net(vec![seat()], Some(RigSheet::parse(&sheet).unwrap()), true)
    };
    let census = support::seen_by(&mut ground, plan).0;
    assert_eq!(gateway(&census).is_some_and(|unit| unit.facts.told().next().is_some()), is_read);
    let asked: u32 = ground.devices().iter().map(SimDevice::requests_carried).sum();
    assert_eq!(asked > 0, is_read, "{asked}");
}

/// Everything that can be said of a port, there and back.
#[test]
fn a_port_is_turned_named_and_put_back() {
    let mut ground = ground(&scene("", ""));
    let before = ports(&ground);
    let port = WantedPort {
        number: 8,
        direction: Some(Direction::In),
        universe: sacn(63999),
        rdm: Some(false),
        label: Some("Orlop desk".to_owned()),
        ..WantedPort::default()
    };
    let wanted = Wanted { ports: vec![port], indicators: Some(Indicators::Flash), ..Wanted::default() };
    let plan = planned(&mut ground, &wanted);
    let (made, _) = make(&mut ground, &plan);
    // Which one it is LLRP is told as well, which comes first.
    assert!(made.iter().flatten().all(|made| made.outcome == Outcome::Done), "{made:?}");
    let after = &ports(&ground)[7];
    let label = "Orlop desk".to_owned();
    let (gateway, number) = (after.gateway, after.number);
    let so = EndpointTruth { gateway, number, universe: 63999, mode: 1, label, rdm: false, flashes: false };
    assert_eq!(*after, so);
    let (made, _) = make(&mut ground, &plan.back());
    assert!(made.iter().flatten().all(|made| made.outcome == Outcome::Done), "{made:?}");
    assert_eq!(ports(&ground), before);
}

/// The broker hangs up after each of the first requests there are, and takes nobody for a while: it is waited for, and the work is
/// done in the end.
#[test]
fn a_broker_that_is_lost_half_way_is_found_again() {
    let mut lost = 0;
    // The first fifty read the gateway in the survey.
    for after in (49..180).step_by(3) {
        let mut ground = ground(&scene(&format!("hangs_up_after = {after}\naway_ms = 4000"), ""));
        let plan = planned(&mut ground, &patched(&[(1, 201), (2, 202), (3, 203), (8, 208)]));
        let (made, told) = make(&mut ground, &plan);
        assert_eq!(outcome(&made), "done", "after {after}: {told:?}");
        assert_eq!(universes(&ground), [201, 202, 203, 104, 105, 106, 107, 208], "after {after}");
        if let [gone, back] = &told[..] {
            lost += 1;
            assert_eq!(gone, "its broker at 10.40.0.20:8888 is lost, it closed the connection: looking for it");
            assert_eq!(back, "its broker at 10.40.0.20:8888 is there again: going on");
        }
    }
    assert!(lost >= 20, "{lost}");
}

/// A broker that loses its power says nothing about it: it is given up, and what is said is so.
#[test]
fn a_broker_without_power() {
    let mut ground = ground(&scene("", ""));
    let plan = planned(&mut ground, &patched(&[(1, 201), (2, 202), (3, 203)]));
    let mut apply = Apply::new(&plan, vantage(), manner(60, 4));
    support::run_with(&mut apply, &mut ground, |ground, _, event| {
        if event.news == ApplyNews::Talk(TalkEvent::Confirmed(0)) {
            ground.devices_mut()[0].switch(false);
        }
    });
    assert_eq!((outcome(apply.made()).as_str(), &universes(&ground)[..3]), ("silent true", &[201, 102, 103][..]));
}

/// Another controller patches a port meanwhile: that is told, by whom and to what.
#[rstest]
#[case::another_port(5, "along port 5 universe", [201, 202, 203, 104, 999, 106, 107, 0])]
#[case::one_of_ours(1, "done", [201, 202, 203, 104, 105, 106, 107, 0])]
fn what_another_controller_sets_is_told(#[case] port: u16, #[case] said: &str, #[case] so: [u16; 8]) {
    let meddler = format!(
        "[device.broker.meddler]\nuid = \"4d42:00000009\"\nafter = 2\ngateway = \"7ff0:00a00008\"\n\
         endpoint = {port}\nuniverse = 999\n"
    );
    let mut ground = ground(&scene(&meddler, ""));
    let plan = planned(&mut ground, &patched(&[(1, 201), (2, 202), (3, 203)]));
    let (made, told) = make(&mut ground, &plan);
    let what = format!("another controller, 4d42:00000009, has meanwhile set port {port} universe to sacn 999");
    assert_eq!((outcome(&made).as_str(), universes(&ground), told), (said, so.to_vec(), vec![what]));
}

const BROKERS: [&str; 6] = [
    "",
    "quirks = [\"speaks-in-pieces\"]",
    "quirks = [\"says-twice\"]",
    "quirks = [\"loses-requests\"]",
    "hangs_up_after = 70\naway_ms = 2500",
    "hangs_up_after = 90\naway_ms = 9000\nquirks = [\"keeps-to-itself\", \"speaks-in-pieces\"]",
];
const GATEWAYS: [&str; 8] = [
    "takes-nothing",
    "is-write-protected",
    "lags-behind",
    "patches-the-next",
    "has-no-modes",
    "restarts-with-universe",
    "dies-of-universe",
    "puts-off",
];

/// Brokers and gateways with any of their habits at once, and any wish: whatever is said of a field is so.
#[test]
fn whatever_happens_what_is_said_is_so() {
    let mut words: BTreeMap<&str, u32> = BTreeMap::new();
    for seed in 0..250 {
        let mut dice = Dice::new(seed);
        let habits: Vec<&str> = GATEWAYS.into_iter().filter(|_| dice.below(6) == 0).collect();
        let of_broker = BROKERS[dice.below(6) as usize];
        let mut ground = ground(&scene(of_broker, &format!("quirks = {habits:?}")));
        let wishes: Vec<(u32, u16)> =
            (1..=8).filter(|_| dice.below(3) == 0).map(|port| (port, 200 + port as u16)).collect();
        let plan = planned(&mut ground, &patched(&wishes));
        if plan.changes.is_empty() {
            continue;
        }
        let before = universes(&ground);
        let (made, told) = make(&mut ground, &plan);
        let end = ground.now() + Duration::from_secs(30);
        while ground.run_until(end).is_some() {}
        let after = universes(&ground);
        let port = |field: Field| field.port().unwrap() as usize - 1;
        let is_so = |port: usize| {
            let wish = wishes.iter().find(|(number, _)| *number as usize == port + 1);
            after[port] == wish.map_or(before[port], |(_, universe)| *universe)
        };
        let [Some(made)] = &made[..] else { panic!("{made:?}") };
        let (word, otherwise): (&str, Vec<usize>) = match &made.outcome {
            Outcome::Done => ("done", Vec::new()),
            Outcome::Refused(open) => ("refused", open.iter().map(|one| port(one.field)).collect()),
            Outcome::MovedAlong(along) => ("moved along", along.iter().map(|one| port(one.field)).collect()),
            Outcome::Silent { written: true } => ("silent", (0..8).filter(|port| !is_so(*port)).collect()),
            Outcome::Silent { written: false } => ("silent before", Vec::new()),
            other => panic!("seed {seed}: {other:?}"),
        };
        *words.entry(word).or_default() += 1;
        let nothing_sent = word == "silent before";
        let wrong: Vec<usize> = (0..8)
            .filter(|port| {
                if nothing_sent { after[*port] != before[*port] } else { is_so(*port) == otherwise.contains(port) }
            })
            .collect();
        // What a refusal is about is told; what changed along with it is not.
        let along = word == "refused" && habits.contains(&"patches-the-next");
        assert!(
            wrong.is_empty() || along,
            "seed {seed}: {word} {otherwise:?}, {before:?} to {after:?}, wished {wishes:?}, {habits:?} {of_broker}: {told:?}"
        );
    }
    assert!(["done", "refused", "moved along", "silent"].iter().all(|word| words[word] > 3), "{words:?}");
}

const SHEET: &str = "[rig]\nname = \"Orlop\"\n[[network]]\nname = \"light\"\nrange = \"10.40.0.0/16\"\n\
    [[kind]]\nname = \"octet\"\nmaker = \"Marrowbright\"\nmodel = \"Octet\"\nports = 8\nspeaks = [\"rdmnet\"]\n\
    [[node]]\nname = \"orlop-eight\"\nkind = \"octet\"\nmac = \"02:4d:42:00:30:02\"\naddress = \"10.40.2.18\"\n\
    protocol = \"sacn\"\n\
    port = [{ port = 1, out = 201, label = \"Orlop 1\" }, { port = 2, out = 102 }, { port = 8, in = 208 }]\n";

/// What the sheet says of a gateway is compared and set: its address by LLRP first, then its ports by the broker.
#[test]
fn a_sheet_patches_a_gateway_and_moves_it() {
    let mut ground = ground(&scene("", ""));
    let sheet = RigSheet::parse(SHEET).unwrap();
    let differences = |ground: &mut MemoryGround| {
        let (census, devices) = seen(ground);
        let comparison = compare_all(&sheet, &census, Everybody { devices: &devices, ..Everybody::default() });
        let State::Seen(_, differences) = &comparison.rows[0].state else { panic!("{:?}", comparison.rows) };
        differences.iter().map(ToString::to_string).collect::<Vec<_>>()
    };
    assert_eq!(
        differences(&mut ground),
        [
            "address is 10.40.2.8, planned 10.40.2.18",
            "port 1 universe is sacn 101, planned sacn 201",
            "port 1 label is (empty), planned Orlop 1",
            "port 8 direction is out, planned in",
            "port 8 universe is none, planned sacn 208",
        ]
    );
    let (census, devices) = seen(&mut ground);
    let comparison = compare_all(&sheet, &census, Everybody { devices: &devices, ..Everybody::default() });
    let seats = [seat()];
    let protection =
        Protection { devices: &devices, own: &[GUEST], ..support::protection(&census, Some(&sheet), &seats) };
    let plan = plan_by_sheet(&comparison, &protection, &Part::default());
    let families: Vec<Way> = plan.changes.iter().map(|change| change.subject.family()).collect();
    assert_eq!(families, [Way::Llrp, Way::Rdmnet]);
    assert_eq!(plan.graph.waits(1).len(), 1, "a gateway that moves leaves its broker");
    let (made, told) = make(&mut ground, &plan);
    assert!(made.iter().flatten().all(|made| made.outcome == Outcome::Done), "{made:?} {told:?}");
    assert_eq!(universes(&ground), [201, 102, 103, 104, 105, 106, 107, 208]);
    assert_eq!(differences(&mut ground), Vec::<String>::new());
}
