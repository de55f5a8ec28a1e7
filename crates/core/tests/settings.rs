//! Every setting there is, on a model that can do everything, on one that lacks half, and on one that keeps nothing over power:
//! what is said, what is sent, and what the node really is before, after, and when its power was gone.

use std::time::Duration;

use lantern_core::census::Subject;
use lantern_core::change::{ChangePlan, plan_one};
use lantern_core::compare::{Addressing, Wanted, WantedPort};
use lantern_core::conversation::Vantage;
use lantern_core::finding::Severity;
use lantern_core::logbook::Stage;
use lantern_core::universe::{DeskBase, Universe};
use lantern_core::{DataLoss, Direction, Indicators, Merge, Protocol};
use lantern_sim::{MemoryGround, Scene, Truth};
use rstest::rstest;

use crate::support::{self, ground, run, seat, survey};

/// What was said: the stage it reached, or the code of what speaks against it.
#[derive(Debug, PartialEq, Eq)]
enum Said {
    Made(Stage),
    Against(&'static str),
}

use Said::{Against, Made};

const DONE: Said = Made(Stage::Confirmed);
/// Done, as far as anybody can tell: no message of Art-Net tells it.
const BLIND: Said = Made(Stage::Unverified);

fn whole(quirks: &str) -> MemoryGround {
    let text = format!(
        "network = \"10.40.0.0\"\n[[node]]\nname = \"quay-north\"\nlabel = \"Quay north mast\"\n\
         model = \"marrowbright-eight\"\nmac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.100\"\nmask = \"255.255.0.0\"\n\
         gateway = \"10.40.0.2\"\nlease = \"10.40.250.17\"\nquirks = [{quirks}]\n\
         pages = [{{ sub = 1, out = [0, 1, 2], in = [9], merging = [1] }}, {{ sub = 2, out = [0], in = [8, 10] }}]\n"
    );
    ground(&Scene::parse(&text).unwrap())
}

fn lacking() -> MemoryGround {
    let text = "network = \"10.40.0.0\"\n[[node]]\nname = \"quay-north\"\nlabel = \"Quay north mast\"\n\
         model = \"marrowbright-two\"\nmac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.100\"\nmask = \"255.255.0.0\"\n\
         gateway = \"10.40.0.2\"\n\
         pages = [{ sub = 1, out = [0, 1], in = [9], merging = [1] }]\n";
    ground(&Scene::parse(text).unwrap())
}

fn of_port(port: WantedPort) -> Wanted {
    Wanted { ports: vec![port], ..Wanted::default() }
}

/// The settings, by name: what is wanted, and what of the node it may change.
fn setting(name: &str) -> (Wanted, fn(&Truth) -> String) {
    let wanted = Wanted::default();
    let second = WantedPort { number: 2, ..WantedPort::default() };
    match name {
        "name" => (Wanted { name: Some("mast".into()), ..wanted }, |truth| truth.name.clone()),
        "label" => (Wanted { label: Some("Mast one".into()), ..wanted }, |truth| truth.label.clone()),
        "address" => {
            let to = Addressing::Fixed("10.40.1.150".parse().unwrap());
            (Wanted { addressing: Some(to), ..wanted }, |truth| truth.ip.0.to_string())
        }
        "mask" => (Wanted { mask: "/20".parse().ok(), ..wanted }, |truth| truth.ip.1.to_string()),
        "gateway" => (Wanted { gateway: "10.40.0.3".parse().ok(), ..wanted }, |truth| truth.ip.2.to_string()),
        "dhcp" => (Wanted { addressing: Some(Addressing::Dhcp), ..wanted }, |truth| {
            format!("{:?} {}", truth.ip, truth.dhcp)
        }),
        "factory network" => {
            (Wanted { factory_network: true, ..wanted }, |truth| format!("{:?} {}", truth.ip, truth.dhcp))
        }
        "on data loss" => {
            (Wanted { on_data_loss: Some(DataLoss::Dark), ..wanted }, |truth| truth.on_data_loss.to_string())
        }
        "loss scene" => (Wanted { records_scene: true, ..wanted }, |truth| truth.scenes.to_string()),
        "indicators" => {
            (Wanted { indicators: Some(Indicators::Mute), ..wanted }, |truth| truth.indicators.to_string())
        }
        "sacn priority" => {
            (Wanted { sacn_priority: Some(150), ..wanted }, |truth| format!("{:?}", truth.sacn_priority))
        }
        "stop merging" => (Wanted { stops_merging: true, ..wanted }, |truth| of_ports(truth, 5)),
        "universe" => {
            let universe = Universe::read("0:1:7", DeskBase::Zero).ok();
            (of_port(WantedPort { universe, ..second }), |truth| of_ports(truth, 4))
        }
        "direction" => {
            (of_port(WantedPort { direction: Some(Direction::In), ..second }), |truth| of_ports(truth, 2))
        }
        "protocol" => {
            (of_port(WantedPort { protocol: Some(Protocol::Sacn), ..second }), |truth| of_ports(truth, 5))
        }
        "merge ltp" => (of_port(WantedPort { merge: Some(Merge::Ltp), ..second }), |truth| of_ports(truth, 5)),
        "merge off" => (of_port(WantedPort { merge: Some(Merge::Off), ..second }), |_| String::new()),
        "rdm" => (of_port(WantedPort { rdm: Some(false), ..second }), |truth| of_ports(truth, 6)),
        "input off" => {
            (of_port(WantedPort { number: INPUT, input: Some(false), ..second }), |truth| of_ports(truth, 7))
        }
        "output off" => (of_port(WantedPort { input: Some(false), ..second }), |_| String::new()),
        other => panic!("no setting {other}"),
    }
}

/// An input on both models.
const INPUT: u32 = 3;

fn of_ports(truth: &Truth, what: usize) -> String {
    truth.ports.iter().map(|port| format!("{} ", port[what])).collect()
}

fn truth(ground: &MemoryGround) -> Truth {
    ground.nodes()[0].truth()
}

fn speaks_against(plan: &ChangePlan) -> Option<&'static str> {
    let is_only_told = plan.findings.iter().all(|finding| finding.rule.severity != Severity::Error);
    let mut codes = plan.findings.iter().filter(|one| is_only_told || one.rule.severity == Severity::Error);
    codes.next().map(|finding| finding.rule.code)
}

/// What is said of a wish.
fn said(ground: &mut MemoryGround, wanted: &Wanted) -> Said {
    said_of(ground, 0, wanted)
}

/// The same of the node in this place of what is found.
fn said_of(ground: &mut MemoryGround, place: usize, wanted: &Wanted) -> Said {
    let census = survey(ground, None);
    let seats = [seat()];
    let node = Subject::of_node(&census.nodes()[place]);
    let mut plan = plan_one(&node, wanted, &support::protection(&census, None, &seats));
    if plan.is_refused() || plan.changes.is_empty() {
        return Against(speaks_against(&plan).unwrap_or("nothing to change"));
    }
    let mut talk = plan.changes.remove(0).talk(Vantage::of_seats(vec![seat()]), Duration::from_secs(20));
    run(&mut talk, ground);
    Made(Stage::from(talk.outcome().unwrap()))
}

/// Nothing but what was meant has changed.
fn is_only(before: &Truth, after: &Truth, name: &str) -> bool {
    let (_, part) = setting(name);
    let is_about_ip = matches!(name, "address" | "mask" | "gateway" | "dhcp" | "factory network");
    let mut rest = after.clone();
    if is_about_ip {
        (rest.ip, rest.dhcp) = (before.ip, before.dhcp);
    } else {
        rest = Truth {
            name: if name == "name" { before.name.clone() } else { rest.name },
            label: if name == "label" { before.label.clone() } else { rest.label },
            on_data_loss: if name == "on data loss" { before.on_data_loss } else { rest.on_data_loss },
            scenes: if name == "loss scene" { before.scenes } else { rest.scenes },
            indicators: if name == "indicators" { before.indicators } else { rest.indicators },
            sacn_priority: if name == "sacn priority" { before.sacn_priority.clone() } else { rest.sacn_priority },
            ports: if part(before) != part(after) { before.ports.clone() } else { rest.ports },
            ..rest
        };
    }
    rest == *before
}

#[rstest]
fn every_setting_is_written_and_read_back(
    #[values(
        "name",
        "label",
        "address",
        "mask",
        "gateway",
        "dhcp",
        "factory network",
        "on data loss",
        "loss scene",
        "indicators",
        "sacn priority",
        "stop merging",
        "universe",
        "direction",
        "protocol",
        "merge ltp",
        "rdm"
    )]
    name: &str,
    #[values("", "\"loses-every-second-write\"")] quirks: &str,
) {
    let mut ground = whole(quirks);
    let before = truth(&ground);
    let (wanted, part) = setting(name);
    let blind = name == "loss scene";
    let said = said(&mut ground, &wanted);
    assert_eq!(said, if blind { BLIND } else { DONE });
    let after = truth(&ground);
    if blind && !quirks.is_empty() {
        return;
    }
    assert_ne!(part(&before), part(&after));
    assert!(is_only(&before, &after, name), "{before:?}\n{after:?}");
}

#[test]
fn an_input_is_switched_off_and_the_one_beside_it_stays() {
    let mut ground = whole("");
    let port = |number, on| of_port(WantedPort { number, input: Some(on), ..WantedPort::default() });
    assert_eq!(said(&mut ground, &port(6, false)), DONE);
    assert_eq!(said(&mut ground, &port(7, false)), DONE);
    assert_eq!(said(&mut ground, &port(6, true)), DONE);
    assert_eq!(of_ports(&truth(&ground), 7), "0 0 0 0 0 0 8 0 ");
}

#[rstest]
#[case::merge_off("merge off", "C004")]
#[case::output_off("output off", "C005")]
fn what_art_net_has_no_word_for_is_told_and_not_sent(#[case] name: &str, #[case] code: &'static str) {
    let mut ground = whole("");
    let before = truth(&ground);
    assert_eq!(said(&mut ground, &setting(name).0), Against(code));
    assert_eq!((truth(&ground), ground.nodes()[0].writes().len()), (before, 0));
}

/// The model that lacks half is told nothing that it lacks.
#[rstest]
#[case::name("name", DONE)]
#[case::label("label", DONE)]
#[case::address("address", DONE)]
#[case::mask("mask", DONE)]
#[case::gateway("gateway", DONE)]
#[case::universe("universe", DONE)]
#[case::indicators("indicators", DONE)]
#[case::stop_merging("stop merging", DONE)]
#[case::merge_ltp("merge ltp", DONE)]
#[case::dhcp("dhcp", Against("C005"))]
#[case::factory("factory network", Against("C005"))]
#[case::data_loss("on data loss", Against("C005"))]
#[case::scene("loss scene", Against("C005"))]
#[case::priority("sacn priority", Against("C005"))]
#[case::direction("direction", Against("C005"))]
#[case::protocol("protocol", Against("C005"))]
#[case::rdm("rdm", Against("C005"))]
#[case::input("input off", Against("C005"))]
fn what_a_model_lacks_is_told_and_not_sent(#[case] name: &str, #[case] expected: Said) {
    let mut ground = lacking();
    let before = truth(&ground);
    let (wanted, part) = setting(name);
    let said = said(&mut ground, &wanted);
    assert_eq!(said, expected);
    let after = truth(&ground);
    if expected == DONE {
        assert_ne!(part(&before), part(&after));
        assert!(is_only(&before, &after, name), "{before:?}\n{after:?}");
    } else {
        assert_eq!((after, ground.nodes()[0].writes().len()), (before, 0));
    }
}

/// One that keeps nothing over power is as it was once its power was gone, and is seen to be.
#[rstest]
fn what_is_not_kept_is_seen_when_the_power_was_gone(
    #[values("name", "address", "dhcp", "indicators", "sacn priority", "universe", "protocol", "input off")]
    name: &str,
) {
    let mut ground = whole("\"keeps-nothing\"");
    let start = truth(&ground);
    let (wanted, part) = if name == "input off" {
        let port = WantedPort { number: 4, input: Some(false), ..WantedPort::default() };
        (of_port(port), setting(name).1)
    } else {
        setting(name)
    };
    assert_eq!(said(&mut ground, &wanted), DONE);
    assert_ne!(part(&truth(&ground)), part(&start));
    let now = ground.now();
    ground.nodes_mut()[0].switch(now, false);
    ground.nodes_mut()[0].switch(now, true);
    while ground.run_until(now + Duration::from_secs(30)).is_some() {}
    assert_eq!(truth(&ground), start);
    let census = survey(&mut ground, None);
    assert!(!wanted.differences(&census.nodes()[0]).is_empty());
}

/// Two units of one kind that choose by themselves may choose the same address.
#[test]
fn nobody_goes_back_to_the_factory_where_another_one_stands() {
    let node = |last: u8, at: &str| {
        format!(
            "[[node]]\nname = \"n{last}\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:00:10:0{last}\"\naddress = \"{at}\"\n\
             mask = \"255.255.0.0\"\npages = [{{ sub = {last}, out = [0] }}]\n"
        )
    };
    for (other, expected) in [("10.40.240.1", Against("C001")), ("10.40.1.2", DONE)] {
        let text = format!("network = \"10.40.0.0\"\n{}{}", node(1, "10.40.1.1"), node(2, other));
        let mut ground = ground(&Scene::parse(&text).unwrap());
        let census = survey(&mut ground, None);
        let first = census.nodes().iter().position(|node| node.name().raw() == "n1").unwrap();
        assert_eq!(said_of(&mut ground, first, &setting("factory network").0), expected);
        assert_eq!(ground.nodes()[0].settings().0.octets()[2] == 240, expected == DONE);
    }
}
