//! Names of the network and brokers are set by LLRP, and what is said of them is so: held against what the target has.

use std::collections::HashSet;
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_core::census::{Census, Device, Way, Ways};
use lantern_core::change::{ChangePlan, Protection, plan_one};
use lantern_core::compare::{Addressing, Wanted, WantedBroker, WantedPort};
use lantern_core::conversation::{Apply, Concern, Extent, Made, Outcome, SurveyPlan, Vantage};
use lantern_core::keepsake::Keepsake;
use lantern_core::logbook::Stage;
use lantern_core::universe::{DeskBase, Universe};
use lantern_sim::{Link, MemoryGround, Names, Scene};
use lantern_wire::MacAddress;
use rstest::rstest;

use crate::support::{self, GUEST, manner, run, seat};

const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);
const MAC: &str = "02:4d:42:00:10:01";
const SERVER: Ipv4Addr = Ipv4Addr::new(10, 40, 0, 3);

fn ground(of_role: &str, nodes: &str) -> MemoryGround {
    let text = format!(
        "network = \"10.40.0.0\"\n{nodes}[[device]]\nname = \"beacon\"\nmac = \"{MAC}\"\naddress = \"10.40.1.9\"\n\
         llrp = {{ uid = \"7ff0:00000001\"{of_role} }}\n"
    );
    let scene = Scene::parse(&text).unwrap();
    let broadcasts = vec![seat().subnet.broadcast(), Ipv4Addr::BROADCAST];
    MemoryGround::new(scene.nodes(), Link::new(0.0, 5), GUEST, broadcasts).beside(scene.devices()).with_frames(OWN)
}

fn vantage() -> Vantage {
    support::with_frames(OWN)
}

/// Looks for this one: it is asked for its names too.
fn seen(ground: &mut MemoryGround) -> (Census, Vec<Device>) {
    let macs = HashSet::from([MAC.parse().unwrap()]);
    let plan = SurveyPlan {
        vantage: vantage(),
        ways: Ways::ALL,
        concern: Concern::These { macs, names: HashSet::new(), addresses: HashSet::new() },
        extent: Extent::Whole(Duration::from_secs(6)),
        ..SurveyPlan::art_net(vec![seat()], None, true)
    };
    support::seen_by(ground, plan)
}

fn planned(ground: &mut MemoryGround, wanted: &Wanted) -> ChangePlan {
    let ((census, devices), seats) = (seen(ground), [seat()]);
    let protection = Protection { devices: &devices, own: &[GUEST], ..support::protection(&census, None, &seats) };
    plan_one(&census.subject(MAC).unwrap(), wanted, &protection)
}

fn make(ground: &mut MemoryGround, plan: &ChangePlan) -> Vec<Option<Made>> {
    assert!(!plan.is_refused(), "{:?}", plan.findings);
    let mut apply = Apply::new(plan, vantage(), manner(20, 4));
    run(&mut apply, ground);
    apply.made().to_vec()
}

fn wish(what: &str) -> Wanted {
    let mut wanted = Wanted::default();
    for part in what.split(" and ") {
        match part {
            "name" => wanted.host_name = Some("quay-beacon".to_owned()),
            "server" => wanted.name_server = Some(SERVER),
            "scope" => wanted.scope = Some("quay".to_owned()),
            "broker" => {
                wanted.broker = Some(WantedBroker::At(SocketAddrV4::new(Ipv4Addr::new(10, 40, 0, 20), 8888)));
            }
            "home" => wanted.addressing = Some(Addressing::Fixed(Ipv4Addr::new(10, 40, 1, 50))),
            "router" => wanted.gateway = Some(Ipv4Addr::new(10, 40, 0, 1)),
            "dhcp" => wanted.addressing = Some(Addressing::Dhcp),
            other => panic!("no wish {other}"),
        }
    }
    wanted
}

/// Host name, server of names, scope, whether its broker is told, and the last byte of its address.
type So = (&'static str, bool, &'static str, bool, u8);

fn so(ground: &MemoryGround) -> (String, bool, String, bool, u8) {
    let device = &ground.devices()[0];
    let Names { host_name, name_server, scope, broker } = device.names().clone();
    (host_name, name_server == SERVER, scope, broker.is_some(), device.ip().address.octets()[3])
}

#[rstest]
#[case::name("", "name", Stage::Confirmed, ("quay-beacon", false, "default", false, 9))]
#[case::server("", "server", Stage::Confirmed, ("beacon", true, "default", false, 9))]
#[case::both("", "name and server", Stage::Confirmed, ("quay-beacon", true, "default", false, 9))]
#[case::with_address("", "name and server and home and router", Stage::Confirmed, ("quay-beacon", true, "default", false, 50))]
#[case::scope("", "scope", Stage::Confirmed, ("beacon", false, "quay", false, 9))]
#[case::broker("", "broker", Stage::Confirmed, ("beacon", false, "default", true, 9))]
#[case::all("", "scope and broker and name and home", Stage::Confirmed, ("quay-beacon", false, "quay", true, 50))]
#[case::two_interfaces("has-two-interfaces", "name and server and home and router", Stage::Confirmed,
    ("quay-beacon", true, "default", false, 50))]
#[case::puts_off("puts-off", "name and broker", Stage::Confirmed, ("quay-beacon", false, "default", true, 9))]
#[case::twice("answers-twice", "name and server", Stage::Confirmed, ("quay-beacon", true, "default", false, 9))]
#[case::zeros("ends-texts-with-zero", "name", Stage::Confirmed, ("quay-beacon", false, "default", false, 9))]
#[case::loses("loses-names", "name", Stage::Refused, ("", false, "default", false, 9))]
#[case::loses_along("loses-names", "home", Stage::MovedAlong, ("", false, "default", false, 50))]
#[case::ignores("ignores-apply", "name", Stage::Refused, ("beacon", false, "default", false, 9))]
#[case::refuses_the_address("refuses-address", "name and home", Stage::Refused, ("beacon", false, "default", false, 9))]
fn what_is_said_of_names_is_so(#[case] quirk: &str, #[case] wanted: &str, #[case] said: Stage, #[case] is: So) {
    let quirks = if quirk.is_empty() { String::new() } else { format!(", quirks = [\"{quirk}\"]") };
    let mut ground = ground(&quirks, "");
    let plan = planned(&mut ground, &wish(wanted));
    let made = make(&mut ground, &plan);
    let [Some(made)] = &made[..] else { panic!("{made:?}") };
    let is = (is.0.to_owned(), is.1, is.2.to_owned(), is.3, is.4);
    assert_eq!((Stage::from(&made.outcome), so(&ground)), (said, is), "{:?}", made.outcome);
}

/// DHCP and back, the names kept, and everything as it was at the end.
#[test]
fn names_outlast_dhcp_and_are_put_back() {
    let mut ground = ground("", "");
    let before = so(&ground);
    let census = seen(&mut ground).0;
    let kept = Keepsake::of(&census.completed(&census.subject(MAC).unwrap()), "2026-11-04T18:00:00Z");
    let kept = Keepsake::read(&kept.to_text().unwrap()).unwrap();
    for step in ["name and server and scope and broker", "dhcp"] {
        let plan = planned(&mut ground, &wish(step));
        let made = make(&mut ground, &plan);
        assert_eq!(made[0].as_ref().map(|made| &made.outcome), Some(&Outcome::Done), "{step}");
    }
    assert_eq!(ground.devices()[0].names().host_name, "quay-beacon");
    assert!(ground.devices()[0].ip().dhcp);
    let plan = planned(&mut ground, &kept.wanted());
    let made = make(&mut ground, &plan);
    assert_eq!(made[0].as_ref().map(|made| &made.outcome), Some(&Outcome::Done), "{:?}", plan.changes);
    assert_eq!(so(&ground), before);
    assert!(!ground.devices()[0].ip().dhcp);
}

#[test]
fn what_knows_no_names_is_not_told_any() {
    let mut ground = ground(", quirks = [\"knows-no-names\"]", "");
    let plan = planned(&mut ground, &wish("name and server and broker"));
    let said: Vec<&str> = plan.findings.iter().map(|finding| finding.what.as_str()).collect();
    let mac = "LLRP 7ff0:00000001 does not tell its";
    let all = ["host name", "name server", "broker"].map(|field| format!("{mac} {field} by LLRP"));
    assert_eq!(said, all);
}

/// What would be cut is not sent.
#[rstest]
#[case::host_name(Wanted { host_name: Some("x".repeat(64)), ..Wanted::default() })]
#[case::scope(Wanted { scope: Some("x".repeat(63)), ..Wanted::default() })]
fn names_that_are_too_long_are_refused(#[case] wanted: Wanted) {
    let mut ground = ground("", "");
    let codes: Vec<&str> = planned(&mut ground, &wanted).findings.iter().map(|one| one.rule.code).collect();
    assert_eq!(codes, ["C012"]);
}

/// A node that speaks no LLRP has no word for them: nothing is sent, and nothing is called done.
#[rstest]
#[case::name("name", "host name")]
#[case::server("server", "name server")]
#[case::scope("scope", "scope")]
#[case::broker("broker", "broker")]
fn a_node_without_llrp_is_told_no_names(#[case] what: &str, #[case] field: &str) {
    let scene = support::one_node("");
    let mut ground = support::ground(&scene).with_frames(OWN);
    let plan = planned(&mut ground, &wish(what));
    let said: Vec<&str> = plan.findings.iter().map(|finding| finding.what.as_str()).collect();
    assert_eq!(said, [format!("quay-north is told its {field} by LLRP, which it does not speak")]);
    assert!(plan.is_refused() && plan.changes.is_empty());
}

/// An Art-Net node that is a target of LLRP too is told by each what that has a word for, one after the other.
#[test]
fn a_node_gets_its_host_name_by_llrp() {
    let node = format!(
        "[[node]]\nname = \"quay-north\"\nmodel = \"marrowbright-four\"\nmac = \"{MAC}\"\naddress = \"10.40.1.9\"\n\
         pages = [{{ out = [0, 1, 2, 3] }}]\n"
    );
    let mut ground = ground("", &node);
    let universe = Universe::read("0:0:9", DeskBase::Zero).ok();
    let ports = vec![WantedPort { number: 1, universe, ..WantedPort::default() }];
    let plan = planned(&mut ground, &Wanted { ports, ..wish("name and server") });
    let families: Vec<Way> = plan.changes.iter().map(|change| change.subject.family()).collect();
    assert_eq!((families, plan.graph.waits(1).len()), (vec![Way::ArtNet, Way::Llrp], 1));
    let made = make(&mut ground, &plan);
    assert!(made.iter().flatten().all(|made| made.outcome == Outcome::Done), "{made:?}");
    assert_eq!(so(&ground).0, "quay-beacon");
}
