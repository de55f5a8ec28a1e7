//! What is sent on the wire, held against the sheet: which finding comes, and that none comes where all is as planned.

use lantern_core::census::{Census, Ways};
use lantern_core::compare::compare;
use lantern_core::conversation::{Extent, Survey, SurveyPlan, Vantage};
use lantern_core::sheet::RigSheet;
use lantern_sim::{Link, MemoryGround, Scene};
use rstest::rstest;

use crate::support::{GUEST, run, seat};

/// A gateway of four outputs, universes 0:0:0 to 0:0:3, none of which gets any data by itself.
const NODE: &str = "network = \"10.40.0.0\"\n[[node]]\nname = \"quay-north\"\nmodel = \"marrowbright-four\"\n\
    mac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.100\"\npages = [{ out = [0, 1, 2, 3], idle = [0, 1, 2, 3] }]\n";

const SHEET: &str = "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n\
    [[node]]\nname = \"quay-north\"\nmac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.100\"\n";

fn device(number: u8, does: &str) -> String {
    format!(
        "[[device]]\nname = \"sender-{number}\"\nmac = \"02:53:44:00:00:{number:02x}\"\naddress = \"10.40.0.{number}\"\n{does}\n"
    )
}

fn by_art_net(number: u8, universes: &str, to: &str) -> String {
    device(number, &format!("art_net = {{ universes = [{universes}], to = [{to}] }}"))
}

fn by_sacn(number: u8, universes: &str, priority: u8) -> String {
    device(
        number,
        &format!("sacn = {{ name = \"desk-{number}\", universes = [{universes}], priority = {priority} }}"),
    )
}

fn stream(port: u16) -> String {
    device(
        30,
        &format!(
            "streams = [{{ name = \"stage mix\", kind = \"audio\", group = \"239.69.10.2\", port = {port}, format = \"L24/48000/8\" }}]"
        ),
    )
}

/// Four outputs of the gateway on the sheet.
fn ports(universes: [&str; 4]) -> String {
    let port = |(number, universe): (u32, &str)| format!("[[node.port]]\nport = {number}\nout = \"{universe}\"\n");
    (1..).zip(universes).map(port).collect()
}

fn planned() -> String {
    ports(["0:0:0", "0:0:1", "0:0:2", "0:0:3"])
}

fn source(sends: &str) -> String {
    format!("[[source]]\nname = \"desk-one\"\naddress = \"10.40.0.20\"\n{sends}\n")
}

fn census(scene: &str) -> Census {
    let scene = Scene::parse(&format!("{NODE}{scene}")).unwrap();
    let broadcasts = vec![seat().subnet.broadcast(), std::net::Ipv4Addr::BROADCAST];
    let mut ground =
        MemoryGround::new(scene.nodes(), Link::new(0.0, 1), GUEST, broadcasts).beside(scene.devices());
    let plan = SurveyPlan {
        vantage: Vantage::of_seats(vec![seat()]),
        ways: Ways::ALL,
        extent: Extent::Whole(std::time::Duration::ZERO),
        universes: (1..=6).collect(),
        ..SurveyPlan::art_net(vec![seat()], None, true)
    };
    let mut survey = Survey::new(plan);
    run(&mut survey, &mut ground);
    survey.into_census()
}

#[rstest]
// By Art-Net to the node alone nothing is heard here, and the node says that it gets it.
#[case::to_the_node_alone(planned() + &source("sends = [\"0:0:0-0:0:3\"]"), by_art_net(20, "0, 1, 2, 3", "\"10.40.1.100\""), &[])]
#[case::to_everybody(planned() + &source("sends = [\"0:0:0-0:0:3\"]"), by_art_net(20, "0, 1, 2, 3", ""), &[])]
// Nobody sends, and the sheet does not say that anybody should.
#[case::no_source_planned(planned(), String::new(), &[])]
#[case::the_desk_is_off(planned() + &source("sends = [\"0:0:0-0:0:3\"]"), String::new(), &["R008"])]
#[case::one_universe_is_left_out(planned() + &source("sends = [\"0:0:0-0:0:3\"]"), by_art_net(20, "0, 1, 3", ""), &["R008"])]
#[case::one_more(planned() + &source("sends = [\"0:0:0-0:0:3\"]"), by_art_net(20, "0, 1, 2, 3, 9", ""), &["R009"])]
#[case::one_more_without_sources_on_the_sheet(planned(), by_art_net(20, "0, 1, 2, 3, 9", ""), &[])]
#[case::all_one_too_high(planned() + &source("sends = [\"0:0:0-0:0:3\"]"), by_art_net(20, "1, 2, 3, 4", ""), &["R012"])]
#[case::one_too_high_and_the_next_is_for_another(planned() + &source("sends = [\"0:0:0-0:0:4\"]"), by_art_net(20, "1, 2, 3, 4", ""), &["R008"])]
#[case::all_one_too_high_where_none_arrives(ports(["0:0:4", "0:0:5", "0:0:6", "0:0:7"]), by_art_net(20, "5, 6, 7, 8", ""), &["R012"])]
#[case::one_beside_for_nobody(planned(), by_art_net(20, "0, 1, 2, 4", ""), &["R012"])]
#[case::to_others_only(planned(), by_art_net(20, "0, 1, 2, 3", "\"10.40.0.7\""), &["R015", "R015", "R015", "R015"])]
#[case::by_the_other_protocol(planned(), by_sacn(20, "1", 100), &["R011"])]
#[case::a_visitor_outranks_the_desk(ports(["sacn 1", "sacn 2", "sacn 3", "sacn 4"]), by_sacn(20, "1, 2, 3, 4", 100) + &by_sacn(21, "2", 150), &["R010"])]
#[case::both_are_meant(ports(["sacn 1", "sacn 2", "sacn 3", "sacn 4"]).replace("out = \"sacn 2\"", "out = \"sacn 2\"\nsources = 2"), by_sacn(20, "1, 2, 3, 4", 100) + &by_sacn(21, "2", 150), &[])]
#[case::a_stream_as_planned(mix(), stream(5004), &[])]
#[case::a_stream_elsewhere(mix(), stream(5006), &["R013"])]
#[case::a_stream_of_a_stranger(mix().replace("10.40.0.30", "10.40.0.31").replace("5004", "5008"), stream(5006), &["R014"])]
fn what_is_sent_is_held_against_the_sheet(#[case] sheet: String, #[case] scene: String, #[case] codes: &[&str]) {
    let sheet = RigSheet::parse(&format!("{SHEET}{sheet}")).unwrap();
    let census = census(&scene);
    let found = compare(&sheet, &census).sending(&sheet, &census);
    let said: Vec<String> =
        found.iter().map(|finding| format!("{} {}", finding.rule.code, finding.what)).collect();
    assert_eq!(found.iter().map(|finding| finding.rule.code).collect::<Vec<_>>(), codes, "{said:#?}");
}

/// A stream of the sheet, under another name than its session has.
fn mix() -> String {
    "[[node]]\nname = \"mixer\"\naddress = \"10.40.0.30\"\n[[stream]]\nname = \"foh-mix\"\ncarries = \"audio\"\n\
     from = \"mixer\"\nto = [\"quay-north\"]\ngroup = \"239.69.10.2:5004\"\n"
        .to_owned()
}

#[test]
fn a_desk_that_is_off_is_said_once_with_all_its_ports() {
    let sheet = RigSheet::parse(&format!("{SHEET}{}{}", planned(), source("sends = [\"0:0:0-0:0:3\"]"))).unwrap();
    let census = census("");
    let found = compare(&sheet, &census).sending(&sheet, &census);
    assert_eq!(
        found[0].what,
        "desk-one is to send 0:0:0 to 0:0:3; none of it is heard, and no data comes to quay-north port 1, quay-north port 2, \
         quay-north port 3, quay-north port 4"
    );
}
